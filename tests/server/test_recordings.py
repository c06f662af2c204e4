"""A person's own takes by the interface for programs: brought in, given to lines, used as they are."""

from __future__ import annotations

import csv
import io
import zipfile
from typing import Any

import numpy as np
import pytest
import soundfile
from django.core.files.uploadedfile import SimpleUploadedFile

from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Delivery
from janoglot.core.speech.takes import TakeRecipe, read_sound
from janoglot.direct import recording
from janoglot.direct.recording import go_on_with_recordings
from janoglot.productions.keeping import unneeded
from janoglot.productions.models import Line, LineRecording, Production, Speaker, Take, WaitingRecording, Wording
from janoglot.server.storage import media, takes
from tests.server.conftest import Call, content, edition_path, handed, lines

WORDS = ["La marea está cambiando.", "Entonces la sopa debe esperar.", "Todo espera a la marea."]


@pytest.fixture
def cast(production: Production, call: Call) -> str:
    path = edition_path(production)
    for speaker, voice in zip(Speaker.objects.filter(production=production), ("azor", "abubilla"), strict=False):
        call("owner", "put", f"{path}castings/{speaker.pk}/", {"voice": voice})
    return path


@pytest.fixture
def listening(monkeypatch: pytest.MonkeyPatch) -> dict[str, str]:
    """What is heard, by the name of the file: light voices are followed too badly by a recogniser."""
    told: dict[str, str] = {}

    def heard(samples: Any, rate: int, language: str) -> str | None:
        return told.get(f"{len(samples) / rate:.1f}")

    monkeypatch.setattr(recording, "_heard", heard)
    return told


