"""Casting: settings by speaker and by line, matching, contrast, sheets, favourites and uses."""

from __future__ import annotations

import io
import json
from pathlib import Path
from typing import Any

import numpy as np
import openpyxl
import pytest
import soundfile
import soxr
from django.core.files.uploadedfile import SimpleUploadedFile

from janoglot.cast.recorded_speakers import recorded_key, recorded_measure, unmeasured_speakers
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Shaping, Utterance
from janoglot.core.speech.settings import SETTINGS
from janoglot.productions.models import Casting, Line, LineCasting, Production, Speaker
from tests.server.conftest import Call, edition_path, lines


def cast(call: Call, production: Production, who: str, body: dict[str, Any], language: str = "es-MX") -> Any:
    speaker = Speaker.objects.get(production=production, name=who)
    return call("editor", "put", f"{edition_path(production, language)}castings/{speaker.pk}/", body)


def voiced(call: Call, production: Production) -> list[dict[str, Any]]:
    call("owner", "post", f"{edition_path(production)}voicings/", {})
    return lines(call, production)


class TestSettings:
    @pytest.mark.parametrize("changes", [
        {"melody": 0.5}, {"pauses": 2.0}, {"brighter": 4.0}, {"breathier": 0.4}, {"younger": 1.0}, {"pace": 1.2}, {"pitch": 2.0},
    ])
    def test_each_puts_the_takes_out_of_date_and_is_undone(self, changes: dict[str, float], production: Production,
                                                           call: Call) -> None:
        for who in ("Pilot", "Cook"):
            cast(call, production, who, {"voice": "quetzal"})
        assert {line["state"] for line in voiced(call, production)} == {"current"}
        answer = cast(call, production, "Pilot", changes)
        assert answer.status_code == 200
        (name, value), = changes.items()
        assert next(c for c in answer.json() if c["settings"][name] == value)
        assert [line["state"] for line in lines(call, production)] == ["out_of_date", "current", "out_of_date"]
        call("editor", "post", f"/api/productions/{production.pk}/undo/")
        assert {line["state"] for line in lines(call, production)} == {"current"}

    @pytest.mark.parametrize("changes", [{"pace": 3}, {"younger": "x"}, {"note": "x" * 301}, {"voice": "nobody"}])
    def test_what_cannot_be_set_is_said(self, changes: dict[str, Any], production: Production, call: Call) -> None:
        cast(call, production, "Pilot", {"voice": "quetzal"})
        answer = cast(call, production, "Pilot", changes)
        assert answer.status_code == 400
        assert answer.json()["message"]

    def test_level_changes_the_mix_and_no_take(self, production: Production, call: Call) -> None:
        for who in ("Pilot", "Cook"):
            cast(call, production, who, {"voice": "quetzal"})
        voiced(call, production)
        before = call("owner", "get", edition_path(production)).json()["mix_recipe"]
        cast(call, production, "Pilot", {"level_db": 3.0, "note": "dry, sixty, from the coast"})
        after = call("owner", "get", edition_path(production)).json()
        assert {line["state"] for line in after["lines"]} == {"current"}
        assert after["mix_recipe"] != before


