from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from janoglot.core.adapt.memory import Memory, Unit, difference, joined
from janoglot.core.adapt.term_files import read_terms, write_csv, write_tbx
from janoglot.core.adapt.termbase import TermPair, find_term, merged, uses
from janoglot.core.adapt.tmx import read_tmx, write_tmx
from janoglot.core.adapt.wording_checks import CheckedWording, check_wordings, is_spelled_out
from janoglot.core.errors import BadInput

texts = st.text(st.characters(exclude_categories=["Cs", "Cc", "Cn"]), min_size=1, max_size=60).map(
    lambda text: " ".join(text.split())).filter(bool)


class TestMemory:
    MEMORY = Memory([Unit("The tide pushes air through the case.", "La marea empuja el aire."),
                     Unit("Good night.", "Buenas noches."), Unit("Good night.", "Que descanse.")])

    def test_the_same_words_are_exact_and_the_newest_counts(self) -> None:
        (match,) = self.MEMORY.find("good   night.")
        assert (match.score, match.unit.text) == (1.0, "Que descanse.")

    def test_nearly_the_same_shows_its_difference_and_is_never_exact(self) -> None:
        (match,) = self.MEMORY.find("The tide pushes air through the clock.")
        assert 0.85 < match.score < 1.0
        assert [part for part in match.difference if part[0] != "same"] == [("gone", "case"), ("new", "clock")]

    def test_what_is_too_far_helps_nobody(self) -> None:
        assert self.MEMORY.find("Mind the third step.") == []
        assert self.MEMORY.find("  ") == []

    def test_where_a_phrase_was_used(self) -> None:
        assert [unit.text for unit in self.MEMORY.holding("empuja", in_text=True)] == ["La marea empuja el aire."]
        assert self.MEMORY.holding("mar", in_text=True) == []

    @given(texts, texts)
    def test_a_difference_holds_both_texts_whole(self, one: str, other: str) -> None:
        parts = difference(one, other)
        assert joined(parts, "same", "gone") == one
        assert joined(parts, "same", "new") == other

    @given(st.lists(st.tuples(texts, texts), max_size=8))
    def test_tmx_comes_back_as_it_went(self, pairs: list[tuple[str, str]]) -> None:
        units = [Unit(one, other) for one, other in pairs]
        assert read_tmx(write_tmx(units, "en-GB", "es-MX").encode(), "en-GB", "es-MX") == units

    def test_a_memory_of_another_country_is_taken_and_one_of_this_comes_before_it(self) -> None:
        content = b"""<?xml version="1.0"?><tmx version="1.4"><header/><body>
            <tu><tuv xml:lang="EN-gb"><seg>Good <ph x="1">{1}</ph>night.</seg></tuv>
                <tuv xml:lang="es_mx"><seg>Buenas noches.</seg></tuv></tu>
            <tu><tuv lang="en"><seg>Good night.</seg></tuv><tuv lang="es"><seg>Buenas.</seg></tuv></tu>
            <tu><tuv xml:lang="en-GB"><seg>Alone</seg></tuv></tu></body></tmx>"""
        assert [unit.text for unit in read_tmx(content, "en-GB", "es-MX")] == ["Buenas.", "Buenas noches."]

    @pytest.mark.parametrize("content", [b"", b"<xliff/>", b"<!DOCTYPE x [<!ENTITY a 'b'>]><tmx>&a;</tmx>", b"\xff\xfe<"])
    def test_what_is_no_memory_is_refused_in_a_sentence(self, content: bytes) -> None:
        with pytest.raises(BadInput, match="TMX"):
            read_tmx(content, "en-GB", "es-MX")


