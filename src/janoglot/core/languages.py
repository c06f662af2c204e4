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


_WRITTEN_TAG = re.compile(r"^[a-z]{2,3}(?:[-_][A-Z][a-z]{3})?(?:[-_](?:[A-Z]{2}|[a-z]{2}|\d{3}))?$|"
                          r"^[A-Z]{2}[-_][A-Za-z]{2}$|^[a-z]{2,3}(?:-[A-Z]{2})?-(?:x-[a-z0-9-]{2,20}|[a-z0-9]{5,8})$")
_CAPITAL_TAGS = {
    "EN", "FR", "DE", "ES", "PL", "RU", "JA", "ZH", "KO", "AR", "HI", "TR", "SV", "NL", "CS", "HU", "UK", "EL",
    "RO", "FI", "PT",
}
"""What is written so above a column means the language and nothing else."""
_THREE_LETTERS = {
    "eng", "fra", "fre", "deu", "ger", "spa", "ita", "por", "rus", "jpn", "zho", "chi", "kor", "ara", "hin",
    "nld", "dut", "pol", "tur", "swe", "ces", "cze", "ell", "gre", "hun", "ukr", "ron", "rum",
}
_WORDS = {
    "min", "man", "men", "ban", "bar", "bug", "ace", "end", "fin", "fan", "tag", "kit", "mad", "war", "was",
    "wer", "sex", "age", "art", "pos", "sfx", "vfx", "dur", "seq", "num", "ref", "url", "mic", "mix", "raw",
    "cue", "did", "day", "new", "row", "set", "key", "old", "any", "all", "our", "bed", "gap", "job", "map",
    "pay", "saw", "say",
}
"""Tags of small languages that are words of big ones."""
_NAMED_IN = ("en", "es", "fr", "de", "it", "pt", "nl", "pl", "ru", "sv", "da", "cs", "ja", "zh", "ko", "ar", "tr")


def tag_of_heading(heading: str) -> str | None:
    """The tag of a language that stands above a column, where that is plain: a tag written as tags are ("es-MX",
    "haw"), or just a language's name in its own or a widespread language, with a place or without. None for anything
    else, however near it comes to some language's name: "Gender" is no Gende."""
    text = " ".join(heading.split())
    if _WRITTEN_TAG.match(text) or text in _CAPITAL_TAGS or (text.isalpha() and text.lower() in _THREE_LETTERS):
        if text in _WORDS:
            return None
        try:
            standard = str(langcodes.standardize_tag(text))
            language = langcodes.Language.get(standard)
        except (LanguageTagError, ValueError):
            return None
        return standard if language.is_valid() and language.language else None
    tag = find_tag(text) if len(text) > 3 or not text.isascii() else None
    if tag is None:
        return None
    names = _names_of(tag.split("-")[0])
    words = re.split(r"[\s()\[\],/–-]+", text.casefold())
    return tag if any(name in text.casefold() and all(part in words for part in name.split()) for name in names) or any(
        name == text.casefold() for name in names) else None


@lru_cache(maxsize=1024)
def _names_of(language: str) -> frozenset[str]:
    """Every name of a language, in its own and in widespread languages."""
    told = langcodes.Language.get(language)
    names = {told.display_name(reader) for reader in _NAMED_IN} | {told.autonym()}
    return frozenset(re.sub(r"\s*\(.*\)", "", str(name)).casefold() for name in names)


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
    """The language subtag alone, with the macro-language that people cast by (cmn and yue are zh); "" of no tag."""
    if not tag:
        return ""
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


@lru_cache(maxsize=1024)
def territory(tag: str) -> str:
    """Where a language is spoken: the country of its tag, or the likeliest (CLDR): "GB" of en-GB, "ES" of es."""
    return langcodes.Language.get(tag).maximize().territory or ""


def three_letters(tag: str) -> str:
    """A language's code of ISO 639-2/T, as MP4 and Matroska want it; "und" where there is none."""
    try:
        return str(langcodes.Language.get(tag).to_alpha3()) if tag else "und"
    except (LookupError, LanguageTagError):
        return "und"
