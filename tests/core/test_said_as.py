"""Words that are read as something else: other words, sounds, kinds of things; and the lexicon of such words."""

from __future__ import annotations

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from janoglot.core.errors import BadInput
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.directing import DirectionMark, carried, directed, lost_marks, marks_of
from janoglot.core.speech.engines import engine_named, formant_engine
from janoglot.core.speech.engines.base import Delivery
from janoglot.core.speech.heard import compare_said
from janoglot.core.speech.lexicon import (
    Lexicon,
    LexiconEntry,
    checked_entry,
    conflicts,
    lexicon_readings,
    proposed,
    read_csv,
    read_lexicon,
    read_pls,
    spelled_out,
    write_csv,
    write_pls,
)
from janoglot.core.speech.readings import Reading, checked_said, respelled
from janoglot.core.speech.sounds_of import sounds_of, unknown_sounds
from janoglot.core.speech.stave import stave_words
from janoglot.core.speech.takes import TakeRecipe, written_marks
from janoglot.core.speech.things_said import thing_said

# Kind, what is written, and how each of the demo's languages says it.
THINGS = [
    ("cardinal", "1203", {"en-GB": "one thousand, two hundred and three", "es-MX": "mil doscientos tres",
                          "fr-FR": "mille deux cent trois", "pt-BR": "mil, duzentos e três",
                          "de-DE": "eintausendzweihundertdrei"}),
    ("ordinal", "3", {"en-GB": "third", "es-MX": "tercero", "fr-FR": "troisième", "pt-BR": "terceiro", "de-DE": "dritte"}),
    ("digits", "407", {"en-GB": "four zero seven", "es-MX": "cuatro cero siete", "fr-FR": "quatre zéro sept",
                       "pt-BR": "quatro zero sete", "de-DE": "vier null sieben"}),
    ("characters", "RNLI", {"en-GB": "R N L I", "de-DE": "R N L I", "es-MX": "R N L I"}),
    ("telephone", "+44 20 79", {"en-GB": "plus four four, two zero, seven nine", "fr-FR": "plus quatre quatre, deux zéro, sept neuf"}),
    ("date", "2026-03-01", {"en-GB": "the first of March, twenty twenty six", "en-US": "March first, twenty twenty six",
                            "es-MX": "primero de marzo de dos mil veintiséis", "fr-FR": "premier mars deux mille vingt-six",
                            "pt-BR": "primeiro de março de dois mil e vinte e seis",
                            "de-DE": "erster März zweitausendsechsundzwanzig", "hi-IN": "1 मार्च 2026"}),
    ("date", "3/4/1998", {"en-GB": "the third of April, nineteen ninety eight", "en-US": "March fourth, nineteen ninety eight"}),
    ("time", "14:05", {"en-GB": "fourteen oh five", "es-MX": "catorce y cinco", "fr-FR": "quatorze heures cinq",
                       "pt-BR": "catorze horas e cinco", "de-DE": "vierzehn Uhr fünf", "hi-IN": "14 बजकर 5 मिनट",
                       "ar-EG": "الساعة أربعة عشر و خمسة دقيقة"}),
    ("time", "9", {"en-GB": "nine o'clock", "de-DE": "neun Uhr", "fr-FR": "neuf heures"}),
    ("currency", "€3.50", {"en-GB": "three euros fifty", "fr-FR": "trois euros cinquante", "de-DE": "drei Euro fünfzig"}),
    ("currency", "$21", {"es-MX": "veintiún dólares estadounidenses", "en-GB": "twenty-one US dollars"}),
    ("unit", "5 km", {"en-GB": "five kilometres", "es-MX": "cinco kilómetros", "fr-FR": "cinq kilomètres",
                      "pt-BR": "cinco quilômetros", "de-DE": "fünf Kilometer", "ar-EG": "خمسة كيلومترات"}),
    ("unit", "1 h", {"en-GB": "one hour", "es-MX": "una hora", "fr-FR": "une heure", "pt-BR": "uma hora", "de-DE": "eine Stunde"}),
    ("unit", "-3 °C", {"en-GB": "minus three degrees Celsius", "de-DE": "minus drei Grad Celsius"}),
]