class TestTerms:
    @pytest.mark.parametrize(("term", "text", "language"), [
        ("tide clock", "Two tide clocks, one tide.", "en-GB"), ("reloj de marea", "Los relojes de marea andan.", "es-MX"),
        ("Gezeitenuhr", "alle Gezeitenuhren", "de-DE"), ("潮時計", "この潮時計は古い", "ja-JP"),
        ("horloge", "des horloges", "fr-FR"),
    ])
    def test_are_found_in_any_inflection(self, term: str, text: str, language: str) -> None:
        (place,) = find_term(term, text, language)
        assert text[place[0]: place[0] + 2].casefold() != ""

    @pytest.mark.parametrize(("term", "text"), [("tide", "tidy"), ("case", "castle"), ("key", "keyboard"), ("", "x")])
    def test_and_not_in_other_words(self, term: str, text: str) -> None:
        assert find_term(term, text, "en-GB") == []

    def test_a_line_keeps_to_its_terms_or_not(self) -> None:
        terms = [TermPair("tide clock", "reloj de marea"), TermPair("keeper", "guardián"), TermPair("", "celador", True)]
        found = uses("The keeper of the tide clock.", "El celador de los relojes de marea.", terms, "en-GB", "es-MX")
        assert [(use.term.text, use.kept) for use in found] == [
            ("guardián", False), ("reloj de marea", True), ("celador", False)]

    def test_nothing_is_doubled(self) -> None:
        assert merged([TermPair("a", "b")], [TermPair("A", "B"), TermPair("c", "d"), TermPair("c", "d")]) == [TermPair("c", "d")]

    @given(st.lists(st.builds(TermPair, texts, texts, st.just(False), st.one_of(st.just(""), texts)), max_size=6))
    def test_tbx_comes_back_as_it_went(self, terms: list[TermPair]) -> None:
        terms = [*terms, TermPair("", "celador", True, "another trade")]
        assert read_terms(write_tbx(terms, "en-GB", "es-MX").encode(), "t.tbx", "en-GB", "es-MX") == terms

    @given(st.lists(st.builds(TermPair, texts, texts, st.just(False), texts), min_size=1, max_size=6))
    def test_csv_comes_back_as_it_went_and_holds_no_formula(self, terms: list[TermPair]) -> None:
        terms = [term for term in terms if not any(x.startswith("'") for x in (term.source, term.text, term.note))]
        content = write_csv([*terms, TermPair("", "=1+1", True)])
        assert "\n,=1" not in content
        assert read_terms(content.encode(), "t.csv", "en-GB", "es-MX") == [*terms, TermPair("", "=1+1", True)]

    def test_an_older_termbase_and_a_table_with_tags(self) -> None:
        old = b"""<martif type="TBX-Basic"><text><body><termEntry id="1">
            <langSet xml:lang="en"><tig><term>keeper</term></tig></langSet>
            <langSet xml:lang="es"><tig><term>guardi\xc3\xa1n</term></tig>
            <ntig><termGrp><term>celador</term><termNote type="administrativeStatus">deprecatedTerm-admn-sts</termNote>
            </termGrp></ntig></langSet></termEntry></body></text></martif>"""
        assert read_terms(old, "old.xml", "en-GB", "es-MX") == [TermPair("keeper", "guardián"), TermPair("", "celador", True)]
        assert read_terms("EN;es-MX\nkeeper;guardián\n".encode(), "t.csv", "en-GB", "es-MX") == [TermPair("keeper", "guardián")]

    def test_a_table_without_the_language_is_refused(self) -> None:
        with pytest.raises(BadInput, match="es-MX"):
            read_terms(b"a,b\n1,2\n", "t.csv", "en-GB", "es-MX")


@pytest.mark.parametrize(("source", "text", "code"), [
    ("Wait here, now.", "", "untranslated"), ("Wait here for me.", "Wait here for me.", "same_as_source"),
    ("Since 1984.", "Desde hace mucho.", "number_missing"), ("Go {name}.", "Ve.", "placeholder_missing"),
    ("Go.", "Ve {x}.", "placeholder_added"), ("Ask Marlow.", "Pregunta.", "name_missing"),
    ("The keeper.", "El hombre.", "term_missing"), ("The man.", "El celador.", "forbidden_term"),
    ("Is it late?", "Es tarde.", "question_lost"), ("It is late.", "¿Es tarde?", "question_added"),
])
def test_each_check_finds_its_own(source: str, text: str, code: str) -> None:
    terms = [TermPair("keeper", "guardián"), TermPair("", "celador", True)]
    found = check_wordings([CheckedWording(1, source, text)], "en-GB", "es-MX", ["Marlow"], terms)
    assert [finding.code for finding in found] == [code]


def test_a_good_wording_is_left_alone() -> None:
    lines = [CheckedWording(1, "Marlow, since 1,984?", "¿Marlow, desde 1984?"), CheckedWording(2, "No.", "No."),
             CheckedWording(3, "", "x"), CheckedWording(4, "Is it?", "ايه؟")]
    assert check_wordings(lines, "en-GB", "es-MX", ["Marlow"]) == []
    over = check_wordings([CheckedWording(1, "Yes.", "Sí.", over=0.4)], "en-GB", "es-MX")
    assert [finding.code for finding in over] == ["too_long"]


@pytest.mark.parametrize(("number", "text", "language", "there"), [
    ("3", "أغلق ثلاث نوافذ", "ar", True), ("7", "والسبع درجات", "ar", True), ("3", "Espera tres horas", "es-MX", True), ("3", "treinta puertas", "es-MX", False),
    ("1", "una puerta", "es-MX", True), ("3", "die dritte Stufe", "de-DE", True), ("21", "vingt et une heures", "fr-FR", True), ("21", "vingt heures", "fr-FR", False),
    ("1984", "hace mucho", "es-MX", False), ("2", "दो घंटे", "hi-IN", True), ("40", "घंटे", "hi-IN", False), ("3.5", "tres", "es-MX", False), ("3", "", "de-DE", False)])
def test_a_number_in_words_is_not_missing(number: str, text: str, language: str, there: bool) -> None:
    assert is_spelled_out(number, text, language) is there
    found = check_wordings([CheckedWording(1, f"Wait {number} hours", text)], "en-GB", language)
    assert ("number_missing" in {one.code for one in found}) is (not there and bool(text))
