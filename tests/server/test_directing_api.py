"""Direct's interface for programs: moods, part directions, the lexicon, auditions, SSML."""

from __future__ import annotations

import io
import threading
from concurrent.futures import ThreadPoolExecutor
from xml.etree import ElementTree

import numpy as np
import pytest
import soundfile
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection

from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Delivery
from janoglot.core.speech.moods import level_of
from janoglot.core.speech.settings import VoiceSettings
from janoglot.core.speech.source_stress import StressedWord
from janoglot.core.speech.takes import TakeRecipe
from janoglot.direct import stress_finding
from janoglot.direct.actions.set_direction import set_direction
from janoglot.productions.models import (
    GuideRead,
    LexiconEntry,
    Line,
    LineDirection,
    Media,
    PartDirection,
    Production,
    SoundWorld,
    Speaker,
    Wording,
)
from janoglot.server.storage import media
from tests.server.conftest import Call, edition_path

SSML = "{http://www.w3.org/2001/10/synthesis}"


@pytest.fixture
def cast(production: Production, call: Call) -> str:
    """The path of an edition with light voices, whose words are there."""
    path = edition_path(production)
    for speaker, voice in zip(Speaker.objects.filter(production=production), ("azor", "abubilla"), strict=False):
        call("owner", "put", f"{path}castings/{speaker.pk}/", {"voice": voice})
    return path


def ids(production: Production) -> list[int]:
    return list(Line.objects.filter(production=production).values_list("id", flat=True))


class TestDirections:
    """Of a script that is brought in."""

    TEXT = "Imka: (on the phone, angrily) It is loose. (beat) It always was.\nOda: (to Imka) Look."

    def brought(self, call: Call, **hints: bool) -> Production:
        draft = call("owner", "post", "/api/imports/", {"text": self.TEXT}).json()
        assert {(one["kind"], one["what"], one["lines"]) for one in draft["directed"]} == {
            ("room", "telephone", 1), ("mood", "angry", 1), ("pause", "pause", 1)}
        told = call("owner", "patch", f"/api/imports/{draft['draft']}/", hints).json()
        assert told["directing"] is hints.get("directing", True)
        return Production.objects.get(pk=call("owner", "post", f"/api/imports/{draft['draft']}/production/", {"name": "Loft"}).json()["id"])

    def test_lines_are_directed_by_what_was_understood(self, call: Call, production: Production) -> None:
        made = self.brought(call)
        first, _ = ids(made)
        row = LineDirection.objects.get(line__production=made)
        assert (row.line_id, row.moods, [(one["kind"], one["word"]) for one in row.marks]) == (first, [["angry", 1.0]], [("pause", 3)])
        plan = SoundWorld.objects.get(production=made).plan
        assert [(place["room"], place["line"]) for place in plan["places"]] == [("telephone", f"#{first}")]

    def test_none_is_where_that_is_turned_off(self, call: Call, production: Production) -> None:
        made = self.brought(call, directing=False)
        assert not LineDirection.objects.filter(line__production=made).exists()
        assert not SoundWorld.objects.filter(production=made).exists()
        assert Line.objects.filter(production=made).first().notes == "on the phone, angrily; beat"  # type: ignore[union-attr]


    def test_an_edition_that_is_added_is_directed_as_the_source_is(self, call: Call, production: Production) -> None:
        made = self.brought(call)
        first, _ = ids(made)
        assert call("owner", "post", f"/api/productions/{made.pk}/editions/", {"language": "it"}).status_code == 201
        row = LineDirection.objects.get(edition__language="it", edition__production=made)
        assert (row.line_id, row.moods, row.marks) == (first, [["angry", 1.0]], []), "its words have marks of their own"
        call("owner", "post", f"/api/productions/{made.pk}/undo/", {})
        assert not LineDirection.objects.filter(edition__language="it").exists()