@pytest.mark.parametrize(("kind", "written", "said"), THINGS)
def test_things_are_said_as_what_they_are(kind: str, written: str, said: dict[str, str]) -> None:
    assert {tag: thing_said(kind, written, tag) for tag in said} == said  # type: ignore[arg-type]


@pytest.mark.parametrize(("kind", "written"), [
    ("date", "2026-13-40"), ("date", "soon"), ("time", "25:99"), ("currency", "3.50"), ("unit", "5 parsnips"), ("ordinal", "x")])
def test_what_is_no_such_thing_is_read_as_it_is_written(kind: str, written: str) -> None:
    assert thing_said(kind, written, "en-GB") == ""  # type: ignore[arg-type]
    assert respelled(written, (Reading(0, len(written), kind),), "en-GB").words == written  # type: ignore[arg-type]


def test_which_sign_parts_thousands_is_told_by_where_it_stands_and_by_the_language() -> None:
    assert thing_said("cardinal", "1.203", "de-DE") == thing_said("cardinal", "1203", "de-DE")
    assert thing_said("cardinal", "1,203", "en-GB") == thing_said("cardinal", "1203", "en-GB")
    assert thing_said("cardinal", "1.5", "de-DE") == "eins Komma fünf"
    assert thing_said("cardinal", "1.203.400,5", "de-DE").endswith("Komma fünf")


class TestSpokenWords:
    WORDS = "Call 5 km to Kirrin, now."
    SPOKEN = respelled(WORDS, (Reading(5, 4, "unit"), Reading(13, 6, "alias", "Kay rin")), "en-GB")

    def test_places_go_there_and_back(self) -> None:
        assert self.SPOKEN.words == "Call five kilometres to Kay rin, now."
        assert self.SPOKEN.there(13, 7) == (24, 8)
        assert self.SPOKEN.back(24, 3) == (13, 6)
        assert self.SPOKEN.back(self.SPOKEN.words.index("now"), 3) == (self.WORDS.index("now"), 3)

    @given(st.lists(st.sampled_from(["tide", "a", "Kirrin", "ÉÉ"]), min_size=1, max_size=9), st.data())
    def test_any_word_that_is_read_otherwise_has_its_own_place(self, words: list[str], data: st.DataObject) -> None:
        text = " ".join(words)
        starts = [sum(len(word) + 1 for word in words[:number]) for number in range(len(words))]
        chosen = data.draw(st.sets(st.integers(0, len(words) - 1)))
        spoken = respelled(text, tuple(Reading(starts[n], len(words[n]), "alias", "other words") for n in sorted(chosen)), "en")
        for number, word in enumerate(words):
            at, length = spoken.there(starts[number], len(word))
            assert spoken.words[at: at + length] == ("other words" if number in chosen else word)
            assert spoken.back(at, length) == (starts[number], len(word))

    @pytest.mark.parametrize("voice", ["buzzard", "bittern"])
    def test_a_take_s_words_are_those_that_are_written(self, voice: str) -> None:
        delivery = directed(Delivery(), [DirectionMark("alias", 4, said="Kay rin island")], self.WORDS)
        recipe = TakeRecipe(self.WORDS, voice_named(voice), delivery, "en-GB")
        spoken = engine_named(recipe.voice.engine).speak(recipe.utterance)
        marks = written_marks(spoken.words, recipe.respelled)
        words = [self.WORDS[mark.at: mark.at + mark.length].strip(",. ") for mark in marks]
        assert "Kirrin" in words and words[-1] == "now"
        plain = TakeRecipe(self.WORDS, recipe.voice, Delivery(), "en-GB")
        plainly = written_marks(engine_named(recipe.voice.engine).speak(plain.utterance).words, plain.respelled)
        def lasts(found: list) -> float:  # type: ignore[type-arg]
            return next(mark.end - mark.start for mark in found if self.WORDS[mark.at:].startswith("Kirrin"))
        assert lasts(marks) > 1.5 * lasts(plainly)

    def test_sounds_that_are_told_are_said(self) -> None:
        """The network gets just those sounds; the light engine is heard to say them."""
        told = directed(Delivery(), [DirectionMark("ipa", 1, said="ˈɡalɪweɪ")], "The Kirrin boat.")
        rich = TakeRecipe("The Kirrin boat.", voice_named("buzzard"), told, "en-GB")
        engine = engine_named("rich")
        sounds = [mark.text for mark in engine.speak(rich.utterance).phonemes]
        assert "".join(sounds).replace("ˈ", "").count("ɡalɪwA") == 1
        light = formant_engine().speak(TakeRecipe("The Kirrin boat.", voice_named("bittern"), told, "en-GB").utterance)
        heard = [mark.text for mark in light.phonemes]
        assert [sound for sound in heard if sound in ("ɡ", "w", "eɪ")] == ["ɡ", "w", "eɪ"]
        assert [mark.at for mark in light.words] == [0, 4, 11]

    def test_other_words_make_another_take_and_no_words_the_same(self) -> None:
        voice = voice_named("buzzard")
        def take(*marks: DirectionMark) -> str:
            return TakeRecipe(self.WORDS, voice, directed(Delivery(), marks, self.WORDS), "en-GB").hash
        assert take(DirectionMark("alias", 4, said="Kay rin")) != take()
        assert take(DirectionMark("alias", 4, said="Kirrin")) == take()


