"""What a format cannot hold is said before it goes out."""

from __future__ import annotations

import pytest

from janoglot.core.script.formats import FORMATS, read_script, written
from janoglot.core.script.formats.base import UNNAMED, Hints
from janoglot.core.script.model import Script, ScriptEdition, ScriptLine
from janoglot.core.script.unheld import unheld

PLAIN = Script([ScriptLine("Keeper", "Mind the third step.", 1.0, 2.5), ScriptLine("Imka", "Why?", 3.0, 4.0)])
RICH = Script([
    ScriptLine("Keeper", "Mind the third step.", 1.0, 2.5, "softly [aside]", "The Stair", wordings={"es-MX": "Cuidado."}),
    ScriptLine("Imka", "Why?", None, None, "low", "The Stair"),
    ScriptLine("Sign", "ROOM 12", 5.0, 6.0, "", "The Room", on_screen=True)],
    languages=["es-MX"], editions={"es-MX": ScriptEdition()})
LOST = {
    "csv": {"unheld_decisions"}, "tsv": {"unheld_decisions"}, "xlsx": {"unheld_decisions"}, "docx": {"unheld_decisions"}, "json": set(),
    "text": {"unheld_decisions", "unheld_slots", "unheld_wordings", "unheld_speakers"},
    "fountain": {"unheld_decisions", "unheld_slots", "unheld_wordings", "unheld_speakers"},
    "srt": {"unheld_decisions", "unheld_lines", "unheld_wordings", "unheld_speakers", "unheld_notes", "unheld_parts"},
    "webvtt": {"unheld_decisions", "unheld_lines", "unheld_wordings", "unheld_speakers", "unheld_notes", "unheld_parts"},
    "ttml": {"unheld_decisions", "unheld_lines", "unheld_wordings"},
    "pptx": {"unheld_decisions", "unheld_slots", "unheld_wordings", "unheld_speakers"},
}


@pytest.mark.parametrize("name", FORMATS)
def test_it_is_said_what_is_lost_and_nothing_else(name: str) -> None:
    assert {one.code for one in unheld(FORMATS[name], RICH, "en-GB")} == LOST[name]
    assert all(str(one) for one in unheld(FORMATS[name], RICH, "en-GB"))


@pytest.mark.parametrize("name", FORMATS)
def test_what_it_can_hold_is_no_loss(name: str) -> None:
    assert {one.code for one in unheld(FORMATS[name], PLAIN, "en-GB")} <= {"unheld_slots"}


def test_how_many() -> None:
    found = {one.code: one.fields.get("count") for one in unheld(FORMATS["srt"], RICH, "en-GB")}
    assert (found["unheld_lines"], found["unheld_speakers"], found["unheld_notes"]) == (1, 1, 1)


def test_a_script_of_which_nothing_can_go_out() -> None:
    bare = Script([ScriptLine("Keeper", "Mind it.")])
    assert [one.code for one in unheld(FORMATS["srt"], bare, "en-GB")] == ["unheld_all"]


@pytest.mark.parametrize("name", ["text", "fountain", "srt", "webvtt", "pptx", "docx", "ttml"])
def test_what_is_read_on_the_screen_is_nobodys_speech_in_any_format(name: str) -> None:
    script = Script([ScriptLine("Keeper", "Mind the step.", 0.5, 2.0), ScriptLine(UNNAMED, "ROOM 12: THE CLOCK", 2.0, 4.0, on_screen=True),
                     ScriptLine("Imka", "Which step?", 4.0, 5.0), ScriptLine("Keeper", "The third.", 5.0, 6.0)])
    fmt = FORMATS[name]
    written_down = written(fmt, script, "en-GB")
    if isinstance(written_down, bytes) and name in ("text", "fountain", "srt", "webvtt"):
        assert "Unnamed" not in written_down.decode()
    again = read_script(written_down, f"a{fmt.suffixes[0]}", Hints(format=name, source_language="en-GB"))
    assert [(line.words, line.on_screen) for line in again.lines] == [(line.words, line.on_screen) for line in script.lines]
    assert [line.speaker for line in again.lines if not line.on_screen] == ["Keeper", "Imka", "Keeper"]


def test_one_text_on_the_screen_among_many_captions_is_known_for_one() -> None:
    rows = [f"{n}\n00:00:{n:02},000 --> 00:00:{n:02},900\nWords without any name {n}.\n" for n in range(1, 9)]
    rows.append("9\n00:00:10,000 --> 00:00:11,000\nOn screen: WAY OUT\n")
    lines = read_script("\n".join(rows), "a.srt").lines
    assert [(line.speaker, line.words) for line in lines if line.on_screen] == [(UNNAMED, "WAY OUT")]
