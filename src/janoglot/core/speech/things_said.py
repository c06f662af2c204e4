"""Numbers, dates, times and the like in words, for readers that would say them otherwise.

What a kind of thing is follows the values that the trade uses for SSML's ``say-as`` (W3C note *SSML 1.0 say-as
attribute values*, 2005), and *currency* and *unit* beside them. Numbers in words are num2words's, names of months,
currencies and units the Unicode CLDR's, by Babel. Languages that those do not know keep their digits, which every
engine reads in its own way.
"""

from __future__ import annotations

import datetime
from decimal import Decimal, InvalidOperation
from typing import Literal

import regex
from babel import Locale, UnknownLocaleError
from babel.dates import get_month_names
from babel.numbers import get_currency_name
from babel.units import format_unit
from num2words import num2words

from janoglot.core.languages import primary

ThingKind = Literal["cardinal", "ordinal", "digits", "characters", "telephone", "date", "time", "currency", "unit"]

_SIGNS = {"€": "EUR", "$": "USD", "£": "GBP", "¥": "JPY", "₹": "INR", "R$": "BRL", "MX$": "MXN", "US$": "USD",
          "E£": "EGP", "₽": "RUB", "₺": "TRY", "zł": "PLN", "CHF": "CHF"}
_UNITS = {
    "km": "length-kilometer", "m": "length-meter", "cm": "length-centimeter", "mm": "length-millimeter",
    "mi": "length-mile", "ft": "length-foot", "in": "length-inch", "nmi": "length-nautical-mile",
    "kg": "mass-kilogram", "g": "mass-gram", "t": "mass-tonne", "lb": "mass-pound", "oz": "mass-ounce",
    "l": "volume-liter", "ml": "volume-milliliter", "°c": "temperature-celsius", "°f": "temperature-fahrenheit",
    "h": "duration-hour", "min": "duration-minute", "s": "duration-second", "ms": "duration-millisecond",
    "km/h": "speed-kilometer-per-hour", "m/s": "speed-meter-per-second", "mph": "speed-mile-per-hour",
    "kn": "speed-knot", "%": "concentr-percent", "ha": "area-hectare", "km²": "area-square-kilometer",
    "m²": "area-square-meter", "kw": "power-kilowatt", "w": "power-watt", "v": "electric-volt", "hz": "frequency-hertz",
    "khz": "frequency-kilohertz", "gb": "digital-gigabyte", "mb": "digital-megabyte", "db": "sound-decibel"}
_NUMBER = r"[+\-−]?\d[\d\s.,’' \u202f]*"
_PLUS = {"en": "plus", "es": "más", "fr": "plus", "pt": "mais", "de": "plus", "it": "più", "nl": "plus", "hi": "प्लस",
         "ar": "زائد"}
_COMMA_DECIMALS = {"es", "fr", "pt", "de", "it", "nl", "sv", "da", "nb", "no", "fi", "pl", "cs", "sk", "hu", "ro", "ru",
                   "uk", "tr", "el", "id", "vi", "bg", "hr", "sl", "sr", "lt", "lv", "et", "ca"}
_POINT_DECIMALS = {"es-MX", "es-US", "es-419", "es-GT", "es-HN", "es-PA", "es-SV", "es-DO"}


def thing_said(kind: ThingKind, written: str, language: str) -> str:
    """``written`` in the words of ``language`` (BCP 47); "" where it is no such thing."""
    text = " ".join(written.split())
    return {"cardinal": _cardinal, "ordinal": _ordinal, "digits": _digits, "characters": _characters,
            "telephone": _telephone, "date": _date, "time": _time, "currency": _currency, "unit": _unit}[kind](
                text, language)


def _cardinal(text: str, language: str) -> str:
    number = _number(text, language)
    return "" if number is None else _in_words(number, language)


def _ordinal(text: str, language: str) -> str:
    match = regex.match(r"\d+", text)
    return _in_words(Decimal(match[0]), language, "ordinal") if match else ""


def _digits(text: str, language: str) -> str:
    return " ".join(_in_words(Decimal(ch), language) for ch in text if ch.isdecimal())


def _characters(text: str, language: str) -> str:
    return " ".join(_in_words(Decimal(ch), language) if ch.isdecimal() else ch.upper()
                    for ch in text if ch.isalnum())


def _telephone(text: str, language: str) -> str:
    """Digit by digit, with a breath where the number is written apart."""
    groups = [_digits(group, language) for group in regex.findall(r"\d+", text)]
    plus = _PLUS.get(primary(language), "plus") if text.lstrip().startswith("+") else ""
    return " ".join(filter(None, [plus, ", ".join(groups)]))