class TestMarks:
    def test_a_word_is_read_in_one_way_only(self) -> None:
        with pytest.raises(BadInput):
            marks_of([{"kind": "alias", "word": 0, "said": "a"}, {"kind": "ipa", "word": 0, "said": "a"}], "Kirrin is here")

    @pytest.mark.parametrize("said", ["", "   ", "x" * 201])
    def test_a_reading_says_something(self, said: str) -> None:
        with pytest.raises(BadInput):
            marks_of([{"kind": "alias", "word": 0, "said": said}], "Kirrin")

    @pytest.mark.parametrize("wrong", ["K1r", "kɪ%n", "日"])
    def test_what_is_no_ipa_is_said(self, wrong: str) -> None:
        if wrong == "日":
            assert checked_said("ipa", "kɪɹɪn") == "kɪɹɪn"
            return
        with pytest.raises(BadInput, match="phonetic"):
            checked_said("ipa", wrong)

    def test_ipa_as_keyboards_have_it_is_put_right(self) -> None:
        assert checked_said("ipa", "/'gɑ:lə/") == "ˈɡɑːlə"

    def test_a_reading_goes_with_its_word_and_is_lost_with_it(self) -> None:
        marks = marks_of([{"kind": "alias", "word": 1, "said": "Kay rin"}, {"kind": "stress", "word": 2}], "The Kirrin boat")
        kept, lost = carried(marks, "The Kirrin boat", "Then the Kirrin boat came")
        assert [(mark.kind, mark.word) for mark in kept] == [("alias", 2), ("stress", 3)] and not lost
        kept, lost = carried(marks, "The Kirrin boat", "The Harbour boat")
        assert [mark.kind for mark in kept] == ["stress"] and lost == 1
        assert [mark.kind for mark in lost_marks(marks, "The Kirrin boat", "The Harbour boat")] == ["alias"]

    def test_marks_around_a_word_are_not_read(self) -> None:
        told = directed(Delivery(), [DirectionMark("currency", 1)], "Pay “€3.50”, please.")
        assert [(one.at, one.length) for one in told.readings] == [(5, 5)]


PLS = b"""<?xml version="1.0" encoding="UTF-8"?>
<lexicon version="1.0" xmlns="http://www.w3.org/2005/01/pronunciation-lexicon"
  alphabet="ipa" xml:lang="en-US">
  <lexeme><grapheme>tomato</grapheme><phoneme>t\xc9\x99m\xcb\x88e\xc9\xaa\xc9\xaao\xca\x8a</phoneme></lexeme>
  <lexeme><grapheme>W3C</grapheme><alias>World Wide Web Consortium</alias></lexeme>
  <lexeme><grapheme>theater</grapheme><grapheme>theatre</grapheme><phoneme prefer="true">\xcb\x88\xce\xb8\xc9\xaa\xc9\x99t\xc9\x99r</phoneme><phoneme>xxx</phoneme></lexeme>
  <lexeme><grapheme>quay</grapheme><phoneme alphabet="x-sampa">ki:</phoneme></lexeme>
</lexicon>"""
"""After the examples of the standard: a sound, an alias, two spellings of one word; and an alphabet that is not ours."""


