"""Names before colons, and words before colons: none is lost, and none becomes the other in silence."""

from __future__ import annotations

import time

import pytest

from janoglot.core.script.formats import read_script
from janoglot.core.script.formats.base import UNNAMED, Hints
from janoglot.core.script.naming import label_of
from janoglot.core.script.pasting import pasted_lines


def srt(*texts: str) -> str:
    return "\n".join(f"{n}\n00:00:{n:02d},000 --> 00:00:{n:02d},900\n{text}\n" for n, text in enumerate(texts, 1))


def vtt(*texts: str) -> str:
    return "WEBVTT\n\n" + "\n".join(f"00:{n:02d}.000 --> 00:{n:02d}.900\n{text}\n" for n, text in enumerate(texts, 1))


def ttml(*texts: str) -> str:
    cues = "".join(f'<p begin="{n}s" end="{n}.9s">{text}</p>' for n, text in enumerate(texts, 1))
    return f'<tt xmlns="http://www.w3.org/ns/ttml"><body><div>{cues}</div></body></tt>'


class TestNamesWithStops:
    @pytest.mark.parametrize("name", ["Mrs. Hall", "Dr. Ash", "J. R. Finch", "Frl. Möwe", "St. Agnes", "Sra. Ruiz", "P.A."])
    def test_a_full_stop_in_a_name_hides_no_speaker(self, name: str) -> None:
        found = pasted_lines(f"Keeper: The tide is in.\n{name}: Good morning.", "en-GB")
        assert [(line.speaker, line.words) for line in found] == [
            ("Keeper", "The tide is in."), (name, "Good morning.")]
        script = read_script(f"Keeper: The tide is in.\n{name}: Good morning.\n", "a.txt")
        assert [line.speaker for line in script.lines] == ["Keeper", name]

    @pytest.mark.parametrize("row", ["We came early. Then: nothing.", "Wait. Imka: go", "https://harbour.example/a: b"])
    def test_a_sentence_before_a_colon_is_no_name(self, row: str) -> None:
        assert label_of(row) is None

    def test_who_is_known_is_a_speaker_however_written(self) -> None:
        found = pasted_lines("old ferryman: Mind it.\nKeeper: Yes.", "en-GB", ["Old Ferryman"])
        assert [line.speaker for line in found] == ["old ferryman", "Keeper"]

    def test_what_is_part_of_a_sentence_stays_words_and_is_told(self) -> None:
        script = read_script("Keeper: Sit down.\nRemember one thing: never run.\nImka: Why?\n", "a.txt")
        assert [(line.speaker, line.words) for line in script.lines] == [
            ("Keeper", "Sit down. Remember one thing: never run."), ("Imka", "Why?")]
        assert [(p.code, p.row) for p in script.problems] == [("label_kept", 2)]


    @pytest.mark.parametrize(("row", "name", "told"), [
        ("- Unknown man with a lamp: Who is there?", "Unknown man with a lamp", []), ("Old man: Who is there?", "Old man", ["label_taken"])])
    def test_an_unknown_voice_is_somebody(self, row: str, name: str, told: list[str]) -> None:
        script = read_script(f"Mrs. Hall: Sit down.\nDR. ASH: Why?\n{row}\n", "a.txt")
        assert script.lines[-1].speaker == name
        assert [p.code for p in script.problems] == told


class TestCaptions:
    WORDS = ("Nadie abre la puerta.", "Recuerde: nunca corra sobre el muelle.", "El agua sube.", "Nada más.")

    @pytest.mark.parametrize(("write", "name"), [(srt, "a.srt"), (vtt, "a.vtt"), (ttml, "a.ttml")])
    def test_words_before_a_colon_stay(self, write: object, name: str) -> None:
        script = read_script(write(*self.WORDS), name)  # type: ignore[operator]
        assert [line.words for line in script.lines] == list(self.WORDS)
        assert "label_kept" in {p.code for p in script.problems}

    @pytest.mark.parametrize(("write", "name"), [(srt, "a.srt"), (vtt, "a.vtt"), (ttml, "a.ttml")])
    def test_names_are_still_names(self, write: object, name: str) -> None:
        texts = ("Keeper: Nobody comes in.", "Imka: Why not?", "The door creaks.", "Keeper: Because.")
        script = read_script(write(*texts), name)  # type: ignore[operator]
        assert [line.speaker for line in script.lines][:2] == ["Keeper", "Imka"]
        assert script.lines[0].words == "Nobody comes in."

    def test_capitals_are_names_where_the_rest_is_not_in_them(self) -> None:
        script = read_script(srt("The bell.", "KEEPER: Who rang?", "Nobody.", "Nothing moves.", "It is late.", "Gone."), "a.srt")
        assert script.lines[1].speaker == "KEEPER"
        assert [p.code for p in script.problems if p.code.startswith("label")] == ["label_taken"]

    def test_where_names_are_in_capitals_other_words_are_words(self) -> None:
        script = read_script(srt("KEEPER: Sit.", "IMKA: No.", "Remember: never run.", "KEEPER: Sit, I said."), "a.srt")
        assert [line.words for line in script.lines] == ["Sit.", "No.", "Remember: never run.", "Sit, I said."]

    def test_all_in_capitals_says_nothing_of_names(self) -> None:
        script = read_script(srt("THE WATER RISES.", "REMEMBER: NEVER RUN.", "NOBODY COMES.", "IT IS LATE.", "GO."), "a.srt")
        assert script.lines[1].words == "REMEMBER: NEVER RUN."