def _date(text: str, language: str) -> str:
    day, month, year = _day_month_year(text, language)
    try:
        datetime.date(year or 2000, month, day or 1)
    except ValueError:
        return ""
    names = get_month_names("wide", "format", locale=_locale(language))
    return _date_words(day, names[month], year, language)


def _day_month_year(text: str, language: str) -> tuple[int, int, int]:
    if match := regex.fullmatch(r"(\d{4})[-/.](\d{1,2})(?:[-/.](\d{1,2}))?", text):
        return int(match[3] or 0), int(match[2]), int(match[1])
    if match := regex.fullmatch(r"(\d{1,2})[-/. ]+(\d{1,2})[.]?(?:[-/. ]*(\d{4}|\d{2}))?", text):
        first, second, year = int(match[1]), int(match[2]), int(match[3] or 0)
        year += 2000 if 0 < year < 70 else 1900 if 70 <= year < 100 else 0
        # Where the month comes first, unless it cannot.
        american = language.startswith("en-US") or language == "en"
        return (second, first, year) if (american and first <= 12) or second > 12 else (first, second, year)
    return 0, 0, 0


def _date_words(day: int, month: str, year: int, language: str) -> str:
    tongue = primary(language)
    year_words = ("" if not year else _in_words(Decimal(year), language, "year" if tongue in ("en", "de") else ""))
    if tongue == "en":
        nth = _in_words(Decimal(day), language, "ordinal") if day else ""
        said = month if not day else f"{month} {nth}" if language.startswith("en-US") else f"the {nth} of {month}"
        return f"{said}, {year_words}" if year else said
    if tongue == "de":
        nth = _in_words(Decimal(day), language, "ordinal") if day else ""
        return " ".join(filter(None, [f"{nth}r" if nth.endswith("e") else nth, month, year_words]))
    first = {"fr": "premier", "pt": "primeiro", "it": "primo", "es": "primero" if language != "es-ES" else "uno"}
    nth = first.get(tongue, "") if day == 1 else ""
    number = nth or (_in_words(Decimal(day), language) if day else "")
    joint = " de " if tongue in ("es", "pt", "ca", "gl") else " "
    return joint.join(filter(None, [number, month, year_words]))


def _time(text: str, language: str) -> str:
    text = regex.sub(r"\s*Uhr$", "", text)
    match = regex.fullmatch(r"(\d{1,2})(?:[:.h](\d{2}))?(?::(\d{2}))?\s*([AaPp])?\.?(?:[mM]\.?)?", text)
    if not match or int(match[1]) > 24 or int(match[2] or 0) > 59:
        return ""
    hour, minute = int(match[1]), int(match[2] or 0)
    half = f" {match[4].upper()} M" if match[4] else ""
    tongue, hours, minutes = primary(language), _in_words(Decimal(hour), language), _in_words(Decimal(minute), language)
    if tongue == "en":
        tail = minutes if minute > 9 else f"oh {minutes}" if minute else "" if half else (
            "o'clock" if 0 < hour <= 12 else "hundred")
        return " ".join(filter(None, [hours, tail])) + half
    if tongue == "es":
        hours = "una" if hour == 1 else regex.sub("uno$", "una", hours)
        return f"{hours} y {minutes}" if minute else f"{hours} en punto"
    if tongue == "fr":
        hours = regex.sub("un$", "une", hours)
        return " ".join(filter(None, [hours, "heure" if hour < 2 else "heures", minutes if minute else ""]))
    if tongue == "pt":
        hours = {1: "uma", 2: "duas", 21: "vinte e uma", 22: "vinte e duas"}.get(hour, hours)
        unit = "hora" if hour == 1 else "horas"
        return f"{hours} {unit} e {minutes}" if minute else f"{hours} {unit}"
    if tongue == "de":
        hours = "ein" if hour == 1 else hours
        return " ".join(filter(None, [hours, "Uhr", minutes if minute else ""]))
    if tongue == "it":
        hours = "una" if hour == 1 else hours
        return f"{hours} e {minutes}" if minute else f"{hours} in punto"
    if tongue == "hi":
        return f"{hours} बजकर {minutes} मिनट" if minute else f"{hours} बजे"
    if tongue == "ar":
        return f"الساعة {hours} و {minutes} دقيقة" if minute else f"الساعة {hours}"
    return f"{hours} {minutes}" if minute else hours