class TestMoods:
    def test_plain_words_are_understood(self, call: Call, production: Production) -> None:
        told = call("owner", "get", "/api/moods/?told=very tired, and crispy, slow at the end").json()
        assert told["moods"] == [{"mood": "tired", "strength": 1.4}]
        assert told["dials"] == [{"kind": "pace", "amount": 0.85, "place": "end"}] and told["missed"] == ["crispy"]
        assert len(told["names"]) == 20

    def test_lines_a_part_and_a_speaker_over_one_another(self, call: Call, production: Production, cast: str) -> None:
        first, second = ids(production)[:2]
        line = Line.objects.get(pk=first)
        call("owner", "put", f"{cast}moods/", {"lines": [first, second], "moods": [{"mood": "sad", "strength": 1.2}]})
        call("owner", "put", f"{cast}castings/{line.speaker_id}/", {"moods": [{"mood": "dry", "strength": 0.5}]})
        path = f"{cast}parts/{line.part_id}/speakers/{line.speaker_id}/direction/"
        assert call("owner", "put", path, {"moods": [{"mood": "sad", "strength": 0.2}], "settings": {"softer": 0.5}}).status_code == 200
        assert call("owner", "get", path).json() == {"settings": {"softer": 0.5}, "moods": [{"mood": "sad", "strength": 0.2}]}
        told = call("owner", "get", f"{cast}lines/{first}/direction/").json()
        assert told["moods"] == [{"mood": "sad", "strength": 1.2}] and told["beneath"] == [{"mood": "dry", "strength": 0.5}]
        shown = call("owner", "get", cast).json()["lines"][0]["directed"]
        assert shown == {"marks": 0, "moods": [{"mood": "dry", "strength": 0.5}, {"mood": "sad", "strength": 1.2}], "reading": 0, "guided": False}
        call("owner", "put", path, {"moods": [], "settings": {"softer": None}})
        assert not PartDirection.objects.exists()

    def test_undo_takes_moods_of_all_lines_back(self, call: Call, production: Production, cast: str) -> None:
        call("owner", "put", f"{cast}moods/", {"lines": ids(production), "moods": [{"mood": "sad"}]})
        assert LineDirection.objects.count() == len(ids(production))
        call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
        assert not LineDirection.objects.exists()

    @pytest.mark.parametrize("moods", [[{"mood": "grumpy"}], [{"mood": "sad", "strength": 9}], "x"])
    def test_what_is_none_is_refused(self, call: Call, production: Production, cast: str, moods: object) -> None:
        assert call("owner", "put", f"{cast}moods/", {"lines": ids(production), "moods": moods}).status_code == 400

    def test_ending_a_part_takes_what_is_directed_in_it_along_and_undo_brings_it_back(
            self, call: Call, production: Production, cast: str) -> None:
        line = Line.objects.filter(production=production, part__isnull=False).last()
        assert line is not None
        call("owner", "put", f"{cast}parts/{line.part_id}/speakers/{line.speaker_id}/direction/", {"moods": [{"mood": "sad"}]})
        assert call("owner", "delete", f"/api/parts/{line.part_id}/").status_code < 300
        assert not PartDirection.objects.exists()
        call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
        assert PartDirection.objects.count() == 1


class TestTakes:
    def test_readings_are_kept_named_chosen_thrown_away_and_brought_back(self, call: Call, production: Production, cast: str) -> None:
        path = f"{cast}lines/{ids(production)[0]}/direction/"
        call("owner", "put", path, {"takes": [{"number": 1}, {"number": 2}, {"number": 3}]})
        call("owner", "put", path, {"variant": 2, "names": {"2": "dry one"}})
        told = call("owner", "put", path, {"takes": [{"number": 1, "thrown": True}, {"number": 2}, {"number": 3}]}).json()
        assert [(one["number"], one["kept"], one["thrown"], one["chosen"], one["name"]) for one in told["takes"]] == [
            (0, False, False, False, ""), (1, True, True, False, ""), (2, True, False, True, "dry one"), (3, True, False, False, "")]
        call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
        assert call("owner", "get", path).status_code == 200

    def test_a_chosen_reading_stays_chosen_when_words_change(self, call: Call, production: Production, cast: str) -> None:
        line = ids(production)[0]
        call("owner", "put", f"{cast}lines/{line}/direction/", {"variant": 2})
        call("owner", "post", f"{cast}voicings/", {"lines": [line]})
        wording = Wording.objects.get(line=line, edition__language="es-MX")
        call("owner", "put", f"{cast}wordings/{line}/", {"text": wording.text + " Otra vez.", "revision": wording.revision})
        row = call("owner", "get", cast).json()["lines"][0]
        assert row["state"] == "out_of_date" and row["directed"]["reading"] == 2


