from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from janoglot.core.adapt.drafting import Apertium, DraftingEngine, _tag, _tidy, drafting_engine
from janoglot.core.adapt.neural_drafting import ModelDamaged, found_models, read_folder
from janoglot.core.adapt.protecting import names_in, numbers, placeholders, protect
from janoglot.core.adapt.rude_words import has_list, rude_words
from janoglot.core.adapt.spelling import misspelt, speller
from janoglot.core.errors import EngineError
from tests.core.tiny_model import make_tiny_model


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
    ENGINE = DraftingEngine([Apertium()])

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


class TestNeural:
    """Models of a user's own, made here: a few words each."""

    @pytest.fixture
    def drafts(self, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
        pytest.importorskip("ctranslate2")
        pytest.importorskip("sentencepiece")
        monkeypatch.setenv("JANOGLOT_DRAFTS", str(tmp_path))
        return tmp_path

    def test_a_model_in_the_folder_is_found_and_goes_before_rules(self, drafts: Path) -> None:
        make_tiny_model(drafts / "opus-mt-en-es", {"tide": "marea", "clock": "reloj"})
        engine = drafting_engine()
        assert [step.drafter.name for step in engine.steps("en-GB", "es-MX")] == ["opus-mt-en-es"]
        tide, clock = engine.draft(["tide", "clock"], "en-GB", "es-MX")
        assert (tide.text, clock.text, tide.by) == ("marea", "reloj", ("opus-mt-en-es",))

    def test_it_is_chained_where_it_must_be(self, drafts: Path) -> None:
        make_tiny_model(drafts / "en-de", {"tide": "Flut"})
        make_tiny_model(drafts / "de_sv", {"Flut": "tidvatten"})
        engine = drafting_engine()
        assert engine.route("en-GB", "sv-SE") == ["en-GB", "de", "sv-SE"]
        (draft,) = engine.draft(["tide"], "en-GB", "sv-SE")
        assert (draft.text, draft.by) == ("tidvatten", ("en-de", "de_sv"))

    def test_a_model_of_several_targets_is_told_which(self, drafts: Path) -> None:
        make_tiny_model(drafts / "opus-mt-en-roa", {"tide": "marée"},
                        {">>spa<<": {"tide": "marea"}, ">>fra<<": {"tide": "marée"}})
        model = read_folder(drafts / "opus-mt-en-roa")
        assert set(model.reaches("en")) == {"es", "fr"}
        assert model.through(["tide"], "en", "es")[0][0] == "marea"
        assert model.through(["tide"], "en", "fr")[0][0] == "marée"

    def test_a_name_that_it_swallows_is_told(self, drafts: Path) -> None:
        make_tiny_model(drafts / "en-de", {"tide": "Flut"})
        (draft,) = drafting_engine().draft(["tide Marlow"], "en-GB", "de-DE", ["Marlow"])
        assert draft.lost == ("Marlow",)

    @pytest.mark.parametrize(("spoil", "says"), [
        ("source.spm", "no SentencePiece model"), ("source_vocabulary.json", "no vocabulary"), ("name", "languages it is for"),
    ])
    def test_what_is_wrong_with_a_folder_is_said(self, drafts: Path, spoil: str, says: str) -> None:
        place = make_tiny_model(drafts / "en-de", {"tide": "Flut"})
        if spoil == "name":
            place = place.rename(drafts / "my model")
        else:
            for name in [spoil, "shared_vocabulary.json"]:
                (place / name).unlink(missing_ok=True)
        ((found, why),) = found_models()
        assert found == place and isinstance(why, ModelDamaged) and says in str(why)
        assert drafting_engine().route("en-GB", "de-DE") is None

    def test_a_file_that_is_no_model_is_told_when_it_drafts(self, drafts: Path) -> None:
        place = make_tiny_model(drafts / "en-de", {"tide": "Flut"})
        (place / "model.bin").write_bytes(b"no model at all")
        with pytest.raises(ModelDamaged, match="cannot be loaded"):
            drafting_engine().draft(["tide"], "en-GB", "de-DE")


class _Stub:
    def __init__(self, name: str, reaches: dict[str, dict[str, float]]) -> None:
        self.name, self._reaches = name, reaches

    def reaches(self, language: str) -> dict[str, float]:
        return self._reaches.get(language, {})

    def through(self, texts: Sequence[str], source: str, target: str) -> list[tuple[str, set[str]]]:
        return [(f"{text}>{target}", set()) for text in texts]


class TestWays:
    def test_spanish_goes_through_portuguese_where_that_is_neural(self) -> None:
        rules = _Stub("rules", {"en": {"es": 3.0}, "pt": {"es": 1.1}})
        both = DraftingEngine([_Stub("neural", {"en": {"pt": 1.0}}), rules])
        assert [step.drafter.name for step in both.steps("en-GB", "es-ES")] == ["neural", "rules"]
        assert [step.drafter.name for step in DraftingEngine([rules]).steps("en-GB", "es-ES")] == ["rules"]

    def test_no_way_is_longer_than_three_steps(self) -> None:
        chain = _Stub("x", {"en": {"aa": 1.0}, "aa": {"bb": 1.0}, "bb": {"cc": 1.0}, "cc": {"dd": 1.0}})
        assert DraftingEngine([chain]).route("en", "cc") == ["en", "aa", "bb", "cc"]
        assert DraftingEngine([chain]).route("en", "dd") is None
