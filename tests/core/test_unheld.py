"""What a format cannot hold is said before it goes out."""

from __future__ import annotations

import pytest

from janoglot.core.script.formats import FORMATS
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
    "text": {"unheld_decisions", "unheld_slots", "unheld_wordings", "unheld_on_screen"},
    "fountain": {"unheld_decisions", "unheld_slots", "unheld_wordings", "unheld_on_screen"},
    "srt": {"unheld_decisions", "unheld_lines", "unheld_wordings", "unheld_on_screen", "unheld_notes", "unheld_parts"},
    "webvtt": {"unheld_decisions", "unheld_lines", "unheld_wordings", "unheld_on_screen", "unheld_notes", "unheld_parts"},
    "ttml": {"unheld_decisions", "unheld_lines", "unheld_wordings"},
    "pptx": {"unheld_decisions", "unheld_slots", "unheld_wordings", "unheld_on_screen"},
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
    assert (found["unheld_lines"], found["unheld_on_screen"], found["unheld_notes"]) == (1, 1, 1)


def test_a_script_of_which_nothing_can_go_out() -> None:
    bare = Script([ScriptLine("Keeper", "Mind it.")])
    assert [one.code for one in unheld(FORMATS["srt"], bare, "en-GB")] == ["unheld_all"]
