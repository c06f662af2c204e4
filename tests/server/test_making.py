"""Casting, voicing, mixing and handing over."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path
from typing import Any

import pytest
import soundfile

from janoglot.direct import tasks
from janoglot.productions.jobs import do_piece, go_on_with_jobs
from janoglot.productions.models import Job, Production, Speaker, Take, Wording
from janoglot.server import storage
from tests.server.conftest import Call, content, edition_path, handed, lines


@pytest.fixture
def made(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The words of every take that is really made, in order."""
    words: list[str] = []
    real = tasks.make_take

    def noted(recipe: Any, store: Any) -> Any:
        words.append(recipe.words)
        return real(recipe, store)

    monkeypatch.setattr(tasks, "make_take", noted)
    return words


def cast_and_voice(call: Call, production: Production, language: str = "es-MX") -> str:
    path = edition_path(production, language)
    call("owner", "post", f"{path}castings/", {})
    assert call("owner", "post", f"{path}voicings/", {}).status_code == 202
    return path


class TestCasting:
    def test_the_rest_get_voices_and_nobodys_is_changed(self, production: Production, call: Call) -> None:
        pilot, cook = Speaker.objects.filter(production=production)
        path = f"{edition_path(production)}castings/"
        call("owner", "put", f"{path}{pilot.pk}/", {"voice": "curlew", "pace": 1.1})
        found = {c["speaker"]: c for c in call("editor", "post", path, {}).json()}
        assert found[pilot.pk]["voice"]["id"] == "curlew"
        assert found[pilot.pk]["wrong_language"]
        assert found[cook.pk]["voice"]["native"]
        after = {c["speaker"]: c for c in call("owner", "put", f"{path}{pilot.pk}/", {"accent_meant": True}).json()}
        assert not after[pilot.pk]["wrong_language"]
        assert after[pilot.pk]["settings"]["pace"] == 1.1
        again = {c["speaker"]: c for c in call("owner", "put", f"{path}{pilot.pk}/", {"voice": "avocet"}).json()}
        assert again[pilot.pk]["wrong_language"]

    def test_two_who_sound_alike_are_named(self, production: Production, call: Call) -> None:
        path = f"{edition_path(production)}castings/"
        for speaker in Speaker.objects.filter(production=production):
            found = call("owner", "put", f"{path}{speaker.pk}/", {"voice": "quetzal"}).json()
        assert [c["alike"] for c in found] == [["Cook"], ["Pilot"]]

    @pytest.mark.parametrize("body", [{"voice": "nobody"}, {"pace": 9}, {"pitch": "high"}, {"pace": 1.1}])
    def test_what_cannot_be_is_refused(self, body: Any, production: Production, call: Call) -> None:
        speaker = Speaker.objects.filter(production=production).first()
        answer = call("owner", "put", f"{edition_path(production)}castings/{speaker.pk}/", body)
        assert answer.status_code == 400

    def test_an_audition_says_this_speakers_own_line(self, production: Production, call: Call) -> None:
        cook = Speaker.objects.get(production=production, name="Cook")
        path = f"{edition_path(production)}castings/{cook.pk}/"
        assert call("reader", "get", f"{path}sample/").json()["text"] == "Entonces la sopa debe esperar."
        assert call("reader", "get", f"{path}audition/?voice=quetzal").status_code == 404
        asked = call("reader", "post", f"{path}audition/?voice=quetzal").json()
        assert asked == {"finished": True, "sketched": False, "fault": ""}
        answer = call("reader", "get", f"{path}audition/?voice=quetzal")
        samples, rate = soundfile.read(io.BytesIO(b"".join(answer.streaming_content)))
        assert 1 < len(samples) / rate < 4
        # Words in no edition but the source: those are said.
        french = edition_path(production, "fr-FR")
        assert call("reader", "get", f"{french}castings/{cook.pk}/sample/").json()["text"] == "Then the soup must wait."
        assert call("reader", "get", f"{path}audition/?voice=quetzal&pace=x").status_code == 400


