from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from janoglot.core.adapt.drafting import ApertiumEngine, _tag, _tidy
from janoglot.core.adapt.protecting import names_in, numbers, placeholders, protect
from janoglot.core.adapt.rude_words import has_list, rude_words
from janoglot.core.adapt.spelling import misspelt, speller
from janoglot.core.errors import EngineError


class TestProtecting:
    def test_placeholders_of_every_usual_kind(self) -> None:
        text = 'Good {name}, {{count}} of %1$s <pause/> [pause] <break time="500ms"/> 100 %'
        assert placeholders(text) == ["{name}", "{{count}}", "%1$s", "<pause/>", "[pause]", '<break time="500ms"/>']

    @pytest.mark.parametrize(("one", "other"), [
        ("1,984 tides", "1.984 mareas"), ("in 1984", "en 1984"), ("3.5 m", "3,5 m"), ("48", "٤٨"), ("12 000", "12.000"),
        ("half past 9:30", "à 9:30"),
    ])
    def test_numbers_are_the_same_however_a_language_writes_them(self, one: str, other: str) -> None:
        assert numbers(one) == numbers(other) != []

    def test_a_word_with_digits_is_no_number(self) -> None:
        assert numbers("room B12 on 3rd street, no. 7") == ["7"]

    def test_names_are_found_as_words(self) -> None:
        assert names_in("Pell, Pellworm and Imka's boat", ["Imka", "Pell", "Worm"]) == ["Imka", "Pell"]

    @given(st.lists(st.sampled_from(["tide ", "{name} ", "1984 ", "Marlow ", "<pause/> ", "the ", "%s, "]), max_size=12))
    def test_everything_comes_back(self, pieces: list[str]) -> None:
        text = "".join(pieces)
        guarded = protect(text, ["Marlow"])
        for kept in ("{name}", "1984", "Marlow", "<pause/>", "%s"):
            assert kept not in guarded.text
        assert guarded.restored(guarded.text) == (text, [])

    def test_what_is_lost_is_told(self) -> None:
        assert protect("Wait <pause/> here").restored("Espera aquí") == ("Espera aquí", ["<pause/>"])


class TestApertium:
    ENGINE = ApertiumEngine()

    def test_where_it_goes(self) -> None:
        assert self.ENGINE.route("en-GB", "es-MX") == ["en-GB", "es-MX"]
        assert self.ENGINE.route("en-GB", "pt-BR") == ["en-GB", "es", "pt-BR"]
        assert self.ENGINE.route("en-GB", "de-DE") is None
        assert self.ENGINE.route("en-GB", "en-US") is None

    @pytest.mark.parametrize("language", ["es-MX", "fr-FR", "pt-BR", "it-IT", "ca-ES"])
    def test_names_numbers_pauses_and_placeholders_survive(self, language: str) -> None:
        source = "Marlow, the {thing} has been loose since 1984 <pause/> and 3.5 metres long."
        (draft,) = self.ENGINE.draft([source], "en-GB", language, ["Marlow"])
        assert draft.lost == ()
        for kept in ("Marlow", "{thing}", "1984", "<pause/>", "3.5"):
            assert kept in draft.text
        assert "the" not in draft.text.split()

    def test_as_many_drafts_as_texts_in_their_order(self) -> None:
        texts = [f"The tide is in room {n}." for n in range(1, 120)]
        texts[5] = ""
        drafts = self.ENGINE.draft(texts, "en-GB", "es-MX")
        assert [numbers(draft.text) for draft in drafts] == [numbers(text) for text in texts]

    def test_words_that_it_did_not_know_are_told_where_they_stand(self) -> None:
        (draft,) = self.ENGINE.draft(["The dolphinarium is open."], "en-GB", "es-MX")
        assert draft.unknown == ("dolphinarium",)
        assert "*" not in draft.text

    def test_questions_are_opened_in_spanish(self) -> None:
        assert self.ENGINE.draft(["Who is it?"], "en-GB", "es-MX")[0].text.startswith("¿")

    def test_no_way_there_is_said(self) -> None:
        with pytest.raises(EngineError, match="German"):
            self.ENGINE.draft(["Yes."], "en-GB", "de-DE")


@pytest.mark.parametrize(("code", "tag"), [("eng", "en"), ("spa", "es"), ("pt_BR", "pt-BR"), ("cat_valencia", ""), ("fr", "fr")])
def test_the_engines_names_of_languages(code: str, tag: str) -> None:
    assert _tag(code) == tag


def test_marks_are_tidied() -> None:
    assert _tidy("Quién es ? Nadie .", "es-ES") == "¿Quién es? Nadie."
    assert _tidy("Marlow, quién es?", "es-ES") == "Marlow, ¿quién es?"
    assert _tidy("Qui est-ce ?", "fr-FR") == "Qui est-ce ?"


class TestSpelling:
    def test_a_slip_is_found_where_it_stands(self) -> None:
        text = "La marea empuja el aier {name}, dice Marlow."
        assert [text[at: at + length] for at, length in misspelt(text, "es-MX", ["Marlow"])] == ["aier"]

    def test_the_right_word_is_suggested(self) -> None:
        found = speller("es-MX")
        assert found is not None
        assert "aire" in found.suggestions("aier")

    def test_another_country_of_the_language_does(self) -> None:
        assert misspelt("Die Flut drückt die Luft.", "de-AT") == []

    def test_where_there_is_no_dictionary_nothing_is_doubted(self) -> None:
        assert misspelt("qwertz", "ja-JP") == []

    @pytest.mark.parametrize(("text", "language"), [("المتحف يرسل أحدًا كل عشر سنوات.", "ar-EG"),
                                                    ("तुम यहाँ पानी के रास्ते आते हो", "hi-IN")])
    def test_marks_above_and_below_letters_belong_to_the_word(self, text: str, language: str) -> None:
        assert speller(language)
        assert misspelt(text, language) == []
        assert names_in("काकी आई", ["का"]) == []
        assert names_in("का आई", ["का"]) == ["का"]


def test_rude_words_in_any_inflection_and_no_innocent_ones() -> None:
    assert rude_words("Was für eine Scheiße, Marlow!", "de-DE") == [(13, 7)]
    assert len(rude_words("Fucking tide.", "en-GB")) == 1
    for innocent, language in (("Il est bien connu.", "fr-FR"), ("The cockle boat, class assistant", "en-GB"),
                               ("Conoce el muelle con calma.", "es-ES"), ("Die Schwester hurtig", "de-DE")):
        assert rude_words(innocent, language) == [], innocent
    assert has_list("es-MX")
    assert not has_list("sw-KE")
