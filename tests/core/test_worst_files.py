"""The worst text that somebody could make for each reader: refused or read, soon, and with a sentence."""

from __future__ import annotations

import signal
import time
from collections.abc import Iterator

import pytest

from janoglot.core.errors import JanoglotError
from janoglot.core.script.formats import FORMATS, read_script
from janoglot.core.script.formats.base import Hints

SIZE = 1_000_000
MOST = 4.0
"""Seconds for a megabyte: twice what a quiet machine may take, which the trial holds it to. A quadratic reader takes minutes."""
CUE = "1\n00:00:01,000 --> 00:00:02,000\n"
TT = '<tt xmlns="http://www.w3.org/ns/ttml"><body><div>{}</div></body></tt>'


def filled(unit: str, before: str = "", after: str = "") -> str:
    return before + unit * (SIZE // len(unit)) + after


WORST = {
    "srt": [filled(unit, CUE, "b") for unit in (" ", "(", "( ", "[", "<", "<a", "<v ", "{\\", "a\n\n", "\n", "1\n", "- a\n", "♪", "MAN:\n", "(a\n")]
    + [filled("1:", CUE, "->"), filled("00:00:01,000 --> 00:00:02,000\n"), filled(CUE + "a\n")],
    "webvtt": [filled(unit, "WEBVTT\n\n") for unit in ("NOTE x\n\n", "NOTE x\n", "00:01.000 --> 00:02.000\n<v A\n", " \n")],
    "text": [filled(unit, "A: a", "b") for unit in (" ", "(", "( ", ") ", "#", " #", "A: b\n", ":", "：", "♪ ", "— ", "A, ", "(a\n", "1\n")],
    "fountain": [filled(unit, "@A\n") for unit in ("[[", "*a ", "_a", "/*", "***", "a* ", " \n", "~", "(")] + [filled("(", "A", "\nx"), filled("#", ". a", "x")],
    "csv": [filled("x", "speaker,words\nA,\"", "\""), filled("x", "", ",words\nA,b"), filled('"', "speaker,words\n"), filled(",", "", "\na,b"), filled("A,b\n", "speaker,words\n")],
    "tsv": [filled("\t", "", "\na\tb"), filled("A\tb\n", "speaker\twords\n")],
    "json": [filled("(", '{"lines":[{"speaker":"A","words":"', '"}]}'), filled("[", '{"lines":'), filled('{"a":', '{"lines":'), filled("1", '{"lines":[', "]}")],
    "ttml": [TT.format(filled("<span>a</span>", '<p begin="1s" end="2s">', "</p>")), TT.format(filled('<p begin="1s" end="2s">A: b</p>')), filled("<tt "), TT.format(filled("<div>") + filled("</div>")),
             TT.format(filled("(", '<p begin="1s" end="2s">', "</p>"))],
}


@pytest.fixture(autouse=True)
def no_longer_than_it_may() -> Iterator[None]:
    def over(*_: object) -> None:
        raise TimeoutError

    before = signal.signal(signal.SIGALRM, over)
    signal.alarm(20)
    yield
    signal.alarm(0)
    signal.signal(signal.SIGALRM, before)


def took(text: str, hints: Hints) -> float:
    began = time.process_time()
    try:
        read_script(text, "", hints)
    except JanoglotError as error:
        assert str(error)
    return time.process_time() - began


@pytest.mark.parametrize(("name", "text"), [(name, text) for name, texts in WORST.items() for text in texts],
                         ids=lambda value: value if len(value) < 12 else repr(value[len(value) // 2:len(value) // 2 + 12]))
def test_a_megabyte_of_the_worst_is_done_with_soon(name: str, text: str) -> None:
    assert took(text, Hints(format=name)) < MOST
    assert took(text, Hints()) < MOST


@pytest.mark.parametrize("unit", ["9", "9\n", "\n", "\n9", " \n", "9" * 60 + "\n", "\n" * 800 + "1"])
def test_telling_what_a_file_is_takes_no_time(unit: str) -> None:
    assert took(unit * (4_000 // len(unit) + 1), Hints()) < MOST


def test_every_text_format_is_tried() -> None:
    assert set(WORST) | {"xlsx", "docx", "pptx"} == set(FORMATS)


def test_one_long_row_is_no_matter_of_what_was_read_before() -> None:
    """Our own JSON of a thousand lines on one row; and a table whose first row is as long."""
    import json

    text = json.dumps({"lines": [{"speaker": "Keeper", "words": "Mind the third step. " * 6}] * 1_500})
    assert len(text) > 131_072
    assert len(read_script(text, "script.json").lines) == 1_500
    wide = "speaker,words," + "x" * 140_000 + "\nKeeper,Mind the step.,\n"
    assert read_script(wide, "wide.csv").lines[0].words == "Mind the step."