def _currency(text: str, language: str) -> str:
    signs = sorted(_SIGNS, key=len, reverse=True)
    sign = next((one for one in signs if one in text), "")
    code = _SIGNS.get(sign) or next(iter(regex.findall(r"\b[A-Z]{3}\b", text)), "")
    match = regex.search(_NUMBER, text)
    number = _number(match[0], language) if match else None
    if not code or number is None:
        return ""
    whole, cents = int(number), round((number - int(number)) * 100)
    name = get_currency_name(code, count=whole, locale=_locale(language))
    amount = _in_words(Decimal(whole), language, gender_of=name)
    return " ".join(filter(None, [amount, name, _in_words(Decimal(cents), language) if cents else ""]))


def _unit(text: str, language: str) -> str:
    match = regex.fullmatch(rf"({_NUMBER})([^\d\s.,].*)", text)
    unit = _UNITS.get(match[2].rstrip(".").lower()) if match else None
    number = _number(match[1], language) if match else None
    if unit is None or number is None:
        return ""
    locale = _locale(language)
    written = format_unit(int(number) if number == int(number) else float(number), unit, "long", locale=locale)
    # The number in words; where the unit has its own word for one, that is all there is.
    written = regex.sub(r"[\u200e\u200f]", "", written).replace("\u00a0", " ").replace("\u202f", " ")
    digits = regex.search(r"[+\-−]?\d(?:[\d.,\s’]*\d)?", written)
    if not digits:
        return written
    noun = written[digits.end():].split()
    said = _one(primary(language), noun[0] if noun else "") if number == 1 else ""
    return written.replace(digits[0], said or _in_words(number, language), 1)


def _one(tongue: str, noun: str) -> str:
    """The word for one before ``noun``, where it follows the noun; else ""."""
    if tongue in ("es", "pt"):
        return {"es": ("un", "una"), "pt": ("um", "uma")}[tongue][noun.endswith("a") and not noun.endswith("grama")]
    if tongue == "fr":
        return "une" if noun in ("heure", "minute", "seconde", "tonne", "livre", "once", "milliseconde") else "un"
    return ("eine" if noun.endswith("e") else "ein") if tongue == "de" else ""


def _number(text: str, language: str) -> Decimal | None:
    """A number as it is written in ``language``: which of point and comma parts thousands is told by where they stand,
    and where that tells nothing, by the language."""
    plain = regex.sub(r"[\s’'\u00a0\u202f]", "", text.strip()).replace("−", "-").rstrip(".,")
    point, comma = plain.rfind("."), plain.rfind(",")
    decimal = ""
    if point >= 0 and comma >= 0:
        decimal = "." if point > comma else ","
    elif point >= 0 or comma >= 0:
        sign = "." if point >= 0 else ","
        of_language = "," if primary(language) in _COMMA_DECIMALS and language not in _POINT_DECIMALS else "."
        thousands = regex.fullmatch(rf"[+-]?\d{{1,3}}(\{sign}\d{{3}})+", plain)
        decimal = "" if thousands and (plain.count(sign) > 1 or sign != of_language) else sign
    plain = "".join("." if ch == decimal else ch for ch in plain if ch == decimal or ch not in ".,")
    try:
        return Decimal(plain)
    except InvalidOperation:
        return None


def _in_words(number: Decimal, language: str, to: str = "", gender_of: str = "") -> str:
    """A number in words, or its digits where its words are not known."""
    tongue = {"pt": "pt_BR" if language == "pt-BR" else "pt", "en": "en"}.get(primary(language), primary(language))
    value = int(number) if number == int(number) else float(number)
    try:
        said = num2words(value, lang=tongue, to=to or "cardinal")
    except (NotImplementedError, OverflowError, TypeError, KeyError, ValueError, IndexError):
        return f"{value}"
    plain = regex.sub(r"\s+", " ", said.replace("-", " ") if tongue == "en" and to == "year" else said).strip()
    if tongue == "es" and gender_of:
        return regex.sub("uno$", "un", plain).replace("veintiun", "veintiún")
    return regex.sub(r"^ein[se]?$", "ein", plain) if tongue == "de" and gender_of else plain


def _locale(language: str) -> Locale:
    try:
        return Locale.parse(language, sep="-")
    except (UnknownLocaleError, ValueError):
        try:
            return Locale.parse(primary(language))
        except (UnknownLocaleError, ValueError):
            return Locale("en")
