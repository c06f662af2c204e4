from __future__ import annotations

import pytest
import srt as srt_library
from hypothesis import given, settings
from hypothesis import strategies as st

from janoglot.core.deliver.caption_rules import width
from janoglot.core.deliver.captions import USUAL, CaptionLine, captions, wrap
from janoglot.core.deliver.names import clip_name, file_name, named_by
from janoglot.core.script.formats.srt import write_srt
from janoglot.core.speech.takes import WordMark

LONG = ("Nobody spoke. Under the floor the water turned, and the single hand moved on by the width of a hair, "
        "and somewhere far above them something struck once.")


def marked(words: str, start: float, seconds: float) -> CaptionLine:
    at, marks = 0, []
    tokens = words.split(" ")
    for number, token in enumerate(tokens):
        step = seconds / len(tokens)
        marks.append(WordMark(number * step, (number + 1) * step, at, len(token)))
        at += len(token) + 1
    return CaptionLine("Keeper", words, start, start + seconds, marks)


def test_a_short_line_is_one_cue_at_its_own_time() -> None:
    cue, = captions([marked("Mind the step.", 3.0, 1.5)])
    assert (cue.start, cue.end, cue.text, cue.speaker) == (3.0, 4.5, "Mind the step.", "Keeper")


def test_a_long_line_is_cut_at_its_sense_and_at_the_spoken_word() -> None:
    line = marked(LONG, 10.0, 12.0)
    cues = captions([line])
    assert len(cues) > 1
    assert " ".join(cue.text.replace("\n", " ") for cue in cues) == LONG
    assert cues[0].start == 10.0
    assert cues[-1].end == 22.0
    for cue, following in zip(cues, cues[1:], strict=False):
        assert cue.end == following.start
        at = LONG.index(following.text.split("\n")[0])
        spoken = next(mark for mark in line.marks if mark.at + mark.length > at)
        assert following.start == pytest.approx(10.0 + spoken.start, abs=0.001)


@settings(max_examples=100, deadline=None)
@given(st.lists(st.from_regex(r"[a-zä-ü一-龥]{1,14}[,.?!]?", fullmatch=True), min_size=1, max_size=60))
def test_no_words_are_lost_and_rows_are_no_wider_than_they_may(tokens: list[str]) -> None:
    words = " ".join(tokens)
    cues = captions([marked(words, 0.0, len(tokens) * 0.4)])
    assert " ".join(cue.text.replace("\n", " ") for cue in cues) == words
    assert all(cue.end > cue.start for cue in cues)
    assert all(cue.text.count("\n") <= 1 for cue in cues)
    assert len(list(srt_library.parse(write_srt(cues)))) == len(cues)


def test_rows_are_balanced_and_wide_letters_count_twice() -> None:
    rows = wrap("The tide pushes air through a pipe in the rock, twice a day.").split("\n")
    assert len(rows) == 2
    assert max(map(width, rows)) <= USUAL.columns
    assert abs(len(rows[0]) - len(rows[1])) < 12
    assert width("你好") == 4


@pytest.mark.parametrize(("text", "name"), [
    ("Keeper", "Keeper"), ("../../etc/passwd", "etc-passwd"), ("Old Keeper / 2", "Old-Keeper-2"), ("الحارس", "الحارس"),
    ("???", "speaker"), ("con", "speaker-con"), ("a" * 200, "a" * 60), ("घड़ी की मीनार", "घड़ी-की-मीनार"), ("คลื่น น้ำ", "คลื่น-น้ำ"),
    ("की" * 200, "की" * 20), ("𠀀" * 99, "𠀀" * 30),
])
def test_file_names_are_safe_everywhere(text: str, name: str) -> None:
    assert file_name(text, "speaker") == name
    assert clip_name(7, "Keeper", "es-MX") == "007_Keeper_es-MX.wav"


@settings(max_examples=200, deadline=None)
@given(st.text(max_size=300), st.text(max_size=300))
def test_no_name_is_longer_than_a_file_system_takes_or_leads_elsewhere(one: str, other: str) -> None:
    path = named_by("{language}/{production}_{part}/{number}_{speaker}_{language}", {"production": one, "part": other, "speaker": one + other, "language": "zh-Hant-HK", "number": 12_345})
    steps = path.split("/")
    assert all(0 < len(step.encode()) <= 205 and step not in (".", "..") and not step.startswith(("-", ".")) for step in steps)
    assert "\\" not in path and "\0" not in path
    assert len(clip_name(12_345, other, "zh-Hant-HK").encode()) <= 255
