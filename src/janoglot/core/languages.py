"""Languages by BCP 47 tag: understood from any usual name, named for the reader and for the speaker."""

from __future__ import annotations

import re
from functools import lru_cache

import langcodes
from langcodes.tag_parser import LanguageTagError

from janoglot.core.errors import UnknownLanguage

# What people write at the head of a column when they mean one country's variety of a language.
_COUNTRY_HINTS = {
    "latin america": "419",
    "latam": "419",
    "brazilian": "BR",
    "mexican": "MX",
    "canadian": "CA",
    "british": "GB",
    "american": "US",
    "swiss": "CH",
    "austrian": "AT",
    "belgian": "BE",
    "european": "150",
    "castilian": "ES",
    "uk": "GB",
    "us": "US",
    "usa": "US",
}
_TAG = re.compile(r"^[A-Za-z]{2,3}([-_][A-Za-z0-9]{1,8})*$")
_FEWEST_SPEAKERS = 1_000_000
# Scripts that are written from right to left (Unicode: bidirectional class R or AL).
_RIGHT_TO_LEFT = {"Arab", "Hebr", "Syrc", "Thaa", "Nkoo", "Adlm", "Rohg"}


@lru_cache(maxsize=4096)
def find_tag(name: str) -> str | None:
    """The BCP 47 tag that a person means by ``name``, or None.

    Takes tags in any case ("ES_mx"), English and native names ("French", "français"), and a name with
    a country in brackets, after a comma, or before it ("Spanish (Mexico)", "Brazilian Portuguese").
    """
    text = " ".join(name.strip().split())
    if not text or len(text) > 60:
        return None
    if _TAG.match(text):
        tag = _standard(text)
        if tag:
            return tag
    match = re.match(r"^(?P<language>[^()\[\],/–-]+?)\s*[(\[,/–-]+\s*(?P<place>[^()\[\]]+?)\s*[)\]]?$", text)
    if match:
        return _with_place(match["language"], match["place"])
    found = _by_name(text)
    if found:
        return found
    first, _, rest = text.partition(" ")
    if rest:
        return _with_place(rest, first) or _with_place(first, rest)
    return None


def tag_of(name: str) -> str:
    """As :func:`find_tag`, raising UnknownLanguage where the name says nothing."""
    tag = find_tag(name)
    if tag is None:
        raise UnknownLanguage(
            "“{name}” is not a language that can be recognised. Use a tag such as es-MX, or a name such as French.",
            name=name,
        )
    return tag


def _standard(text: str) -> str | None:
    try:
        tag = langcodes.standardize_tag(text)
        language = langcodes.Language.get(tag)
    except (LanguageTagError, ValueError):
        return None
    # langcodes accepts any three letters; a language that has no name is a word, not a language.
    if not language.is_valid() or language.language in (None, "und"):
        return None
    # Nearly every three letters are some language's code: a heading such as "Wer" is not meant so.
    if len(language.language or "") == 3 and "-" not in tag and language.speaking_population() < _FEWEST_SPEAKERS:
        return None
    return tag


@lru_cache(maxsize=4096)
def _by_name(text: str) -> str | None:
    try:
        return str(langcodes.find(text))
    except LookupError:
        return None


def _with_place(language: str, place: str) -> str | None:
    base = _standard(language) if _TAG.match(language) and len(language) <= 3 else None
    base = base or _by_name(language)
    if base is None:
        return None
    place = place.strip().lower()
    region = _COUNTRY_HINTS.get(place) or _region_of(place)
    return _standard(f"{base.split('-')[0]}-{region}") if region else None


@lru_cache(maxsize=1)
def _regions() -> dict[str, str]:
    names: dict[str, str] = {}
    for first in "ABCDEFGHIJKLMNOPQRSTUVWXYZ":
        for second in "ABCDEFGHIJKLMNOPQRSTUVWXYZ":
            code = first + second
            if code in ("XA", "XB"):  # pseudo-locales
                continue
            name = langcodes.Language.make(territory=code).territory_name("en")
            if name and not name.startswith("Unknown"):
                names.setdefault(name.lower(), code)
                names.setdefault(code.lower(), code)
    return names


def _region_of(place: str) -> str | None:
    known = _regions()
    if place in known:
        return known[place]
    # "México" and "Brasil" are how their own editions are headed.
    if len(place) <= 3:
        return None
    try:
        return langcodes.Language.find_name("territory", place).territory
    except LookupError:
        return None


def english_name(tag: str) -> str:
    """The language's name in English, with its place: "Spanish (Mexico)"."""
    return _with_variants(langcodes.Language.get(tag).display_name("en"), tag)


def own_name(tag: str) -> str:
    """The language's name as its own speakers write it: "Español (México)"."""
    name = langcodes.Language.get(tag).display_name(tag)
    return _with_variants(name[:1].upper() + name[1:], tag)


def _with_variants(name: str, tag: str) -> str:
    """The name with what else is in the tag ("en-GB-scotland"), which names in CLDR leave out: or two would be one."""
    variants = ", ".join(variant.capitalize() for variant in langcodes.Language.get(tag).variants or ())
    if not variants:
        return name
    return f"{name[:-1]}, {variants})" if name.endswith(")") else f"{name} ({variants})"


def direction(tag: str) -> str:
    """``"rtl"`` or ``"ltr"``, from the script that the language is written in."""
    script = langcodes.Language.get(tag).maximize().script
    return "rtl" if script in _RIGHT_TO_LEFT else "ltr"


def primary(tag: str) -> str:
    """The language subtag alone, with the macro-language that people cast by (cmn and yue are zh)."""
    language = langcodes.Language.get(tag).language or tag.split("-")[0].lower()
    return {"cmn": "zh", "no": "nb"}.get(language, language)


def distance(wanted: str, spoken: str) -> int:
    """How far ``spoken`` is from ``wanted``: 0 the same, under 10 another region, from 10 another language.

    Source: the language-matching distance of Unicode CLDR, through langcodes.
    """
    if primary(wanted) != primary(spoken):
        return 100
    return min(langcodes.tag_distance(wanted, spoken), 9)


def same_language(one: str, other: str) -> bool:
    return primary(one) == primary(other)