class TestLexicon:
    def test_only_lines_that_an_entry_touches_go_out_of_date(self, call: Call, production: Production, cast: str) -> None:
        call("owner", "post", f"{cast}voicings/", {})
        before = call("owner", "get", cast).json()
        assert {row["state"] for row in before["lines"]} == {"current"}
        told = call("owner", "post", f"{cast}lexicon/", {"phrase": "sopa", "kind": "alias", "said": "zopa"}).json()
        touched = [row["id"] for row in before["lines"] if "sopa" in row["words"]]
        assert touched and told["entries"][0]["lines"] == touched
        now = call("owner", "get", cast).json()["lines"]
        assert [row["id"] for row in now if row["state"] == "out_of_date"] == touched
        entry = told["entries"][0]["id"]
        call("owner", "delete", f"{cast}lexicon/{entry}/")
        assert {row["state"] for row in call("owner", "get", cast).json()["lines"]} == {"current"}

    def test_in_and_out_as_pls_and_csv(self, call: Call, production: Production, cast: str) -> None:
        call("owner", "post", f"{cast}lexicon/", {"phrase": "Imka", "kind": "ipa", "said": "ˈimka", "note": "a name"})
        call("owner", "post", f"{cast}lexicon/", {"phrase": "R.N.L.I", "kind": "characters", "exact": True})
        for layout in ("pls", "csv"):
            data = call("owner", "get", f"{cast}lexicon.{layout}").content
            LexiconEntry.objects.all().delete()
            answer = call("owner", "post", f"{cast}lexicon/brought/", {"file": SimpleUploadedFile(f"a.{layout}", data)}, format="multipart")
            assert answer.json() == {"count": 2, "left": []}, layout
        assert {(one.phrase, one.kind, one.said, one.exact) for one in LexiconEntry.objects.all()} == {
            ("Imka", "ipa", "ˈimka", False), ("R.N.L.I", "characters", "", True)}
        assert call("owner", "get", f"{cast}lexicon.exe").status_code == 404

    def test_what_is_shared_holds_in_all_that_its_maker_has(self, call: Call, production: Production, cast: str) -> None:
        told = call("owner", "post", f"{cast}lexicon/", {"phrase": "sopa", "kind": "alias", "said": "zopa", "shared": True}).json()
        assert told["entries"][0]["shared"] and LexiconEntry.objects.get().production is None
        assert call("editor", "post", f"{cast}lexicon/", {"phrase": "pan", "kind": "alias", "said": "x", "shared": True}).status_code == 400

    def test_names_that_stand_often_are_proposed_and_conflicts_told(self, call: Call, production: Production, cast: str) -> None:
        call("owner", "post", f"{cast}lexicon/", {"phrase": "Kirrin", "kind": "alias", "said": "a"})
        told = call("owner", "post", f"{cast}lexicon/", {"phrase": "Kirrin", "kind": "alias", "said": "b", "case_matters": True}).json()
        assert [one["against"] for one in told["entries"]].count("") == 1

    def test_the_sounds_of_the_language(self, call: Call, production: Production, cast: str) -> None:
        sounds = call("owner", "get", f"{cast}sounds/").json()
        assert {"a", "s"} <= {one["ipa"] for one in sounds}
        assert call("owner", "get", f"{cast}sounds/check/?ipa=ǃa").json() == {"unknown": ["ǃ"]}


class TestAudition:
    def test_a_line_is_heard_before_it_is_a_take(self, call: Call, production: Production, cast: str) -> None:
        line = ids(production)[0]
        told = call("owner", "post", f"{cast}lines/{line}/audition/", {}).json()
        told = call("owner", "post", f"{cast}lines/{line}/audition/", {}).json() if not told["finished"] else told
        assert told["finished"] and not told["fault"]
        answer = call("owner", "get", f"{cast}heard/{told['finished']}")
        assert answer.status_code == 200
        assert call("stranger", "get", f"{cast}heard/{told['finished']}").status_code == 404
        assert call("owner", "get", f"{cast}heard/{'0' * 40}.wav").status_code == 404

    def test_other_words_in_the_line_s_voice(self, call: Call, production: Production, cast: str) -> None:
        line = ids(production)[0]
        body = {"words": "Imka", "marks": [{"kind": "ipa", "word": 0, "said": "ˈimka"}]}
        call("owner", "post", f"{cast}lines/{line}/audition/", body)
        assert call("owner", "post", f"{cast}lines/{line}/audition/", body).json()["finished"]

    def test_without_a_voice_it_is_said(self, call: Call, production: Production) -> None:
        path = edition_path(production)
        assert call("owner", "post", f"{path}lines/{ids(production)[0]}/audition/", {}).status_code == 400