class TestALineOfItsOwn:
    def put(self, call: Call, production: Production, number: int, body: dict[str, Any]) -> Any:
        line = lines(call, production)[number - 1]["id"]
        return call("editor", "put", f"{edition_path(production)}lines/{line}/casting/", body)

    def test_it_follows_its_speaker_until_something_is_set(self, production: Production, call: Call) -> None:
        for who in ("Pilot", "Cook"):
            cast(call, production, who, {"voice": "quetzal"})
        voiced(call, production)
        assert self.put(call, production, 1, {"voice": "golondrina", "pace": 1.2}).status_code == 200
        found = lines(call, production)
        assert [line["state"] for line in found] == ["out_of_date", "current", "current"]
        assert (found[0]["voice"], found[0]["own"]["pace"], found[0]["own"]["pitch"]) == ("golondrina", 1.2, None)
        assert found[1]["own"] is None
        # The casting's pitch still reaches it, its pace does not.
        cast(call, production, "Pilot", {"pace": 0.9})
        assert [line["state"] for line in voiced(call, production)] == ["current"] * 3
        cast(call, production, "Pilot", {"pace": 1.0})
        assert [line["state"] for line in lines(call, production)] == ["current", "current", "current"]
        self.put(call, production, 1, {"voice": "", "pace": None})
        assert not LineCasting.objects.exists()
        assert lines(call, production)[0]["voice"] == "quetzal"
        call("editor", "post", f"/api/productions/{production.pk}/undo/")
        assert lines(call, production)[0]["voice"] == "golondrina"

    def test_a_line_in_another_language_is_no_slip(self, production: Production, call: Call) -> None:
        for who in ("Pilot", "Cook"):
            cast(call, production, who, {"voice": "quetzal"})
        self.put(call, production, 2, {"language": "pt-BR", "voice": "curlew"})
        found = lines(call, production)[1]
        assert found["own"]["language"] == "pt-BR"
        assert not found["wrong_language"]
        assert self.put(call, production, 2, {"language": "nowhere"}).status_code == 400

    def test_words_of_another_language_in_a_line(self, production: Production, call: Call) -> None:
        # A rich voice: a light one reads them as they are spelled.
        for who, voice in (("Pilot", "quetzal"), ("Cook", "teal")):
            cast(call, production, who, {"voice": voice})
        voiced(call, production)
        answer = self.put(call, production, 2, {"foreign": [{"words": " la  sopa ", "language": "English"}]})
        assert answer.json()["foreign"] == [{"words": "la sopa", "language": "en"}]
        assert [line["state"] for line in lines(call, production)] == ["current", "out_of_date", "current"]
        assert [line["state"] for line in voiced(call, production)] == ["current"] * 3
        # Words that are not in the line change nothing.
        self.put(call, production, 2, {"foreign": [{"words": "elsewhere", "language": "en"}]})
        assert [line["state"] for line in lines(call, production)] == ["current"] * 3
        self.put(call, production, 2, {"foreign": []})
        assert not LineCasting.objects.exists()
        assert self.put(call, production, 2, {"foreign": [{"words": "sopa", "language": "nowhere"}]}).status_code == 400

    def test_taking_the_line_out_and_back_keeps_it(self, production: Production, call: Call) -> None:
        cast(call, production, "Pilot", {"voice": "quetzal"})
        self.put(call, production, 1, {"pitch": 2.0})
        line = lines(call, production)[0]["id"]
        call("editor", "post", f"/api/productions/{production.pk}/script/remove/", {"lines": [line]})
        assert not LineCasting.objects.exists()
        call("editor", "post", f"/api/productions/{production.pk}/undo/")
        assert lines(call, production)[0]["own"]["pitch"] == 2.0


class TestMatching:
    def test_the_nearest_to_the_source_come_first(self, production: Production, call: Call) -> None:
        cast(call, production, "Pilot", {"voice": "curlew"}, "en-GB")
        pilot = Speaker.objects.get(name="Pilot").pk
        found = call("reader", "get", f"{edition_path(production)}castings/{pilot}/match/").json()
        distances = [row["distance"] for row in found if not row["alike"]]
        assert distances == sorted(distances)
        assert found[0]["measure"]["pitch_hz"] < 100
        assert found[-1]["measure"]["pitch_hz"] > found[0]["measure"]["pitch_hz"]
        cast(call, production, "Cook", {"voice": found[0]["voice"]})
        again = call("reader", "get", f"{edition_path(production)}castings/{pilot}/match/").json()
        assert next(row for row in again if row["voice"] == found[0]["voice"])["alike"] == ["Cook"]
        assert again[0]["voice"] != found[0]["voice"]

    def test_pairs_hard_to_tell_apart_are_named_with_a_better_choice(self, production: Production, call: Call) -> None:
        for who in ("Pilot", "Cook"):
            answer = cast(call, production, who, {"voice": "quetzal"}).json()
        assert {tuple(c["alike"]) for c in answer} == {("Cook",), ("Pilot",)}
        seen = call("reader", "get", f"{edition_path(production)}contrast/").json()
        assert len(seen["points"]) == 2
        pair, = seen["pairs"]
        assert (pair["together"], pair["alike"], pair["distance"]) == (True, True, 0.0)
        better = pair["better"]
        who = Speaker.objects.get(pk=better["speaker"]).name
        cast(call, production, who, {"voice": better["voice"]})
        pair, = call("reader", "get", f"{edition_path(production)}contrast/").json()["pairs"]
        assert not pair["alike"]
        assert pair["distance"] >= 4

    def test_who_shares_no_part_may_sound_alike(self, production: Production, call: Call) -> None:
        line = production.lines.all()[0]  # type: ignore[attr-defined]
        call("editor", "post", f"/api/productions/{production.pk}/script/parts/", {"line": line.pk + 1, "name": "Galley"})
        for who in ("Pilot", "Cook"):
            answer = cast(call, production, who, {"voice": "quetzal"}).json()
        assert [c["alike"] for c in answer] == [[], []]


