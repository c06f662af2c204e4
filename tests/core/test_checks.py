"""What is odd about lines, what is pasted, and what is replaced."""

from __future__ import annotations

import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from janoglot.core.errors import BadInput
from janoglot.core.script.checks import CheckedLine, check, doubled_word, unpaired, unspeakable, wrong_language
from janoglot.core.script.formats.base import UNNAMED
from janoglot.core.script.pasting import pasted_lines
from janoglot.core.script.replacing import hits, pattern


def found(*lines: CheckedLine, language: str = "en-GB", others: tuple[str, ...] = ()) -> set[tuple[int, str]]:
    return {(finding.line, finding.code) for finding in check(lines, language, others)}


class TestWords:
    @pytest.mark.parametrize(("text", "word"), [
        ("Mind the the step.", "the"), ("The the step.", "the"), ("Mind it. It is loose.", None), ("No, no.", None),
        ("He had had enough.", None), ("Ha ha ha.", None), ("un un paso", "un"), ("the, the", None), ("", None),
        ("don't don't", "don't"), ("Nous nous voyons.", None),
    ])
    def test_doubled(self, text: str, word: str | None) -> None:
        assert doubled_word(text) == word

    @pytest.mark.parametrize(("text", "mark"), [
        ("Mind (it).", None), ("Mind (it.", "("), ("Mind it).", ")"), ("“Mind it.", "“"), ("„Gut“, sagte er.", None),
        ("1) one 2) two", None), ("a) one", None), ("([)]", ")"), ("«oui»", None), ("「時計", "「"), ("It's fine", None),
    ])
    def test_brackets(self, text: str, mark: str | None) -> None:
        assert unpaired(text) == mark

    @pytest.mark.parametrize(("text", "language", "signs"), [
        ("Mind the step.", "en-GB", []), ("Mind 😀 it", "en-GB", ["😀"]), ("時計", "en-GB", ["時", "計"]), ("時計 clock", "ja-JP", []),
        ("Часы", "ru-RU", []), ("Часы", "es-MX", ["Ч", "а", "с", "ы"]), ("Straße 3½ №7 ©", "de-DE", []), ("a\ufffdb", "en-GB", ["\ufffd"]),
        ("घड़ी", "hi-IN", []), ("ساعة", "ar-EG", []), ("1º ª", "pt-BR", []), ("Ωmega", "el-GR", []),
    ])
    def test_what_no_voice_says(self, text: str, language: str, signs: list[str]) -> None:
        assert unspeakable(text, language) == signs

    def test_wording_of_another_edition(self) -> None:
        others = ("es-MX", "de-DE")
        assert wrong_language("La marea está cambiando y nadie lo sabe todavía.", "en-GB", others) == "es-MX"
        assert wrong_language("The tide is turning and nobody knows it yet.", "en-GB", others) is None
        assert wrong_language("Unter dem Boden wendete das Wasser ein wenig.", "es-MX", ("en-GB", "de-DE")) == "de-DE"
        # Too short to be sure, or a language that nothing is known of.
        assert wrong_language("La marea", "en-GB", others) is None
        assert wrong_language("La marea está cambiando y nadie lo sabe.", "en-GB", ()) is None