class TestTurned:
    """What was decided of a label, turned by a person: so it is, in every format, for all its rows."""

    CASES = (
        ("a.txt", "Keeper: Sit.\n{0}\nImka: Why?\n{0}\nKeeper: So.\n"), ("a.srt", srt("KEEPER: Sit.", "{0}", "IMKA: Why?", "{0}")),
        ("a.vtt", vtt("KEEPER: Sit.", "{0}", "IMKA: Why?", "{0}")), ("a.ttml", ttml("KEEPER: Sit.", "{0}", "IMKA: Why?", "{0}")))

    @pytest.mark.parametrize(("name", "text"), CASES)
    def test_words_become_a_name_and_a_name_words(self, name: str, text: str) -> None:
        row = "To the harbour people: come here."
        given = text.replace("{0}", row)
        label = "To the harbour people"
        for taken in (True, False):
            script = read_script(given, name, Hints(labels={label: taken}))
            assert script.labels[label] == (taken, 2)
            assert (label in script.speakers) is taken
            assert ("come here." in [line.words for line in script.lines]) is taken
            assert any(row in line.words for line in script.lines) is not taken
            assert not [p for p in script.problems if p.code.startswith("label")]

    @pytest.mark.parametrize(("name", "text"), CASES)
    def test_the_others_stay_as_they_were(self, name: str, text: str) -> None:
        given = text.replace("{0}", "Remember this: never run.")
        before = read_script(given, name)
        told = read_script(given, name, Hints(labels={"imka": False}))
        others = [label for label in before.labels if label.lower() != "imka"]
        assert others and all(told.labels[label] == before.labels[label] for label in others)
        assert "imka" not in [one.lower() for one in told.speakers]


def test_a_label_is_looked_for_in_linear_time() -> None:
    began = time.process_time()
    for text in (" " * 200_000 + ":", "a" * 200_000, "(" * 100_000 + ":", "A " * 100_000 + ": x"):
        label_of(text)
    assert time.process_time() - began < 0.5


class TestLabelsByThemselves:
    """What each small rule of :func:`label_of` says, one by one."""

    @pytest.mark.parametrize("text", ["9:30 is late", "Room 4:2 is yours", "At 10:15 we sail", "12:1", "// note: this"])
    def test_figures_on_both_sides_of_a_colon_are_no_label(self, text: str) -> None:
        assert label_of(text) is None

    def test_a_figure_on_one_side_alone_may_be_one(self) -> None:
        found = label_of("Guard 2: Halt.")
        assert found is not None and (found.name, found.words) == ("Guard 2", "Halt.")

    @pytest.mark.parametrize(("text", "name", "aside"), [
        ("KEEPER (O.S.): Mind it.", "KEEPER", "O.S."), ("KEEPER [low]: Mind it.", "KEEPER", "low"),
        ("KEEPER (low (very)): x", None, ""), ("KEEPER [a] [b]: Mind it.", None, ""), ("(low): Mind it.", None, "")])
    def test_an_aside_stands_in_the_last_brackets(self, text: str, name: str | None, aside: str) -> None:
        found = label_of(text)
        assert (found and (found.name, found.aside)) == (name and (name, aside))

    @pytest.mark.parametrize(("text", "name"), [
        ("KEEPER — Mind the step.", "KEEPER"), ("THE KEEPER – Mind it.", "THE KEEPER"), ("Keeper — Mind it.", None), ("KEEPER —Mind it.", None),
        ("KEEPER - Mind it.", None)])
    def test_capitals_before_a_long_dash_are_a_label(self, text: str, name: str | None) -> None:
        found = label_of(text)
        assert (found and (found.name, found.dashed)) == (name and (name, True))

    def test_a_label_is_no_longer_than_names_are(self) -> None:
        assert label_of(f"{'a' * 300}: x") is None
        assert label_of(f"{'Word ' * 40}: x") is None


def test_sentences_with_colons_in_a_few_captions_are_no_speakers() -> None:
    cues = ["Recuerde: nunca corra en la escalera.", "Querida Ana:\nte escribo desde el muelle.", "La marea sube a las nueve."]
    text = "\n\n".join(f"{n}\n00:00:0{n},000 --> 00:00:0{n},900\n{cue}" for n, cue in enumerate(cues, 1))
    script = read_script(text.encode(), "a.srt", Hints(source_language="es-MX"))
    assert {line.speaker for line in script.lines} == {UNNAMED}
    assert script.lines[0].words == "Recuerde: nunca corra en la escalera."
    assert {one.code for one in script.problems} >= {"label_kept"}, "what was doubted is told"
    # Everybody named, or somebody coming back, is another thing.
    for named in (["Mara: Mind the step.", "Oda: It is loose."], ["Mara: Mind it.", "Oda: What?", "Mara: The step.", "It is loose."]):
        text = "\n\n".join(f"{n}\n00:00:0{n},000 --> 00:00:0{n},900\n{cue}" for n, cue in enumerate(named, 1))
        assert {"Mara", "Oda"} <= {line.speaker for line in read_script(text.encode(), "a.srt", Hints(source_language="en-GB")).lines}
