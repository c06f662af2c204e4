"""Captions in formats that are read and not written; and what is refused by its name."""

from __future__ import annotations

import pytest

from janoglot.core.errors import BadInput
from janoglot.core.script.formats import read_script
from janoglot.core.script.formats.base import Hints

ASS = """[Script Info]
Title: Ferry
ScriptType: v4.00+

[Events]
Format: Layer, Start, End, Style, Name, MarginL, MarginR, MarginV, Effect, Text
Comment: 0,0:00:00.00,0:00:01.00,Default,,0,0,0,,not to be said
Dialogue: 0,0:00:01.00,0:00:02.50,Default,Keeper,0,0,0,,{\\i1}Mind{\\i0} the\\Nthird step.
Dialogue: 0,0:00:05.00,0:00:06.00,Default,,0,0,0,,IMKA: (softly) Which one?
Dialogue: 0,0:00:03.00,0:00:04.00,Default,Pell,0,0,0,,I < you & me.
Dialogue: 0,0:00:09.00,0:00:08.00,Default,Pell,0,0,0,,Backwards.
"""
SBV = "0:00:01.000,0:00:02.500\nKEEPER: Mind the step.\n\n0:00:03.000,0:00:04.000\n- Which one?\n- The third.\n"
MICRODVD = "{1}{1}23.976\n{24}{48}Mind the|third step.\n{72}{96}{y:i}Which one?\n"
SAMI = """<SAMI><HEAD><TITLE>x</TITLE></HEAD><BODY>
<SYNC Start=1000><P Class=EN>Mind the step.
<SYNC Start=2500><P Class=EN>&nbsp;
<SYNC Start=3000><P Class=EN>Which one?
<SYNC Start=4000><P Class=EN>&nbsp;
</BODY></SAMI>"""


def test_substation_alpha_names_its_speakers() -> None:
    script = read_script(ASS, "a.ass")
    assert script.format == "ass"
    assert [(line.speaker, line.words, line.notes, line.slot) for line in script.lines] == [
        ("Keeper", "Mind the third step.", "", (1.0, 2.5)), ("Pell", "I < you & me.", "", (3.0, 4.0)), ("IMKA", "Which one?", "softly", (5.0, 6.0))]
    assert "bad_cue_time" in {problem.code for problem in script.problems}


def test_sbv_and_turns_in_it() -> None:
    script = read_script(SBV, "a.sbv")
    assert [(line.speaker, line.words, line.slot) for line in script.lines] == [
        ("KEEPER", "Mind the step.", (1.0, 2.5)), ("Unnamed", "Which one?", (3.0, 3.5)), ("Unnamed", "The third.", (3.5, 4.0))]


def test_microdvd_counts_frames_by_its_own_rate_or_that_which_is_chosen() -> None:
    script = read_script(MICRODVD, "a.sub")
    assert [(line.words, line.slot) for line in script.lines] == [("Mind the third step.", (1.001, 2.002)), ("Which one?", (3.003, 4.004))]
    untold = read_script(MICRODVD.split("\n", 1)[1], "a.sub")
    assert (untold.fps, untold.frames, untold.lines[0].slot) == (25.0, True, (0.96, 1.92))
    assert "frames" in {problem.code for problem in untold.problems}
    assert read_script(MICRODVD.split("\n", 1)[1], "a.sub", Hints(fps=24)).lines[0].slot == (1.0, 2.0)


def test_sami() -> None:
    lines = read_script(SAMI, "a.smi").lines
    assert [line.words for line in lines] == ["Mind the step.", "Which one?"]
    # The library has a caption end a moment before the next one begins.
    assert [line.slot for line in lines] == [(1.0, pytest.approx(2.5, abs=0.1)), (3.0, pytest.approx(4.0, abs=0.1))]


@pytest.mark.parametrize(("text", "says"), [
    ("{\\rtf1\\ansi Keeper: Mind the step.}", "Rich Text"), ("Scenarist_SCC V1.0\n\n00:00:01:00\t9420", "SCC"), ("<!DOCTYPE html><html><body>Keeper: x</body></html>", "web page"),
    ('<?xml version="1.0"?><play><line>Mind the step.</line></play>', "outermost element is “play”"),
    ('<?xml version="1.0"?><xliff version="2.0"></xliff>', "XLIFF"), ("850STL25.01100\n" + "x" * 200, "STL"),
])
def test_what_is_no_script_is_refused_by_its_name(text: str, says: str) -> None:
    with pytest.raises(BadInput, match=says):
        read_script(text, "a.txt")


@pytest.mark.parametrize("text", ["<Keeper> Mind the step.\n<Imka> Which one?\n", "Keeper: 1 < 2, and <b>bold</b>.\n", "{aside} Keeper: Mind the step.\n"])
def test_what_only_begins_so_is_read(text: str) -> None:
    assert read_script(text, "a.txt").lines