class TestSsml:
    def test_out_edited_by_an_xml_library_and_in_again(self, call: Call, production: Production, cast: str) -> None:
        line = ids(production)[0]
        call("owner", "put", f"{cast}lines/{line}/direction/", {"marks": [{"kind": "pace", "word": 0, "amount": 0.8}]})
        text = call("owner", "get", f"{cast}ssml/").content.decode()
        root = ElementTree.fromstring(text)
        sentences = list(root.iter(f"{SSML}s"))
        assert len(sentences) == len(ids(production))
        sentences[1].insert(0, ElementTree.Element(f"{SSML}break", {"time": "400ms"}))
        told = sentences[1]
        told[0].tail, told.text = told.text, ""
        for one in sentences[0].iter(f"{SSML}prosody"):
            one.set("rate", "120%")
        again = ElementTree.tostring(root, "unicode")
        looked = call("owner", "put", f"{cast}ssml/", {"text": again, "only_look": True}).json()
        assert len(looked["changed"]) == 2 and not looked["taken"]
        assert LineDirection.objects.count() == 1
        taken = call("owner", "put", f"{cast}ssml/", {"text": again}).json()
        assert taken["taken"] and not taken["problems"]
        marks = [call("owner", "get", f"{cast}lines/{pk}/direction/").json()["marks"] for pk in ids(production)[:2]]
        assert marks[0][0]["amount"] == 1.2 and marks[1] == [{"kind": "gap", "word": 0, "amount": 0.4, "count": 1}]
        call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
        assert call("owner", "get", f"{cast}ssml/").content.decode() == text

    def test_nothing_is_taken_where_anything_is_wrong(self, call: Call, production: Production, cast: str) -> None:
        line = ids(production)[0]
        text = call("owner", "get", f"{cast}ssml/?lines={line}").content.decode()
        wrong = text.replace("<s ", "<s><prosody rate='blah'>x</prosody></s><s ")
        told = call("owner", "put", f"{cast}ssml/", {"text": wrong, "lines": [line]}).json()
        assert not told["taken"] and "blah" in told["problems"][0]["message"]

    def test_words_that_are_changed_there_are_the_line_s(self, call: Call, production: Production, cast: str) -> None:
        line = ids(production)[0]
        text = call("owner", "get", f"{cast}ssml/?lines={line}").content.decode()
        words = Wording.objects.get(line=line, edition__language="es-MX").text
        call("owner", "put", f"{cast}ssml/", {"text": text.replace(words.split()[0], "Mira,"), "lines": [line]})
        assert Wording.objects.get(line=line, edition__language="es-MX").text.startswith("Mira,")

    def test_who_only_reads_may_look_and_not_take(self, call: Call, production: Production, cast: str) -> None:
        text = call("reader", "get", f"{cast}ssml/").content.decode()
        assert call("reader", "put", f"{cast}ssml/", {"text": text, "only_look": True}).status_code == 200
        assert call("reader", "put", f"{cast}ssml/", {"text": text}).status_code == 403