class TestSheets:
    def test_out_and_in_again_in_every_format(self, production: Production, call: Call) -> None:
        cast(call, production, "Pilot", {"voice": "quetzal", "pace": 1.1, "note": "=dry, \"old\""})
        cast(call, production, "Cook", {"voice": "curlew", "accent_meant": True})
        before = list(Casting.objects.order_by("id").values("speaker_id", "edition_id", "voice", "accent_meant", "note", *SETTINGS))
        for ending in ("csv", "xlsx", "json"):
            made = call("reader", "get", f"/api/productions/{production.pk}/castings.{ending}")
            assert made.status_code == 200
            Casting.objects.all().delete()
            answer = call("editor", "post", f"/api/productions/{production.pk}/castings/",
                          {"file": SimpleUploadedFile(f"a.{ending}", made.content)}, format="multipart")
            assert (answer.json()["count"], answer.json()["problems"]) == (2, [])
            after = list(Casting.objects.order_by("id").values(
                "speaker_id", "edition_id", "voice", "accent_meant", "note", *SETTINGS))
            assert after == before, ending
        rows = json.loads(call("reader", "get", f"/api/productions/{production.pk}/castings.json").content)["castings"]
        assert rows[0]["speaker"] == "Pilot"
        book = openpyxl.load_workbook(io.BytesIO(
            call("reader", "get", f"/api/productions/{production.pk}/castings.xlsx").content))
        assert all(cell.data_type != "f" for row in book.active.iter_rows() for cell in row)
        assert call("reader", "get", f"/api/productions/{production.pk}/castings.exe").status_code == 404

    def test_what_has_no_place_is_told_by_row_and_the_rest_is_taken(self, production: Production, call: Call) -> None:
        text = "Speaker;Language;Voice;Pace\nPILOT (O.S.);es-MX;Quetzal;1,5x\nCook;es-MX;Quetzal;1.2\nStoker;es-MX;Quetzal;\nCook;xx-YY;nobody;"
        answer = call("editor", "post", f"/api/productions/{production.pk}/castings/", {"text": text}).json()
        assert answer["count"] == 1
        assert [(p["row"], p["code"]) for p in answer["problems"]] == [(2, "bad_row"), (5, "bad_row"), (4, "no_place")]
        assert Casting.objects.get().pace == 1.2

    def test_of_three_what_was_changed_on_both_sides_is_a_conflict(self, production: Production, call: Call) -> None:
        cast(call, production, "Pilot", {"voice": "quetzal"})
        cast(call, production, "Cook", {"voice": "colibri"})
        path = f"/api/productions/{production.pk}/castings/"
        out = json.loads(call("reader", "get", f"/api/productions/{production.pk}/castings.json").content)["castings"]
        for row in out:
            row["pace"] = 1.2
        cast(call, production, "Cook", {"voice": "colibri", "pace": 0.9})
        report = call("editor", "post", path, {"text": json.dumps(out), "apply": False}).json()
        assert report["count"] == 0
        assert {(row["speaker"], row["what"]) for row in report["rows"]} == {("Pilot", "changed"), ("Cook", "changed_here")}
        assert call("editor", "post", path, {"text": json.dumps(out)}).json()["count"] == 1
        assert {c.speaker.name: c.pace for c in Casting.objects.select_related("speaker")} == {"Pilot": 1.2, "Cook": 0.9}
        number = next(row["row"] for row in report["rows"] if row["speaker"] == "Cook")
        assert call("editor", "post", path, {"text": json.dumps(out), "take": str(number)}).json()["count"] == 1
        assert Casting.objects.get(speaker__name="Cook").pace == 1.2

    @pytest.mark.parametrize("text", ["speaker,words\nA,b", "{", "", "[1, 2]", "voice\ncurlew"])
    def test_no_sheet_at_all_is_one_sentence(self, text: str, production: Production, call: Call) -> None:
        answer = call("editor", "post", f"/api/productions/{production.pk}/castings/", {"text": text})
        assert answer.status_code == 400
        assert answer.json()["message"]

    def test_copied_from_another_production_by_name(self, production: Production, call: Call) -> None:
        draft = call("owner", "post", "/api/imports/", {"text": "speaker,en-GB,es-MX\npilot,Hello,Hola\nMate,Yes,Sí"}).json()["draft"]
        other = call("owner", "post", f"/api/imports/{draft}/production/", {"name": "Day Ferry"}).json()["id"]
        cast(call, production, "Pilot", {"voice": "quetzal", "pitch": -2.0})
        answer = call("owner", "post", f"/api/productions/{other}/castings/", {"production": production.pk}).json()
        assert answer["count"] == 1
        made = Casting.objects.get(edition__production_id=other)
        assert (made.speaker.name, made.voice, made.pitch) == ("pilot", "quetzal", -2.0)
        assert call("stranger", "post", f"/api/productions/{other}/castings/", {"production": production.pk}).status_code == 404
        uses = call("owner", "get", "/api/voices/quetzal/uses/").json()
        assert [(u["name"], u["language"], u["speaker"]) for u in uses] == [
            ("The Night Ferry", "es-MX", "Pilot"), ("Day Ferry", "es-MX", "pilot")]
        assert [u["name"] for u in call("reader", "get", "/api/voices/quetzal/uses/").json()] == ["The Night Ferry"]


