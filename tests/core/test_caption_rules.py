"""Where captions are broken, by tables for each language, and what is checked of them."""

from __future__ import annotations

import pytest

from janoglot.core.deliver.caption_rules import CaptionStyle, check_captions, keeps_together, pairs_of_names, width
from janoglot.core.deliver.captions import CaptionLine, captions, readable, wrap
from janoglot.core.errors import BadInput
from janoglot.core.script.formats import read_script
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.formats.cues import Cue

NAMES = pairs_of_names(["Imka Oller", "van der Zee"])


@pytest.mark.parametrize(("language", "before", "after", "together"), [
    ("en-GB", "the", "harbour", True), ("en-GB", "harbour", "the", False), ("en-GB", "Mr", "Pell", True),
    ("es-MX", "el", "puerto", True), ("es-MX", "puerto", "de", False), ("fr-FR", "des", "marées", True),
    ("de-DE", "dem", "Turm", True), ("de-DE", "Alte", "Uhr", False), ("it-IT", "della", "marea", True),
    ("pt-BR", "uma", "hora", True), ("nl-NL", "het", "water", True), ("ca-ES", "la", "mar", True),
    ("hi-IN", "और", "पानी", True), ("ar", "من", "الماء", True), ("en-GB", "Imka", "Oller", True),
    ("de-DE", "Imka", "Oller", True), ("en-GB", "Harbour", "Road", True), ("en-GB", "tide.", "Mind", False),
    ("en-GB", "12", "metres", True), ("en-GB", "loose,", "Captain", False)])
def test_what_belongs_together(language: str, before: str, after: str, together: bool) -> None:
    assert keeps_together(before, after, language, NAMES) is together


@pytest.mark.parametrize(("language", "text", "first"), [
    ("en-GB", "Nobody who came in by the harbour wall ever went out again.", "Nobody who came in by the harbour"),
    ("en-GB", "She never asked the keeper why, and Imka Oller never told.", "She never asked the keeper why,"),
    ("es-MX", "Nadie que entró por el muro del puerto volvió a salir jamás.", "Nadie que entró por el muro"),
    ("de-DE", "Niemand, der durch das Hafentor kam, ging je wieder hinaus.", "Niemand, der durch das Hafentor kam,")])
def test_rows_end_where_nothing_is_torn(language: str, text: str, first: str) -> None:
    assert wrap(text, CaptionStyle(), language, NAMES).split("\n")[0] == first


def test_no_row_is_wider_and_no_cue_higher_than_the_style() -> None:
    text = "The clock keeps the other time, the one the tide goes by, and nobody but the keeper has ever read it right."
    for style in (CaptionStyle(), CaptionStyle(columns=30), CaptionStyle(columns=24, rows=3), CaptionStyle(rows=1)):
        cues = captions([CaptionLine("Keeper", text, 0.0, 8.0)], style, "en-GB")
        assert " ".join(cue.text.replace("\n", " ") for cue in cues) == text
        faults = check_captions(cues, style, "en-GB")
        assert not [one for one in faults if one.rule in ("columns", "rows", "broken")], (style, faults)


def test_what_is_read_too_fast_stays_while_nobody_else_speaks() -> None:
    style = CaptionStyle(fastest=15)
    cues = [Cue(0.0, 0.5, "Mind the third step, it is loose."), Cue(4.0, 4.4, "Why?"), Cue(4.6, 5.0, "Because.")]
    shown = readable(cues, style, 5.2)
    assert shown[0].end == pytest.approx(33 / 15, abs=0.01)
    assert shown[1].end == pytest.approx(4.6 - style.gap, abs=0.001)
    assert shown[2].end == pytest.approx(5.2, abs=0.001), "not past the end of the programme"


def test_each_rule_is_told_with_its_limit() -> None:
    style = CaptionStyle(columns=20, rows=2, fastest=20)
    cues = [Cue(0.0, 0.3, "Far too many letters in a row"), Cue(0.2, 9.0, "x\ny\nz"), Cue(9.5, 11.0, "Into the\nharbour")]
    found = {(one.number, one.rule): (one.found, one.limit) for one in check_captions(cues, style, "en-GB")}
    assert found == {(1, "columns"): (29, 20), (1, "speed"): (pytest.approx(96.667), 20), (1, "short"): (0.3, 0.833),
                     (1, "overlap"): (pytest.approx(0.1), 0.0), (2, "rows"): (3, 2), (2, "long"): (8.8, 7.0),
                     (3, "broken"): (1, 0)}


def test_a_style_that_cannot_be_is_refused() -> None:
    with pytest.raises(BadInput, match="columns"):
        CaptionStyle(columns=5).checked()


@pytest.mark.parametrize(("over", "told"), [(0.0, []), (0.04, []), (0.2, ["speed"])])
def test_what_would_be_told_as_the_limit_itself_is_no_fault(over: float, told: list[str]) -> None:
    style = CaptionStyle()
    cue = Cue(0.0, 40 / (style.fastest + over), "x" * 40)
    assert [one.rule for one in check_captions([cue], style, "en-GB")] == told


@pytest.mark.parametrize("text", [
    "港の端に、扉のない家が一軒あり、その中で誰も見たことのない時計が今も動いている。", "「どうして？」と彼女は言った、「潮が満ちる前に、あの階段を下りてはいけない。」",
    "时钟" * 60, "足元に気をつけて。"])
def test_writing_without_spaces_is_broken_where_it_may_be(text: str) -> None:
    style = CaptionStyle()
    cues = captions([CaptionLine("Keeper", text, 0.0, 12.0)], style, "ja")
    rows = [row for cue in cues for row in cue.text.split("\n")]
    assert all(width(row) <= style.columns for row in rows) and all(len(cue.text.split("\n")) <= style.rows for cue in cues)
    assert "".join(rows) == text
    assert not any(row[0] in "、。」？" for row in rows) and not any(row.endswith("「") for row in rows)


def test_rows_of_writing_without_spaces_are_read_as_one() -> None:
    script = read_script("1\n00:00:01,000 --> 00:00:04,000\n港の端に、扉のない家が\n一軒ある。\n", "a.srt", Hints(source_language="ja"))
    assert [line.words for line in script.lines] == ["港の端に、扉のない家が一軒ある。"]