class TestGuide:
    @pytest.fixture
    def recording(self) -> bytes:
        """A person's voice, made by another voice of ours."""
        recipe = TakeRecipe("Y entonces la sopa puede esperar.", voice_named("urraca"), Delivery(pace=0.7), "es-MX")
        spoken = engine_named("rich").speak(recipe.utterance)
        file = io.BytesIO()
        soundfile.write(file, spoken.samples, spoken.rate, format="WAV")
        return file.getvalue()

    def test_a_line_follows_a_recording_until_it_is_deleted_for_good(
            self, call: Call, production: Production, cast: str, recording: bytes) -> None:
        line = ids(production)[1]
        speaker = Line.objects.get(pk=line).speaker_id
        call("owner", "put", f"{cast}castings/{speaker}/", {"voice": "zorzalito"})
        before = call("owner", "get", f"{cast}lines/{line}/stave/").json()["seconds"]
        path = f"{cast}lines/{line}/guide/"
        assert call("owner", "get", path).json()["state"] == "none"
        answer = call("owner", "post", path, {"file": SimpleUploadedFile("me.wav", recording)}, format="multipart")
        assert answer.status_code == 202
        told = call("owner", "get", path).json()
        assert told["state"] == "ready" and told["followed"] and told["sound"] and not [
            one for one in told["faults"] if one["code"] != "other_words"]
        guided = call("owner", "get", f"{cast}lines/{line}/stave/").json()["seconds"]
        assert guided != before
        call("owner", "patch", path, {"timing": 0.0, "melody": 0.0, "energy": 0.0})
        assert call("owner", "get", f"{cast}lines/{line}/stave/").json()["seconds"] == pytest.approx(before, abs=0.08)
        key = GuideRead.objects.get().key
        assert media().has(key) and call("reader", "get", f"{path}recording.flac").status_code == 200
        assert call("owner", "delete", path).status_code == 204
        assert not media().has(key) and not GuideRead.objects.exists()
        assert call("owner", "get", f"{cast}lines/{line}/stave/").json()["seconds"] == before

    def test_other_words_are_not_followed_any_more(self, call: Call, production: Production, cast: str) -> None:
        line = ids(production)[1]
        edition = production.editions.get(language="es-MX")
        wording = Wording.objects.get(line=line, edition=edition)
        GuideRead.objects.create(edition=edition, line_id=line, said=wording.text, state="ready", words=[
            {"at": 0, "length": 3, "seconds": 0.5, "gap": -1.0, "melody": [0.0, 2.0], "level": 0.0}])
        path = f"{cast}lines/{line}/guide/"
        assert call("owner", "get", path).json()["followed"]
        call("owner", "put", f"{cast}wordings/{line}/", {"text": "Otra cosa.", "revision": wording.revision})
        assert not call("owner", "get", path).json()["followed"]

    def test_what_only_begins_as_a_recording_is_told_by_who_decodes_it(self, call: Call, production: Production, cast: str) -> None:
        path = f"{cast}lines/{ids(production)[0]}/guide/"
        sent = SimpleUploadedFile("x.wav", b"RIFF\x00\x00\x00\x00WAVEfmt ")
        assert call("owner", "post", path, {"file": sent}, format="multipart").status_code == 202
        told = call("owner", "get", path).json()
        assert (told["state"], [one["code"] for one in told["faults"]]) == ("ready", ["unreadable"])

    @pytest.mark.parametrize("data", [b"", b"no sound at all", b"#EXTM3U\n/etc/passwd\n"])
    def test_what_is_no_recording_is_refused(self, call: Call, production: Production, cast: str, data: bytes) -> None:
        path = f"{cast}lines/{ids(production)[0]}/guide/"
        answer = call("owner", "post", path, {"file": SimpleUploadedFile("x.wav", data)}, format="multipart")
        assert answer.status_code == 400 and not GuideRead.objects.exists()