def test_favourites_are_your_own(production: Production, call: Call) -> None:
    path = "/api/voices/favourites/"
    assert call("reader", "put", path, {"voices": ["curlew", "wren", "nobody"]}).json() == {"voices": ["curlew", "wren"]}
    assert call("reader", "put", path, {"voices": ["wren"]}).json() == {"voices": ["wren"]}
    assert call("owner", "get", path).json() == {"voices": []}
    assert call(None, "get", path).status_code == 401


def test_an_audition_is_heard_as_it_is_set(production: Production, call: Call) -> None:
    pilot = Speaker.objects.get(name="Pilot").pk
    path = f"{edition_path(production)}castings/{pilot}/audition/?voice=quetzal"
    def heard(path: str) -> Any:
        call("reader", "post", path)
        return call("reader", "get", path)

    plain = b"".join(heard(path).streaming_content)
    set_so = b"".join(heard(f"{path}&younger=1&melody=0.5").streaming_content)
    assert plain[:4] == set_so[:4] == b"RIFF"
    assert plain != set_so
    assert heard(f"{path}&pace=9").status_code == 400


def test_rights_are_said_and_a_commercial_production_is_marked(production: Production, call: Call) -> None:
    voices = {v["id"]: v for v in call("reader", "get", "/api/voices/").json()}
    for name in ("curlew", "teal"):
        assert voices[name]["commercial"] is True
        assert voices[name]["licence"]
        assert voices[name]["licence_at"]
    assert Path(voices["curlew"]["licence_at"]).read_text(errors="replace").count("GPL") > 0
    path = f"/api/productions/{production.pk}/"
    assert call("reader", "patch", path, {"commercial": True}).status_code == 403
    assert call("owner", "patch", path, {"commercial": True}).json()["commercial"] is True
    call("owner", "post", f"{path}undo/")
    assert call("owner", "get", path).json()["commercial"] is False


class TestRecordedSpeakers:
    def test_voices_are_matched_to_how_the_speaker_sounds_in_the_recording(self, production: Production, call: Call) -> None:
        """Two voices speak a recording, a high one for who is cast low: the recording is what counts."""
        pilot, cook = Speaker.objects.get(name="Pilot"), Speaker.objects.get(name="Cook")
        rate, at, pieces = 24_000, 0, []
        for line in Line.objects.filter(production=production).order_by("position"):
            voice = voice_named("stonechat" if line.speaker_id == pilot.pk else "cormorant")
            words = "The old clock stands at the end of the harbour wall, and nobody winds it."
            sound = engine_named("formant").speak(Utterance(
                words, "gmw/en", Shaping(voice.shaping.pitch_hz, tract=voice.shaping.tract), language="en-GB"))
            samples = soxr.resample(sound.samples, sound.rate, rate)
            seconds = len(samples) / rate
            Line.objects.filter(pk=line.pk).update(start_ms=round(1000 * at), end_ms=round(1000 * (at + seconds)))
            pieces.append(samples)
            at += seconds
        out = io.BytesIO()
        soundfile.write(out, np.concatenate(pieces), rate, format="WAV")
        call("editor", "post", f"/api/productions/{production.pk}/media/",
             {"file": SimpleUploadedFile("source.wav", out.getvalue())}, format="multipart")
        cast(call, production, "Pilot", {"voice": "curlew"}, "en-GB")
        path = f"{edition_path(production)}castings/{pilot.pk}/match/"
        before = call("reader", "get", path).json()
        assert before[0]["nearest_to"] == "voice"
        assert call("reader", "post", f"{edition_path(production)}measures/").status_code in (202, 204)
        after = call("reader", "get", path).json()
        assert after[0]["nearest_to"] == "recording"
        assert after[0]["measure"]["pitch_hz"] > 1.5 * before[0]["measure"]["pitch_hz"]
        # Casting goes by it, too.
        Casting.objects.all().delete()
        call("editor", "post", f"{edition_path(production)}castings/")
        chosen = {c.speaker_id: voice_named(c.voice).shaping.pitch_hz for c in Casting.objects.all()}
        assert chosen[pilot.pk] > 1.3 * chosen[cook.pk]

    def test_without_a_recording_nothing_is_measured_of_anybody(self, production: Production) -> None:
        pilot = Speaker.objects.get(name="Pilot")
        assert recorded_key(pilot) is None and recorded_measure(pilot) is None
        assert unmeasured_speakers(production) == []