class TestLexicon:
    def test_the_standard_s_examples_are_read(self) -> None:
        entries, left = read_pls(PLS)
        assert [(one.phrase, one.kind, one.language) for one in entries] == [
            ("tomato", "ipa", "en-US"), ("W3C", "alias", "en-US"), ("theater", "ipa", "en-US"), ("theatre", "ipa", "en-US")]
        assert entries[1].said == "World Wide Web Consortium" and entries[2].said == "ˈθɪətər"
        assert len(left) == 1 and "quay" in left[0]

    ENTRIES = st.lists(st.builds(
        checked_entry, st.text(st.characters(categories=["L", "N"]), min_size=1, max_size=12),
        st.sampled_from(["alias", "characters", "cardinal"]), st.text(st.characters(categories=["L"]), min_size=1, max_size=20),
        st.sampled_from(["en-GB", "es-MX", "ar-EG"]), st.booleans(), st.booleans(), st.sampled_from(["", "a note, with “marks”"])),
        max_size=6)

    @given(ENTRIES)
    def test_nothing_is_lost_on_the_way_out_and_in(self, entries: list[LexiconEntry]) -> None:
        assert read_pls(write_pls(entries, "en-GB").encode()) == (entries, [])
        assert read_csv(write_csv(entries).encode()) == (entries, []) or not entries

    @pytest.mark.parametrize("start", ["=", "+", "-", "@", "'=", "\t="])
    def test_no_cell_is_a_formula_and_all_come_back(self, start: str) -> None:
        entry = checked_entry(f"{start.strip()}1+1", "alias", f"{start.strip()}cmd", "en-GB", False, False, f"{start.strip()}A1")
        rows = list(csv.reader(io.StringIO(write_csv([entry]))))
        assert not any(cell[:1] in set("=+-@\t\r") for cell in rows[1])
        assert read_csv(write_csv([entry]).encode()) == ([entry], [])

    @pytest.mark.parametrize("data", [b"", b"<", b"<html/>", b"\xff\xfe\x00", b"<lexicon><lexeme></lexicon>",
                                      b"<!DOCTYPE x [<!ENTITY a 'b'>]><lexicon>&a;</lexicon>"])
    def test_what_is_none_is_said(self, data: bytes) -> None:
        with pytest.raises(BadInput):
            read_lexicon(data, "a.pls")

    def test_whole_words_with_their_endings_or_exactly(self) -> None:
        entry = checked_entry("Kirrin", "alias", "Kay rin", "en")
        words = "Kirrin’s boat, two Kirrins and one kirrin in Kirrington"
        found = lexicon_readings([entry], words, "en-GB")
        assert [words[one.at: one.at + one.length] for one in found] == ["Kirrin’s", "Kirrins", "kirrin"]
        assert [one.said for one in found] == ["Kay rin’s", "Kay rins", "Kay rin"]
        exact = checked_entry("Kirrin", "alias", "Kay rin", "en", case_matters=True, exact=True)
        assert [one.at for one in lexicon_readings([exact], words, "en-GB")] == [0]

    def test_the_longer_phrase_holds_and_another_language_does_not(self) -> None:
        entries = [checked_entry("tide", "alias", "tied", "en"), checked_entry("tide table", "alias", "timetable", "en"),
                   checked_entry("tide", "alias", "marea", "es")]
        found = lexicon_readings(entries, "The tide table", "en-GB")
        assert [one.said for one in found] == ["timetable"]

    def test_a_mark_on_the_word_itself_goes_before(self) -> None:
        lexicon = Lexicon([checked_entry("Kirrin", "alias", "Kay rin", "en")])
        told = directed(Delivery(), [DirectionMark("alias", 0, said="Ki rin")], "Kirrin and Kirrin", lexicon, "en-GB")
        assert [one.said for one in told.readings] == ["Ki rin", "Kay rin"]

    def test_two_that_do_not_agree_are_found(self) -> None:
        one, other = checked_entry("Kirrin", "alias", "a", "en-GB"), checked_entry("kirrin", "alias", "b", "en-US")
        assert conflicts([one, other, checked_entry("Kirrin", "alias", "c", "fr")]) == [(one, other)]

    def test_names_that_stand_often_are_proposed(self) -> None:
        texts = ["The RNLI came. Nobody saw Imka.", "Ask Imka and the RNLI.", "So Imka said: the RNLI?", "The tide. The tide. The tide."]
        assert proposed(texts, []) == [("RNLI", 3, "characters"), ("Imka", 3, "alias")]
        assert proposed(texts, [checked_entry("imka", "alias", "x")]) == [("RNLI", 3, "characters")]