class TestActingAsInTheSource:
    def test_lines_that_are_otherwise_than_usual_are_proposed_and_taken(self, call: Call, production: Production, cast: str, monkeypatch: pytest.MonkeyPatch) -> None:
        """One speaker says six lines in a recording, one of them shouted."""
        rate, at, pieces = 24_000, 0.0, []
        speaker = Speaker.objects.filter(production=production).first()
        assert speaker is not None
        first = Line.objects.filter(production=production).first()
        assert first is not None
        for number in range(4):
            Line.objects.create(production=production, speaker=speaker, position=f"z{number}", part=first.part)
        Line.objects.filter(production=production).update(speaker=speaker)
        lines = list(Line.objects.filter(production=production))
        for number, line in enumerate(lines):
            moods = (("shouted", 1.0),) if number == 2 else ()
            recipe = TakeRecipe("The old clock stands at the end of the harbour wall.", voice_named("hawfinch"),
                                VoiceSettings().delivery_in(moods), "en-GB", variant=0 if moods else number)
            spoken = engine_named("rich").speak(recipe.utterance)
            seconds = spoken.seconds
            Line.objects.filter(pk=line.pk).update(start_ms=round(1000 * at), end_ms=round(1000 * (at + seconds)))
            pieces.append(spoken.samples * np.float32(10 ** ((level_of(moods) - 12) / 20)))
            at += seconds
        path = f"{cast}source-acting/"
        assert call("owner", "get", path).json() == {
            "recorded": False, "measured": 0, "unheard": 0, "finding": None, "proposals": []}
        row = Media.objects.create(production=production, key="abcd.wav", name="a.wav", facts={
            "seconds": at, "has_sound": True, "has_picture": False, "fps": None})
        sound = np.concatenate(pieces)
        media().write(row.copies["sound"], lambda place: soundfile.write(place, sound, rate, format="FLAC"))
        told = call("owner", "get", path).json()
        assert told["recorded"] and told["measured"] == len(lines)
        [proposal] = [one for one in told["proposals"] if one["line"] == lines[2].pk]
        assert proposal["moods"][0]["mood"] in ("shouted", "excited", "angry") and proposal["away"]["level"] > 4
        call("owner", "put", path, {"lines": [{"line": lines[2].pk, "moods": [{"mood": "shouted", "strength": 0.8}]}]})
        assert call("owner", "get", f"{cast}lines/{lines[2].pk}/direction/").json()["moods"] == [{"mood": "shouted", "strength": 0.8}]
        call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
        assert not LineDirection.objects.exists()
        # What is stressed in it is looked for behind the page, and reaches the words that say it here.
        monkeypatch.setattr(stress_finding, "stressed_words", lambda samples, rate, recipe: (StressedWord(1, 3.0),) if "turning" in recipe.words else ())
        source = f"/api/productions/{production.pk}/editions/en-GB/"
        call("owner", "put", f"{source}castings/{speaker.pk}/", {"voice": "curlew"})
        assert told["unheard"] == 0 and call("owner", "get", path).json()["unheard"] > 0
        assert call("owner", "post", path).status_code == 202 and call("owner", "get", path).json()["unheard"] == 0
        first = Line.objects.filter(production=production).order_by("position").first()
        assert first is not None
        [proposal] = [one for one in call("owner", "get", path).json()["proposals"] if one["line"] == first.pk]
        assert proposal["stresses"] == [{"word": 1, "amount": pytest.approx(1.2, abs=0.1), "text": "marea", "stressed": "tide"}] and proposal["away"] is None
        call("owner", "put", path, {"lines": [{"line": first.pk, "moods": [], "stresses": [{"word": 1, "amount": 1.2}]}]})
        assert [(one["kind"], one["word"], one["amount"]) for one in call("owner", "get", f"{cast}lines/{first.pk}/direction/").json()["marks"]] == [("stress", 1, 1.2)]
        call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
        assert call("owner", "post", path).status_code == 400, "all of it has been listened to"
        # The recording is a guide, too: what it says is another language's here, so it is followed by phrase.
        edition = production.editions.get(language="es-MX")
        call("owner", "put", f"{cast}castings/{speaker.pk}/", {"voice": "zorzalito"})
        worded = next(line for line in lines if Wording.objects.filter(edition=edition, line=line).exclude(text="").exists())
        guide = f"{cast}lines/{worded.pk}/guide/"
        assert call("owner", "post", guide, {"from_source": "true"}, format="multipart").status_code == 202
        found = call("owner", "get", guide).json()
        assert found["state"] == "ready" and found["followed"] and not found["by_word"] and found["language"] == "en-GB"
        Line.objects.filter(pk=worded.pk).update(start_ms=None, end_ms=None)
        assert call("owner", "post", guide, {"from_source": "true"}, format="multipart").status_code == 400


@pytest.mark.django_db(transaction=True)
def test_moods_and_marks_that_come_at_the_same_moment_are_both_kept(production: Production) -> None:
    edition = production.editions.get(language="es-MX")
    user = production.created_by
    assert user is not None
    for line in Line.objects.filter(production=production):
        begin = threading.Barrier(2)

        def act(change: dict[str, object], line: Line = line, begin: threading.Barrier = begin) -> None:
            begin.wait()
            try:
                set_direction(user, edition, line, change)
            finally:
                connection.close()

        with ThreadPoolExecutor(2) as pool:
            list(pool.map(act, [{"moods": {"sad": 1.0}}, {"marks": [{"kind": "stress", "word": 0}]}]))
        row = LineDirection.objects.get(edition=edition, line=line)
        assert row.moods and row.marks
