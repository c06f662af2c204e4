"""Who is cast by itself: of one place, and where no rich voice is at home, who was understood; natives or rich."""

from __future__ import annotations

import pytest

from janoglot.core.languages import territory
from janoglot.core.speech.casting import cast_rest, no_rich_natives
from janoglot.core.speech.catalogue import voice_named, voices_for
from janoglot.core.speech.intelligibility import sentences
from janoglot.core.speech.recogniser import recogniser_missing
from janoglot.core.speech.understanding import best_heard, hear, heard_speaking, heard_well, natives_heard
from janoglot.core.speech.voices import Voice

SIX = [f"S{n}" for n in range(6)]
WITHOUT_HOME = ["de-DE", "pl-PL", "tr-TR", "ru-RU", "sv-SE", "nl-NL", "ar-EG", "el-GR", "cs-CZ", "fi-FI", "ko-KR"]


def voices_of(cast: dict[str, str]) -> list[Voice]:
    return [voice_named(voice) for voice in cast.values()]


class TestNativesFirst:
    @pytest.mark.parametrize("language", ["fr-FR", "it-IT", "pt-BR", "hi-IN", "es-ES", "es-MX", "zh-CN"])
    def test_nobody_brings_an_accent_as_long_as_a_grown_up_native_is_free(self, language: str) -> None:
        grown = [voice for voice in voices_for(language) if voice.is_rich and voice.is_native(language) and voice.age != "child"]
        for count in {6, len(grown)}:
            cast = voices_of(cast_rest([f"S{n}" for n in range(count)], language, {}))
            assert all(voice.is_rich and voice.is_native(language) and voice.age != "child" for voice in cast), (count, [voice.id for voice in cast])
        more = voices_of(cast_rest([f"S{n}" for n in range(len(grown) + 3)], language, {}))
        assert {voice.id for voice in grown} < {voice.id for voice in more}, "then others, of whom no child is one"
        assert all(voice.age != "child" for voice in more)

    def test_a_grown_up_of_the_source_is_none_of_a_childs_voice_however_many_there_are(self) -> None:
        source = [voice.id for voice in voices_for("en-GB") if voice.is_rich and voice.age not in ("child", "teen")][:12]
        names = [f"S{n}" for n in range(12)]
        cast = voices_of(cast_rest(names, "fr-FR", {}, dict(zip(names, source, strict=True))))
        assert all(voice.age != "child" for voice in cast), [voice.id for voice in cast]


class TestWhereNobodyRichIsAtHome:
    @pytest.mark.parametrize("language", ["en-GB", "es-MX", "fr", "ja-JP", "zh-CN", "ti"])
    def test_elsewhere_there_is_nothing_to_choose(self, language: str) -> None:
        assert no_rich_natives(language) is None

    @pytest.mark.parametrize("language", WITHOUT_HOME)
    def test_six_without_help_are_understood_about_as_well_as_the_best_or_natives(self, language: str) -> None:
        cast, best = voices_of(cast_rest(SIX, language, {})), best_heard(language)
        assert len({voice.id for voice in cast}) == 6
        for voice in cast:
            if not voice.is_rich:
                assert voice.is_native(language)
                continue
            heard = heard_speaking(voice.base, language)
            assert heard is not None
            assert best is not None
            light = natives_heard(language)
            assert (heard.error <= best.error + 0.1 and heard.native >= best.native - 0.1) or (
                light is not None and heard.sounds <= light.sounds / 2), (voice.id, heard)
        natives = [voice for voice in voices_for(language) if not voice.is_rich and voice.is_native(language) and voice.age != "child"]
        assert all(voice.age != "child" for voice in cast)
        assert sum(not voice.is_rich for voice in cast) in (0, min(6, len(natives))), "of one kind, as far as there are enough"

    def test_german_has_enough_rich_voices_and_greek_has_not(self) -> None:
        german, greek = no_rich_natives("de-DE"), no_rich_natives("el-GR")
        assert german is not None
        assert greek is not None
        assert (german.usual, greek.usual) == ("rich", "natives")
        assert german.natives >= 10
        assert german.rich >= 6
        assert {"it", "hi"} <= set(german.homes)
        assert german.rich_heard == best_heard("de")

    @pytest.mark.parametrize("language", WITHOUT_HOME)
    def test_the_choice_is_kept_to(self, language: str) -> None:
        assert all(voice.is_native(language) and not voice.is_rich for voice in voices_of(cast_rest(SIX[:3], language, {}, choose="natives")))
        assert all(voice.is_rich for voice in voices_of(cast_rest(SIX[:3], language, {}, choose="rich")))

    def test_how_natives_are_understood_is_known_where_there_are_sentences(self) -> None:
        light = natives_heard("de")
        best = best_heard("de")
        assert light is not None
        assert best is not None
        assert best.error < light.error, "or rich voices would not be cast"

    @pytest.mark.skipif(bool(recogniser_missing()), reason="without the recogniser nobody hears")
    def test_a_german_cast_is_heard_as_well_as_the_table_says(self) -> None:
        best = best_heard("de-DE")
        assert best is not None
        heard = [hear(voice, "de-DE", sentences("de-DE")[2 * n: 2 * n + 2]) for n, voice in
                 enumerate(voices_of(cast_rest(SIX, "de-DE", {})))]
        assert sum(one.error for one in heard) / 6 <= best.error + 0.05
        assert sum(one.native for one in heard) / 6 >= best.native - 0.05


class TestOnePlace:
    @pytest.mark.parametrize(("language", "place"), [("es", "ES"), ("es-MX", "MX"), ("es-ES", "ES"), ("es-AR", "MX"), ("en", "US"),
                                                     ("en-GB", "GB"), ("en-US", "US")])
    def test_a_cast_is_of_one_place(self, language: str, place: str) -> None:
        assert {territory(voice.locale) for voice in voices_of(cast_rest(SIX[:5], language, {}))} == {place}

    def test_of_a_language_without_a_place_those_who_are_cast_decide(self) -> None:
        cast = voices_of(cast_rest(SIX[:4], "es", {"S0": "tecolote"}))
        assert {voice.locale for voice in cast} == {"es-MX"}

    def test_a_child_is_a_child_though_from_another_place(self) -> None:
        assert voices_of(cast_rest(["Imka"], "es-ES", {}, {"Imka": "linnet"}))[0].age == "child"

    def test_light_ones_are_of_one_place_too(self) -> None:
        rich = {voice.id for voice in voices_for("es") if voice.is_rich}
        cast = voices_of(cast_rest(SIX[:5], "es-MX", {}, avoid=rich))
        assert len({voice.locale for voice in cast}) == 1


def test_who_is_heard_well_is_near_the_best_or_far_clearer_than_natives() -> None:
    for language in WITHOUT_HOME:
        best, light = best_heard(language), natives_heard(language)
        assert best is not None
        rows = [row for base in heard_well(language) if (row := heard_speaking(base, language))]
        near = [row for row in rows if row.error <= best.error + 0.05 and row.native >= best.native - 0.05]
        if len(near) < len(rows):
            assert len(near) < 6, language
        assert all((row.error <= best.error + 0.1 and row.native >= best.native - 0.1) or (light and row.sounds <= light.sounds / 2)
                   for row in rows), language