class TestVoicing:
    def test_only_what_changed_is_made_again(self, production: Production, call: Call, made: list[str]) -> None:
        path = cast_and_voice(call, production)
        assert len(made) == 3
        assert {x["state"] for x in lines(call, production)} == {"current"}
        assert call("owner", "post", f"{path}voicings/", {}).status_code == 400
        line = lines(call, production)[1]
        call("owner", "put", f"{path}wordings/{line['id']}/", {"text": "La sopa espera.", "revision": line["revision"]})
        assert [x["state"] for x in lines(call, production)] == ["current", "out_of_date", "current"]
        call("owner", "post", f"{path}voicings/", {})
        assert made[3:] == ["La sopa espera."]
        pilot = Speaker.objects.get(production=production, name="Pilot")
        call("owner", "put", f"{path}castings/{pilot.pk}/", {"pitch": 2})
        assert [x["state"] for x in lines(call, production)] == ["out_of_date", "current", "out_of_date"]
        call("owner", "put", f"{path}castings/{pilot.pk}/", {"level_db": 3})
        call("owner", "post", f"{path}voicings/", {"lines": [lines(call, production)[0]["id"]]})
        assert len(made) == 5
        assert [x["state"] for x in lines(call, production)] == ["current", "current", "out_of_date"]

    def test_undoing_a_change_brings_the_old_take_back_without_making_it(self, production: Production, call: Call,
                                                                        made: list[str]) -> None:
        path = cast_and_voice(call, production)
        line = lines(call, production)[0]
        call("owner", "put", f"{path}wordings/{line['id']}/", {"text": "Otra cosa.", "revision": line["revision"]})
        call("owner", "post", f"{path}voicings/", {})
        call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
        assert {x["state"] for x in lines(call, production)} == {"current"}
        assert len(made) == 4

    def test_progress_stop_and_going_on(self, production: Production, call: Call, made: list[str],
                                        monkeypatch: pytest.MonkeyPatch) -> None:
        path = edition_path(production)
        call("owner", "post", f"{path}castings/", {})
        monkeypatch.setattr(do_piece, "apply_async", lambda *_, **__: None)
        job = call("owner", "post", f"{path}voicings/", {}).json()
        assert (job["state"], job["done"], job["total"]) == ("running", 0, 3)
        Job.objects.filter(pk=job["id"]).update(piece_size=1)
        do_piece(job["id"], 0)
        half = call("reader", "get", f"/api/jobs/{job['id']}/").json()
        assert (half["done"], half["state"]) == (1, "running")
        assert half["seconds_left"] is not None
        stopped = call("editor", "delete", f"/api/jobs/{job['id']}/").json()
        assert (stopped["state"], stopped["done"]) == ("stopped", 1)
        do_piece(job["id"], 1)
        assert len(made) == 1
        monkeypatch.undo()
        call("owner", "post", f"{path}voicings/", {})
        assert {x["state"] for x in lines(call, production)} == {"current"}
        assert Take.objects.count() == 3

    def test_a_job_that_was_cut_off_goes_on_and_makes_nothing_twice(self, production: Production, call: Call,
                                                                   made: list[str],
                                                                   monkeypatch: pytest.MonkeyPatch) -> None:
        path = edition_path(production)
        call("owner", "post", f"{path}castings/", {})
        with monkeypatch.context() as patch:
            patch.setattr(do_piece, "apply_async", lambda *_, **__: None)
            job = call("owner", "post", f"{path}voicings/", {}).json()
        Job.objects.filter(pk=job["id"]).update(piece_size=2)
        do_piece(job["id"], 0)
        go_on_with_jobs()
        assert call("reader", "get", f"/api/jobs/{job['id']}/").json()["state"] == "done"
        assert sorted(made) == sorted(set(made))
        assert len(made) == 3

    def test_words_that_cannot_be_said_are_named_and_the_rest_is_done(self, production: Production, call: Call) -> None:
        wording = Wording.objects.filter(edition__language="es-MX", edition__production=production).order_by("line__position")[1]
        wording.text = "…"
        wording.save()
        path = edition_path(production)
        call("owner", "post", f"{path}castings/", {})
        job = call("owner", "post", f"{path}voicings/", {}).json()
        after = call("owner", "get", f"/api/jobs/{job['id']}/").json()
        assert after["state"] == "done"
        assert [(f["number"], "“…” holds nothing" in f["message"]) for f in after["faults"]] == [(2, True)]
        assert [x["state"] for x in lines(call, production)] == ["current", "unvoiced", "current"]

    def test_without_voices_it_says_what_to_do_first(self, production: Production, call: Call) -> None:
        answer = call("owner", "post", f"{edition_path(production)}voicings/", {})
        assert answer.status_code == 400
        assert "Cast them first" in answer.json()["message"]

    def test_word_marks_follow_the_rate(self, production: Production, call: Call) -> None:
        cast_and_voice(call, production)
        for line in lines(call, production):
            assert len(line["marks"]) >= 3
            assert line["marks"][-1][1] == pytest.approx(line["seconds"], abs=0.08)
            start, _, at, length = line["marks"][1]
            assert 0 < start < line["seconds"]
            assert not line["words"][int(at): int(at + length)].startswith(" ")


