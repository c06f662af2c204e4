from __future__ import annotations

import pytest

from janoglot.core.errors import BadInput
from janoglot.core.script.formats import read_script
from janoglot.core.script.matching import match_by_time
from janoglot.core.script.model import ScriptLine


def cue(start: float, end: float, words: str) -> ScriptLine:
    return ScriptLine("Unnamed", words, start, end)


def test_cues_find_their_lines_by_time_and_join_in_order() -> None:
    slots = [(1.0, 4.0), None, (5.0, 6.0), (8.0, 9.0)]
    matched = match_by_time(slots, [cue(2.6, 4.1, "dos"), cue(1.0, 2.5, "uno"), cue(5.2, 6.4, "tres"),
                                    cue(20.0, 21.0, "lejos")])
    assert matched.wordings == ["uno dos", "", "tres", ""]
    assert [p.code for p in matched.problems] == ["no_line_there", "lines_without_caption"]


def test_a_cue_that_only_just_misses_goes_to_the_nearest_line() -> None:
    assert match_by_time([(1.0, 2.0), (9.0, 9.5)], [cue(0.2, 0.9, "uno")]).wordings == ["uno", ""]


def test_what_cannot_match_is_said() -> None:
    with pytest.raises(BadInput, match="no times"):
        match_by_time([None], [cue(1, 2, "x")])
    with pytest.raises(BadInput, match="right file"):
        match_by_time([(1.0, 2.0)], [cue(100, 101, "x")])


def test_a_translated_file_of_ten_thousand_cues_is_matched_exactly() -> None:
    slots = [(index * 3.0, index * 3.0 + 2.0) for index in range(10_000)]
    text = "\n".join(f"{n + 1}\n{int(s) // 3600:02}:{int(s) // 60 % 60:02}:{int(s) % 60:02},100 --> "
                     f"{int(e) // 3600:02}:{int(e) // 60 % 60:02}:{int(e) % 60:02},000\nlínea {n}\n"
                     for n, (s, e) in enumerate(slots))
    assert match_by_time(slots, read_script(text, "a.srt").lines).wordings == [f"línea {n}" for n in range(10_000)]