class TestLines:
    def test_each_finding_is_of_its_line(self) -> None:
        lines = [
            CheckedLine(1, "Keeper", "Mind the step.", (0.0, 2.0)), CheckedLine(2, UNNAMED, "Why?", (1.5, 3.0)),
            CheckedLine(3, "Keeper", "", (4.0, 5.0)), CheckedLine(4, "Keeper", "word " * 100, (6.0, 7.0)),
            CheckedLine(5, "Imka", "Two  spaces.", (5.5, 5.9)), CheckedLine(6, "Imka", "So.", (9.0, 8.0)),
        ]
        assert found(*lines) == {(2, "no_speaker"), (2, "overlap"), (3, "empty"), (4, "long"), (4, "too_fast"),
                                 (4, "doubled_word"), (5, "doubled_space"), (5, "out_of_order"), (6, "backwards")}

    def test_who_has_one_line_is_told_in_a_script_of_some_length(self) -> None:
        lines = [CheckedLine(n, "Keeper" if n else "Pell", "Yes.") for n in range(8)]
        assert found(*lines) == {(0, "single_line")}
        assert found(*lines[:3]) == set()

    def test_what_is_on_screen_is_read_and_not_said(self) -> None:
        sign = CheckedLine(1, "Sign", "HARBOUR 🛥 MUSEUM " * 9, (0.0, 0.5), spoken=False)
        assert found(sign) == {(1, "doubled_word")} or found(sign) == set()
        assert (1, "too_fast") not in found(sign)

    def test_a_syllabic_script_is_slower(self) -> None:
        assert found(CheckedLine(1, "守", "時計は海と風を数えています", (0.0, 1.0)), language="ja-JP") == {(1, "too_fast")}
        assert found(CheckedLine(1, "Keeper", "count the sea", (0.0, 1.0))) == set()

    def test_five_thousand_lines_are_checked_soon(self) -> None:
        lines = [CheckedLine(n, "Keeper", f"Under the floor of room {n} the water turned again.", (n * 4.0, n * 4 + 3.5))
                 for n in range(5000)]
        began = time.process_time()
        assert check(lines, "en-GB") == []
        assert time.process_time() - began < 5


class TestPasting:
    @pytest.mark.parametrize(("text", "lines"), [
        ("Keeper: (softly) Mind it.\nIt is loose.", [("Keeper", "Mind it.", "softly"), ("", "It is loose.", "")]),
        ("Keeper\tMind it.\nImka\tWhy?", [("Keeper", "Mind it.", ""), ("Imka", "Why?", "")]),
        ("speaker\twords\tnotes\nKeeper\tMind it.\tlow", [("Keeper", "Mind it.", "low")]),
        ("1\n00:00:01,000 --> 00:00:02,000\nKeeper: Mind it.\n", [("Keeper", "Mind it.", "")]),
        ("one row\r\n\r\nanother", [("", "one row", ""), ("", "another", "")]),
    ])
    def test_text_rows_and_captions(self, text: str, lines: list[tuple[str, str, str]]) -> None:
        assert [(line.speaker, line.words, line.notes) for line in pasted_lines(text, "en-GB")] == lines

    def test_nothing_is_said_to_be_nothing(self) -> None:
        with pytest.raises(BadInput, match="No words"):
            pasted_lines(" \n\t\n", "en-GB")


class TestReplacing:
    def test_by_words_and_case(self) -> None:
        texts = [(1, "The tide, tideway. TIDE"), (2, "no")]
        assert [hit.spans for hit in hits(texts, pattern("tide"), "sea", False)] == [((4, 8), (10, 14), (19, 23))]
        assert [hit.replaced for hit in hits(texts, pattern("tide", whole_words=True), "sea", False)] == ["The sea, tideway. sea"]
        assert [hit.replaced for hit in hits(texts, pattern("tide", exact_case=True), r"\1", False)] == [r"The \1, \1way. TIDE"]
        assert list(hits(texts, pattern("x*", regular=True), "y", True)) == []

    @pytest.mark.parametrize("find", ["(a+)+", "(a*)*b", "([a-z]+)*x", "(a{2,}){3,}"])
    def test_what_could_take_for_ever_is_refused(self, find: str) -> None:
        with pytest.raises(BadInput, match="for ever"):
            pattern(find, regular=True)

    @given(st.text(max_size=40), st.text(min_size=1, max_size=8), st.text(max_size=8))
    def test_plain_replacing_is_what_it_says(self, text: str, find: str, replacement: str) -> None:
        for hit in hits([(1, text)], pattern(find, exact_case=True), replacement, False):
            assert hit.replaced == text.replace(find, replacement)
