from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from janoglot.core.errors import BadInput
from janoglot.core.speech.directing import DirectionMark, carried, directed, marks_of, words_of
from janoglot.core.speech.engines.base import Delivery

LINE = "Mind the third step, and the door behind it."
STEP = DirectionMark("stress", 3)
PAUSE = DirectionMark("pause", 4, 0.4)


@pytest.mark.parametrize(("now", "step", "pause"), [
    (LINE, 3, 4),
    ("Please mind the third step, and the door behind it.", 4, 5),
    ("Mind the third Step and the door behind it!", 3, 4),
    ("Mind that third step, and the door.", 3, 4),
    ("Mind the step, and the door behind it.", 2, 3),
    ("Mind the third step.", 3, None),
    ("And the door behind it.", None, 0),
    ("", None, None),
])
def test_marks_follow_their_words(now: str, step: int | None, pause: int | None) -> None:
    kept, lost = carried((STEP, PAUSE), LINE, now)
    at = {mark.kind: mark.word for mark in kept}
    assert (at.get("stress"), at.get("pause")) == (step, pause)
    assert lost == (step is None) + (pause is None)


def test_a_stress_on_several_words_keeps_those_that_are_left() -> None:
    kept, lost = carried((DirectionMark("stress", 2, 1.0, 2),), LINE, "Mind the step, and the door behind it.")
    assert kept == (DirectionMark("stress", 2, 1.0, 1),)
    assert lost == 0


def test_engines_get_characters() -> None:
    said = directed(Delivery(), (STEP, PAUSE), f"  {LINE} ".replace(" ", "  "))
    begin, length, amount = said.emphasis[0]
    assert LINE[begin: begin + length] == "step,"
    assert amount == 1.0
    assert LINE[said.pauses_at[0][0]:].startswith("and")
    assert directed(Delivery(), (), LINE) == Delivery()


@pytest.mark.parametrize("bad", [
    {"kind": "shout", "word": 0}, {"kind": "stress", "word": 9}, {"kind": "stress", "word": -1},
    {"kind": "stress", "word": 8, "count": 2}, {"kind": "pause", "word": 1, "amount": 60}, {"kind": "stress", "word": "0"},
    {"kind": "stress", "word": 0, "amount": True},
])
def test_what_cannot_be_is_refused(bad: dict[str, object]) -> None:
    with pytest.raises(BadInput):
        marks_of([bad], LINE)


@given(st.text(alphabet="ab ,.", max_size=40), st.text(alphabet="ab ,.", max_size=40), st.data())
def test_marks_are_always_on_words_that_are_there(said: str, now: str, data: st.DataObject) -> None:
    count = len(words_of(said))
    marks = [DirectionMark("stress", data.draw(st.integers(0, count - 1)))] if count else []
    kept, lost = carried(marks, said, now)
    assert len(kept) + lost == len(marks)
    assert all(mark.word >= 0 and mark.word + mark.count <= len(words_of(now)) for mark in kept)
    for begin, length, _ in directed(Delivery(), kept, now).emphasis:
        assert " " not in " ".join(now.split())[begin: begin + length]