class TestWhomToCastWhereNoRichVoiceIsAtHome:
    """German: rich voices speak it with an accent, its natives are light."""

    @pytest.fixture
    def german(self, production: Production, call: Call) -> Production:
        call("owner", "post", f"/api/productions/{production.pk}/editions/", {"language": "de-DE"})
        call("editor", "post", f"{edition_path(production, 'de-DE')}castings/")
        return production

    def homes(self, call: Call, production: Production, who: str = "editor", **body: Any) -> Any:
        return call(who, "put" if body else "get", f"{edition_path(production, 'de-DE')}homes/", body or None)

    def engines(self, production: Production) -> set[str]:
        return {voice_named(row.voice).engine for row in Casting.objects.filter(edition__production=production, edition__language="de-DE")}

    def test_it_is_said_what_accent_they_have_and_how_they_are_understood(self, german: Production, call: Call) -> None:
        told = self.homes(call, german, "reader").json()
        assert (told["asked"], told["cast_from"], told["chosen"]) == (True, "rich", False)
        assert told["strangers"]["count"] == Casting.objects.filter(edition__language="de-DE").count() == 2
        assert set(told["strangers"]["homes"]) <= {"Italian", "Hindi"}
        assert told["strangers"]["heard"]["understood"] > 0.9
        assert told["natives"] >= 10
        assert told["rich"] >= 6

    def test_natives_are_one_choice_that_is_remembered_and_undone(self, german: Production, call: Call) -> None:
        before = dict(Casting.objects.filter(edition__language="de-DE").values_list("speaker", "voice"))
        told = self.homes(call, german, cast_from="natives").json()
        assert (told["strangers"]["count"], told["light"], told["cast_from"], told["chosen"]) == (0, 2, "natives", True)
        assert self.engines(german) == {"formant"}
        # Whoever is cast after that is cast so too.
        Casting.objects.filter(edition__language="de-DE").first().delete()  # type: ignore[union-attr]
        call("editor", "post", f"{edition_path(german, 'de-DE')}castings/")
        assert self.engines(german) == {"formant"}
        call("editor", "post", f"/api/productions/{german.pk}/undo/")
        Casting.objects.filter(edition__language="de-DE").delete()
        german.refresh_from_db()
        assert german.cast_from == "natives"
        assert before

    def test_undoing_it_gives_back_the_voices_and_the_choice(self, german: Production, call: Call) -> None:
        before = dict(Casting.objects.filter(edition__language="de-DE").values_list("speaker", "voice"))
        self.homes(call, german, cast_from="natives")
        assert call("editor", "post", f"/api/productions/{german.pk}/undo/").status_code == 200
        assert dict(Casting.objects.filter(edition__language="de-DE").values_list("speaker", "voice")) == before
        german.refresh_from_db()
        assert german.cast_from == ""

    def test_what_is_meant_stays(self, german: Production, call: Call) -> None:
        meant = Casting.objects.filter(edition__language="de-DE").first()
        assert meant is not None
        Casting.objects.filter(pk=meant.pk).update(accent_meant=True)
        self.homes(call, german, cast_from="natives")
        assert Casting.objects.get(pk=meant.pk).voice == meant.voice
        assert self.homes(call, german).json()["strangers"]["count"] == 1

    def test_where_natives_are_rich_there_is_nothing_to_choose(self, production: Production, call: Call) -> None:
        path = f"{edition_path(production, 'es-MX')}homes/"
        assert call("reader", "get", path).json()["asked"] is False
        assert call("editor", "put", path, {"cast_from": "natives"}).status_code == 400

    def test_a_reader_chooses_nothing(self, german: Production, call: Call) -> None:
        assert self.homes(call, german, "reader", cast_from="natives").status_code == 403