def test_words_that_the_engine_spells_out_are_found() -> None:
    found = dict(spelled_out(["Ask the RNLI, not the BBC.", "Mr Pell said hmm to the crwth of NATO."], "en-GB", formant_engine()))
    assert "RNLI" in found and "NATO" not in found and "Mr" not in found
    assert not spelled_out(["Ask the RNLI."], "en-GB", formant_engine(), [checked_entry("rnli", "characters")])


def test_the_sounds_of_a_language_each_with_a_word() -> None:
    found = sounds_of("es-MX", ["La marea sube al muelle.", "Nadie llamó a la puerta del mar."], formant_engine())
    assert {"a", "e", "m", "l"} <= {one.ipa for one in found}
    assert found[0].vowel and all(one.word for one in found)
    assert unknown_sounds("θˈaθ", "es-ES", formant_engine()) == []
    assert unknown_sounds("ǃa", "es-ES", formant_engine()) == ["ǃ"]


def test_words_on_the_stave_are_the_line_s_own() -> None:
    words = "Call 5 km to Kirrin."
    recipe = TakeRecipe(words, voice_named("buzzard"), directed(Delivery(), [DirectionMark("unit", 1, count=2)], words), "en-GB")
    known = engine_named("rich").lengths(recipe.utterance)
    assert known is not None
    shown = stave_words(words, written_marks(known.words, recipe.respelled))
    assert [one.text for one in shown] == words.split()
    assert all(one.end > one.start for one in shown)


def test_a_name_that_is_read_otherwise_is_heard_right_when_that_is_heard() -> None:
    words = "The Kirrin boat comes at nine."
    recipe = TakeRecipe(words, voice_named("buzzard"), directed(Delivery(), [DirectionMark("alias", 1, said="Galloway")], words), "en-GB")
    right = compare_said(recipe.respelled, words, "The Galloway boat comes at nine.", "en-GB")
    wrong = compare_said(recipe.respelled, words, "The Galloway comes at nine.", "en-GB")
    assert right.error == 0.0 and not right.otherwise
    assert [words[one.at: one.at + one.length] for one in wrong.otherwise] == ["boat"]
    assert compare_said(None, words, "The Galloway boat comes at nine.", "en-GB").error > 0


@pytest.mark.parametrize(("words", "language", "spoken"), [
    ("Wir sehen uns um 18:45 Uhr am Steg.", "de-DE", "Wir sehen uns um achtzehn Uhr fünfundvierzig am Steg."),
    ("Um 7.05 Uhr, nicht um 8 Uhr.", "de-AT", "Um sieben Uhr fünf, nicht um 8 Uhr."),
    ("Um 18:45 am Steg.", "de-DE", "Um 18:45 am Steg."), ("At 18:45 Uhr", "en-GB", "At 18:45 Uhr"),
    ("Version 3.18.45 Uhr", "de-DE", "Version 3.18.45 Uhr"), ("Uhrwerk 18:45 Uhrwerk", "de-DE", "Uhrwerk 18:45 Uhrwerk")])
def test_a_time_of_day_says_its_clock_once(words: str, language: str, spoken: str) -> None:
    assert respelled(words, (), language).words == spoken


def test_so_does_one_that_is_marked_as_a_time() -> None:
    words = "Um 18:45 Uhr am Steg."
    found = respelled(words, (Reading(3, 5, "time"),), "de-DE")
    assert found.words == "Um achtzehn Uhr fünfundvierzig am Steg."
    assert found.back(found.words.index("Uhr"), 3) == (3, len("18:45 Uhr"))
    # Whoever says how it is read is heeded.
    assert respelled(words, (Reading(3, 9, "alias", "Viertel vor sieben"),), "de-DE").words == "Um Viertel vor sieben am Steg."
