from __future__ import annotations

import pytest

from janoglot.core.errors import UnknownLanguage
from janoglot.core.languages import direction, distance, english_name, find_tag, own_name, same_language, tag_of


@pytest.mark.parametrize(("name", "tag"), [
    ("French", "fr"), ("français", "fr"), ("FRENCH", "fr"), ("es-MX", "es-MX"), ("es_mx", "es-MX"), ("ES-mx", "es-MX"),
    ("Spanish (Mexico)", "es-MX"), ("español (México)", "es-MX"), ("Brazilian Portuguese", "pt-BR"),
    ("Portuguese, Brazil", "pt-BR"), ("English UK", "en-GB"), ("Latin American Spanish", "es-419"), ("Deutsch", "de"),
    ("hi", "hi"), ("Chinese", "zh"),
])
def test_languages_are_found_by_any_usual_name(name: str, tag: str) -> None:
    assert find_tag(name) == tag


@pytest.mark.parametrize("word", ["Name", "Wer", "Keeper", "Room", "words", "", "x" * 80, "!!"])
def test_words_that_are_no_language_are_none(word: str) -> None:
    assert find_tag(word) is None


def test_an_unknown_language_says_what_to_do() -> None:
    with pytest.raises(UnknownLanguage, match="“Harbourish”.*es-MX"):
        tag_of("Harbourish")


def test_names_directions_and_distances() -> None:
    assert own_name("es-MX") == "Español (México)"
    assert direction("ar-EG") == direction("he") == "rtl"
    assert direction("hi") == direction("zh-CN") == "ltr"
    assert distance("es-MX", "es-MX") == 0 < distance("es-MX", "es-419") < distance("es-MX", "es-ES") < 10
    assert distance("es-MX", "pt-BR") >= 10
    assert same_language("zh-CN", "cmn")


def test_no_two_languages_to_choose_from_have_one_name() -> None:
    from janoglot.core.speech.catalogue import catalogue

    tags = sorted({voice.locale for voice in catalogue().values() if "-x-" not in voice.locale})
    names = [english_name(tag) for tag in tags]
    assert sorted(set(names)) == sorted(names)
    assert english_name("en-GB-scotland") == "English (United Kingdom, Scotland)"


def test_every_language_of_the_list_stands_above_a_column_and_is_read_again() -> None:
    from janoglot.core.script.formats import read_script
    from janoglot.core.script.formats.table import CSV
    from janoglot.core.script.model import Script, ScriptLine
    from janoglot.core.speech.catalogue import languages

    for tag in languages():
        script = Script([ScriptLine("Keeper", "Mind the step.", wordings={tag: "x"})], [tag])
        source = "fr-FR" if tag == "en-GB" else "en-GB"
        read = read_script(CSV.write(script, source), "a.csv")
        assert (read.languages, read.lines[0].wordings) == ([tag], {tag: "x"}), tag