class TestMixingAndHandingOver:
    def test_a_mix_is_made_once_for_each_state_and_seeks(self, production: Production, call: Call) -> None:
        path = cast_and_voice(call, production)
        assert call("reader", "get", f"{path}mixes/").json()["state"] == "absent"
        recipe = call("reader", "post", f"{path}mixes/", {}).json()["recipe"]
        mix = call("reader", "get", f"{path}mixes/").json()
        assert (mix["recipe"], mix["state"]) == (recipe, "ready")
        assert mix["report"]["lufs"] == pytest.approx(-16, abs=0.2)
        assert mix["report"]["seconds"] >= 8.0
        place = storage.mixes().path(f"{recipe}.mix")
        stamp = place.stat().st_mtime_ns
        assert call("reader", "post", f"{path}mixes/", {}).json()["state"] == "ready"
        assert place.stat().st_mtime_ns == stamp
        sound = f"{path}mixes/{recipe}/sound.wav"
        whole = b"".join(call("reader", "get", sound).streaming_content)
        part = call("reader", "get", sound, headers={"Range": "bytes=1000-1999"})
        assert part.status_code == 206
        assert b"".join(part.streaming_content) == whole[1000:2000]
        assert part["Content-Range"] == f"bytes 1000-1999/{len(whole)}"
        tail = call("reader", "get", sound, headers={"Range": "bytes=-10"})
        assert b"".join(tail.streaming_content) == whole[-10:]
        assert call("reader", "get", sound, headers={"Range": f"bytes={len(whole)}-"}).status_code == 416
        assert call("reader", "get", sound, headers={"If-None-Match": f'"{recipe}"'}).status_code == 304

    def test_a_level_or_the_target_makes_another_mix_and_no_take(self, production: Production, call: Call,
                                                                made: list[str]) -> None:
        path = cast_and_voice(call, production)
        recipes = {call("owner", "post", f"{path}mixes/", {}).json()["recipe"]}
        pilot = Speaker.objects.get(production=production, name="Pilot")
        call("owner", "put", f"{path}castings/{pilot.pk}/", {"level_db": -3})
        recipes.add(call("owner", "post", f"{path}mixes/", {}).json()["recipe"])
        call("owner", "patch", f"/api/productions/{production.pk}/", {"target_lufs": -23})
        recipes.add(call("owner", "post", f"{path}mixes/", {}).json()["recipe"])
        assert len(recipes) == 3
        assert len(made) == 3
        assert call("owner", "get", f"{path}mixes/").json()["report"]["lufs"] == pytest.approx(-23, abs=0.2)

    def test_a_copy_keeps_what_it_shares(self, production: Production, call: Call) -> None:
        """Its mix is of the same blocks but for one, and stays whole when the other one's goes."""
        path = cast_and_voice(call, production)
        # Long enough for two blocks; in the copy the last line lies a little later, so that the first block is the same.
        last = lines(call, production)[-1]["id"]
        assert call("owner", "patch", f"/api/lines/{last}/", {"start": 16.0, "end": 18.0}).status_code < 300
        copy = call("owner", "post", f"/api/productions/{production.pk}/duplicate/", {"name": "Copy"}).json()["id"]
        theirs = edition_path(Production.objects.get(pk=copy))
        last = lines(call, Production.objects.get(pk=copy))[-1]["id"]
        assert call("owner", "patch", f"/api/lines/{last}/", {"start": 17.0, "end": 19.0}).status_code < 300
        call("owner", "post", f"{theirs}mixes/", {})
        call("owner", "post", f"{path}mixes/", {})
        for target in (-17, -18, -19, -21, -22):
            call("owner", "patch", f"/api/productions/{production.pk}/", {"target_lufs": target})
            # As loud as the whole is wanted, but otherwise: each has blocks of its own.
            pilot = Speaker.objects.get(production=production, name="Pilot")
            call("owner", "put", f"{path}castings/{pilot.pk}/", {"level_db": target + 20})
            assert call("owner", "post", f"{path}mixes/", {}).status_code == 202
        recipe = call("owner", "get", f"{theirs}mixes/").json()["recipe"]
        sound = call("owner", "get", f"{theirs}mixes/{recipe}/sound.wav")
        assert sound.status_code == 200
        assert len(content(sound)) == int(sound["Content-Length"]) > 16 * 48_000 * 3

    def test_nothing_out_of_date_is_handed_over(self, production: Production, call: Call) -> None:
        path = cast_and_voice(call, production)
        line = lines(call, production)[0]
        call("owner", "put", f"{path}wordings/{line['id']}/", {"text": "Cambia.", "revision": line["revision"]})
        call("owner", "post", f"{path}mixes/", {})
        for file in ("mix.wav", "clips.zip", "captions.srt"):
            answer = handed(call, path, file)
            assert answer.status_code == 400
            assert "1 line has changed" in answer.json()["message"]
        row = next(r for r in call("owner", "get", f"/api/productions/{production.pk}/deliveries/").json()
                   if r["language"] == "es-MX")
        assert row["stops"] == [{"code": "out_of_date", "lines": [line["id"]]}]

    def test_everything_is_handed_over_and_is_what_it_says(self, production: Production, call: Call, tmp_path: Path) -> None:
        path = cast_and_voice(call, production)
        call("owner", "post", f"{path}voicings/", {"kind": "finish"})
        assert "not made yet" in handed(call, path, "mix.wav").json()["message"]
        call("owner", "post", f"{path}mixes/", {})
        told = call("owner", "post", f"{path}files/", {"file": "mix.wav"}).json()
        # Asked whether it can be had: its length and its name, and nothing of it.
        asked = call("owner", "head", f"/api/productions/{production.pk}/files/{told['id']}/content")
        assert asked.status_code == 200 and int(asked["Content-Length"]) > 100_000
        assert asked["Content-Disposition"].startswith("attachment")
        for file, subtype in (("mix.wav", "PCM_24"), ("mix.mp3", "MPEG_LAYER_III")):
            answer = handed(call, path, file, who="reader")
            assert f"The-Night-Ferry_es-MX.{file[4:]}" in answer["Content-Disposition"]
            place = tmp_path / file
            place.write_bytes(b"".join(answer.streaming_content))
            info = soundfile.info(place)
            assert (info.subtype, info.samplerate) == (subtype, 48_000)
        archive = zipfile.ZipFile(io.BytesIO(content(handed(call, path, "clips.zip", who="reader"))))
        assert archive.namelist() == ["001_Pilot_es-MX.wav", "002_Cook_es-MX.wav", "003_Pilot_es-MX.wav"]
        placed = lines(call, production)
        for name, line in zip(archive.namelist(), placed, strict=True):
            assert soundfile.info(io.BytesIO(archive.read(name))).duration == pytest.approx(line["seconds"], abs=0.026)
        captions = content(handed(call, path, "captions.vtt", who="reader")).decode()
        assert captions.startswith("WEBVTT")
        assert "00:00:01.000 --> " in captions
        assert handed(call, path, "other.bin", who="reader").status_code == 400

    def test_an_edition_with_gaps_is_handed_over_with_its_words(self, production: Production, call: Call) -> None:
        path = cast_and_voice(call, production, "fr-FR")
        call("owner", "post", f"{path}mixes/", {})
        assert content(handed(call, path, "captions.srt")).decode().count("-->") == 2
        row = next(r for r in call("owner", "get", f"/api/productions/{production.pk}/deliveries/").json()
                   if r["language"] == "fr-FR")
        assert (row["stops"], row["mix_ready"], row["empty"]) == ([], True, 1)

    def test_nothing_voiced_is_nothing_to_mix(self, production: Production, call: Call) -> None:
        answer = call("owner", "post", f"{edition_path(production)}mixes/", {})
        assert answer.status_code == 400
        assert answer.json()["code"] == "nothing_to_mix"