def wav(words: str, before: float = 0.5, rate: int = 44_100, container: str = "WAV") -> bytes:
    """A person says ``words``, after a silence, quietly."""
    spoken = engine_named("formant").speak(TakeRecipe(words, voice_named("azor"), Delivery(), "es-MX").utterance)
    place = np.interp(np.arange(0, len(spoken.samples) / spoken.rate, 1 / rate), np.arange(len(spoken.samples)) / spoken.rate, spoken.samples)
    made = io.BytesIO()
    soundfile.write(made, np.concatenate([np.zeros(round(before * rate)), 0.2 * place, np.zeros(rate // 2)]), rate, format=container)
    return made.getvalue()


def zipped(**files: bytes) -> SimpleUploadedFile:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return SimpleUploadedFile("studio.zip", made.getvalue())


def bring(call: Call, path: str, *files: SimpleUploadedFile, who: str = "owner") -> Any:
    return call(who, "post", f"{path}recordings/", {"files": list(files)}, format="multipart")


def ids(production: Production) -> list[int]:
    return list(Line.objects.filter(production=production).values_list("id", flat=True))


def test_a_zip_is_matched_taken_and_heard_in_the_edition(call: Call, production: Production, cast: str) -> None:
    first, second, third = ids(production)
    sent = zipped(**{"day 1/001_Pilot.wav": wav(WORDS[0]), "day 1/003_Pilot.flac": wav(WORDS[2], container="FLAC"),
                     "day 1/notes.txt": b"mind the dog", "__MACOSX/day 1/._001_Pilot.wav": b"junk", "day 1/broken.wav": b"RIFF"})
    answer = bring(call, cast, sent)
    assert answer.status_code == 202 and answer.json()["count"] == 2
    assert len(answer.json()["left"]) == 1 and "broken.wav" in answer.json()["left"][0]
    told = call("owner", "get", f"{cast}recordings/").json()
    assert [(one["name"], one["line"], one["by"]) for one in told["waiting"]] == [
        ("001_Pilot.wav", first, "number"), ("003_Pilot.flac", third, "number")]
    assert all(one["state"] == "ready" for one in told["waiting"]) and not told["listening"]
    assert not LineRecording.objects.exists(), "nothing is taken before somebody says so"
    chosen = [{"recording": one["id"], "line": one["line"]} for one in told["waiting"]]
    after = call("owner", "put", f"{cast}recordings/", {"recordings": chosen}).json()
    assert after["waiting"] == [] and after["recorded"] == 2
    shown = lines(call, production)
    assert [line["state"] for line in shown] == ["current", "unvoiced", "current"]
    assert [line["by_person"] for line in shown] == [True, False, True]
    assert shown[0]["rate"] == 1 and 0.8 < shown[0]["natural"] < 2 and len(shown[0]["marks"]) == 4
    kept, rate = read_sound(takes(), f"{LineRecording.objects.get(line=first).take_id}.wav")
    assert rate == 48_000 and abs(len(kept) / rate - shown[0]["natural"]) < 0.01
    # Undone in one, and done again.
    call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
    assert [line["state"] for line in lines(call, production)] == ["unvoiced"] * 3
    assert len(call("owner", "get", f"{cast}recordings/").json()["waiting"]) == 2
    call("owner", "post", f"/api/productions/{production.pk}/redo/", {})
    go_on_with_recordings(None)
    assert second not in LineRecording.objects.values_list("line", flat=True) and LineRecording.objects.count() == 2


def test_what_is_done_again_is_prepared_again(call: Call, production: Production, cast: str, django_capture_on_commit_callbacks: Any) -> None:
    path = f"{cast}lines/{ids(production)[0]}/recording/"
    call("owner", "post", path, {"file": SimpleUploadedFile("take.wav", wav(WORDS[0]))}, format="multipart")
    call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
    call("owner", "post", f"/api/productions/{production.pk}/redo/", {})
    with django_capture_on_commit_callbacks(execute=True):
        go_on_with_recordings(None)
    assert call("owner", "get", path).json()["state"] == "ready" and lines(call, production)[0]["state"] == "current"


def test_one_is_dropped_on_its_line_let_stretch_and_taken_off(call: Call, production: Production, cast: str) -> None:
    line = ids(production)[1]
    path = f"{cast}lines/{line}/recording/"
    assert call("owner", "get", path).json()["state"] == "none"
    file = SimpleUploadedFile("Wren take 4.wav", wav(WORDS[1] + " Y también el pan, y la sal, y el aceite."))
    assert call("editor", "post", path, {"file": file}, format="multipart").status_code == 202
    told = call("owner", "get", path).json()
    assert (told["state"], told["name"], told["holds"], told["by"]) == ("ready", "Wren take 4.wav", True, "editor")
    assert lines(call, production)[1]["rate"] == pytest.approx(1, abs=1e-6), "longer than its slot, and left as it is"
    assert call("owner", "patch", path, {"stretch": True}).json()["stretch"] is True
    assert lines(call, production)[1]["rate"] > 1.05
    assert call("reader", "post", path, {"file": file}, format="multipart").status_code == 403
    assert call("owner", "delete", path).status_code == 204 and lines(call, production)[1]["state"] == "unvoiced"
    call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
    assert lines(call, production)[1]["state"] == "current"


def test_its_noise_is_taken_down_where_that_is_wanted(call: Call, production: Production, cast: str) -> None:
    line = ids(production)[0]
    path = f"{cast}lines/{line}/recording/"
    samples, rate = soundfile.read(io.BytesIO(wav(WORDS[0])))
    noisy = io.BytesIO()
    soundfile.write(noisy, np.pad(samples, rate // 2) + 0.004 * np.random.default_rng(3).standard_normal(len(samples) + rate), rate, format="WAV")
    call("owner", "post", path, {"file": SimpleUploadedFile("a.wav", noisy.getvalue())}, format="multipart")

    def quietest() -> float:
        heard, _ = soundfile.read(io.BytesIO(content(call("owner", "get", f"{cast}lines/{line}/take.wav"))))
        return float(np.percentile(20 * np.log10(np.abs(heard[: len(heard) // 480 * 480]).reshape(-1, 480).mean(1) + 1e-9), 3))

    before = quietest()
    assert call("owner", "patch", path, {"cleaned": True}).json()["cleaned"] is True
    assert call("owner", "get", path).json()["state"] == "ready" and quietest() < before - 6
    call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
    assert call("owner", "get", path).json()["cleaned"] is False


def test_other_words_make_it_out_of_date_and_it_can_be_said_to_hold(call: Call, production: Production, cast: str) -> None:
    line = ids(production)[0]
    path = f"{cast}lines/{line}/recording/"
    call("owner", "post", path, {"file": SimpleUploadedFile("a.wav", wav(WORDS[0]))}, format="multipart")
    wording = Wording.objects.get(edition__language="es-MX", line=line)
    call("owner", "put", f"{cast}wordings/{line}/", {"text": "La marea, está cambiando.", "revision": wording.revision})
    assert lines(call, production)[0]["state"] == "out_of_date" and call("owner", "get", path).json()["holds"] is False
    assert call("owner", "post", f"{cast}voicings/", {"lines": [line]}).status_code == 400, "no voice takes its place"
    assert call("owner", "patch", path, {"holds": True}).json()["holds"] is True
    assert lines(call, production)[0]["state"] == "current" and call("owner", "get", path).json()["state"] == "ready"


def test_a_speaker_recorded_by_a_person_is_unvoiced_until_then_and_stops_the_hand_over(
        call: Call, production: Production, cast: str) -> None:
    pilot = Speaker.objects.get(production=production, name="Pilot")
    told = call("owner", "put", f"{cast}castings/{pilot.pk}/", {"by_person": True}).json()
    assert {one["speaker"]: one["by_person"] for one in told}[pilot.pk] is True
    call("owner", "post", f"{cast}voicings/", {})
    assert [line["state"] for line in lines(call, production)] == ["unvoiced", "current", "unvoiced"]
    assert call("owner", "get", f"/api/productions/{production.pk}/deliveries/").json()[1]["stops"] == [
        {"code": "unrecorded", "lines": [ids(production)[0], ids(production)[2]]}]
    counts = call("owner", "get", cast).json()["edition"]["counts"]
    assert (counts["unrecorded"], counts["unvoiced"]) == (2, 2)
    for number in (0, 2):
        call("owner", "post", f"{cast}lines/{ids(production)[number]}/recording/", {"file": SimpleUploadedFile("a.wav", wav(WORDS[number]))}, format="multipart")
    assert [line["state"] for line in lines(call, production)] == ["current"] * 3
    asked = call("owner", "post", f"{cast}mixes/", {}).json()
    mix = call("owner", "get", f"{cast}mixes/{asked['recipe']}/").json()
    assert mix["state"] == "ready" and -17 < mix["report"]["lufs"] < -15


def test_what_is_said_elsewhere_is_told(call: Call, production: Production, cast: str, listening: dict[str, str]) -> None:
    sound = wav(WORDS[2])
    seconds = soundfile.info(io.BytesIO(sound)).duration
    listening[f"{seconds:.1f}"] = WORDS[2]
    bring(call, cast, SimpleUploadedFile("001.wav", sound))
    [one] = call("owner", "get", f"{cast}recordings/").json()["waiting"]
    assert (one["line"], one["verdict"], one["why"], one["named"]) == (ids(production)[2], "doubtful", "said_elsewhere", ids(production)[0])
    assert one["heard"] == WORDS[2] and one["error"] == 0
    # Somebody who knows better gives it to the line that its name says: its words are told with it.
    call("owner", "put", f"{cast}recordings/", {"recordings": [{"recording": one["id"], "line": ids(production)[0]}]})
    told = call("owner", "get", f"{cast}lines/{ids(production)[0]}/recording/").json()
    assert told["faults"] == [{"code": "other_words", "said": WORDS[2]}]


def test_a_silence_fails_and_says_so(call: Call, production: Production, cast: str) -> None:
    made = io.BytesIO()
    soundfile.write(made, np.zeros(48_000), 48_000, format="WAV")
    path = f"{cast}lines/{ids(production)[0]}/recording/"
    call("owner", "post", path, {"file": SimpleUploadedFile("a.wav", made.getvalue())}, format="multipart")
    told = call("owner", "get", path).json()
    assert told["state"] == "failed" and told["faults"][0]["code"] == "unreadable" and lines(call, production)[0]["state"] == "unvoiced"


def test_what_waits_is_heard_thrown_out_and_brought_back(call: Call, production: Production, cast: str) -> None:
    bring(call, cast, SimpleUploadedFile("001.wav", wav(WORDS[0])))
    [one] = call("owner", "get", f"{cast}recordings/").json()["waiting"]
    sound = call("reader", "get", f"{cast}recordings/{one['id']}.flac")
    assert sound.status_code == 200 and b"".join(sound.streaming_content)[:4] == b"fLaC"
    assert call("stranger", "get", f"{cast}recordings/{one['id']}.flac").status_code == 404
    assert call("owner", "delete", f"{cast}recordings/?recordings={one['id']}").status_code == 204
    assert not WaitingRecording.objects.exists()
    call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
    row = WaitingRecording.objects.get()
    assert row.key not in {kept.key for _, kept in unneeded()} and media().has(row.key)


@pytest.mark.parametrize(("inside", "says"), [
    ({f"{number:03}.wav": b"RIFF" for number in range(301)}, "At most 300"),
    ({"001.wav": b"RIFF" + bytes(40_000_000)}, "times its size")])
def test_what_is_too_much_is_refused_before_any_of_it_is_unpacked(
        call: Call, cast: str, inside: dict[str, bytes], says: str, monkeypatch: pytest.MonkeyPatch) -> None:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in inside.items():
            archive.writestr(name, data)
    monkeypatch.setattr(zipfile.ZipFile, "open", lambda *_, **__: pytest.fail("unpacked"))
    answer = bring(call, cast, SimpleUploadedFile("all.zip", made.getvalue()))
    assert answer.status_code == 400 and says in answer.json()["message"]


@pytest.mark.parametrize("sent", [[], [SimpleUploadedFile("x.zip", b"PK\x03\x04no")], [SimpleUploadedFile("x.wav", b"no")]])
def test_what_is_no_recording_is_refused(call: Call, production: Production, cast: str, sent: list[SimpleUploadedFile]) -> None:
    assert bring(call, cast, *sent).status_code == 400 and not WaitingRecording.objects.exists()


def test_a_line_is_given_one_and_only_what_is_there(call: Call, production: Production, cast: str) -> None:
    bring(call, cast, SimpleUploadedFile("001.wav", wav(WORDS[0])), SimpleUploadedFile("001b.wav", wav(WORDS[0], 0.2)))
    one, other = (row["id"] for row in call("owner", "get", f"{cast}recordings/").json()["waiting"])
    line = ids(production)[0]
    for given in ([(one, line), (other, line)], [(one, 999_999)], [(999_999, line)]):
        body = {"recordings": [{"recording": recording, "line": row} for recording, row in given]}
        assert call("owner", "put", f"{cast}recordings/", body).status_code == 400
    assert not LineRecording.objects.exists()


def test_a_copy_of_the_production_has_them_too_and_another_language_has_not(call: Call, production: Production, cast: str) -> None:
    call("owner", "post", f"{cast}lines/{ids(production)[0]}/recording/", {"file": SimpleUploadedFile("a.wav", wav(WORDS[0]))}, format="multipart")
    take = LineRecording.objects.get().take
    assert take is not None and Take.objects.filter(pk=take.pk).exists()
    call("owner", "post", f"/api/productions/{production.pk}/editions/", {"language": "es-ES", "like": "es-MX"})
    assert LineRecording.objects.count() == 1


def test_the_sheet_for_the_studio_has_what_is_to_be_said(call: Call, production: Production, cast: str) -> None:
    pilot = Speaker.objects.get(production=production, name="Pilot")
    call("owner", "put", f"{cast}castings/{pilot.pk}/", {"by_person": True, "moods": [{"mood": "tired", "strength": 1}]})
    call("owner", "post", f"{cast}lexicon/", {"phrase": "marea", "kind": "alias", "said": "maréa"})
    answer = handed(call, cast, "recording-sheet.csv")
    rows = list(csv.DictReader(io.StringIO(content(answer).decode("utf-8-sig"), newline="")))
    assert [(row["number"], row["words"], row["source"], row["in"]) for row in rows] == [
        ("1", WORDS[0], "The tide is turning.", "0:01.00"), ("3", WORDS[2], "Everything waits for the tide.", "0:06.00")]
    assert rows[0]["delivery"] == "tired" and rows[0]["names"] == "marea: maréa" and rows[0]["recorded"] == ""
    assert content(handed(call, cast, "recording-sheet.pdf"))[:5] == b"%PDF-"
