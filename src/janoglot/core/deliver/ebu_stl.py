"""Captions as broadcasters exchange them: EBU STL.

Source: EBU Tech 3264 (1991), with its code tables; ISO/IEC 6937 for Latin letters, ISO/IEC 8859-5 to 8859-8 for others.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Sequence
from functools import cache

from ttconv.stl import iso6937

from janoglot.core.deliver.caption_rules import CaptionStyle
from janoglot.core.errors import BadInput
from janoglot.core.script.formats.cues import Cue

_LANGUAGES = {
    "sq": "01", "br": "02", "ca": "03", "hr": "04", "cy": "05", "cs": "06", "da": "07", "de": "08", "en": "09",
    "es": "0A", "eo": "0B", "et": "0C", "eu": "0D", "fo": "0E", "fr": "0F", "fy": "10", "ga": "11", "gd": "12",
    "gl": "13", "is": "14", "it": "15", "la": "17", "lv": "18", "lb": "19", "lt": "1A", "hu": "1B", "mt": "1C",
    "nl": "1D", "no": "1E", "nb": "1E", "oc": "1F", "pl": "20", "pt": "21", "ro": "22", "rm": "23", "sr": "24",
    "sk": "25", "sl": "26", "fi": "27", "sv": "28", "tr": "29", "uk": "49", "ru": "56", "fa": "5A", "el": "70",
    "he": "6C", "bg": "77", "be": "79", "ar": "7E"}
"""Languages by their numbers in Tech 3264, appendix 3."""
_TABLES = (("01", "iso8859_5"), ("02", "iso8859_6"), ("03", "iso8859_7"), ("04", "iso8859_8"))
_ALIKE = {"…": "...", "–": "—", "‐": "-", "‑": "-", "−": "-", "„": "“", "‚": "‘", "‹": "«",
          "›": "»", "\u00a0": " ", "ʼ": "’", "€": "EUR"}
_ALIKE_PLAIN = {**_ALIKE, "’": "'", "‘": "'", "“": '"', "”": '"', "—": "-", "–": "-", "«": '"', "»": '"'}
"""What stands for signs that a table has not: of the one for Latin letters, and of the others."""
_ROW, _NOTHING = 0x8A, 0x8F
_TEXT = 112
"""Bytes of text in a block."""
_CENTRED = 2
_ROWS = 23


def write_stl(cues: Sequence[Cue], language: str, style: CaptionStyle, title: str, above: frozenset[int],
              fps: float = 25.0, day: str = "") -> bytes:
    """A file of captions; ``above``: which (from 0) stand at the top; ``day`` as yymmdd. Times are the programme's, in
    frames of 1/25 s, of 1/30 where its picture has 30. Raises BadInput for letters that its tables have not."""
    rate = 30 if fps in (30.0, 60.0) else 25
    table, letters = _table(cues)
    blocks = []
    for number, cue in enumerate(cues):
        text = b"".join(bytes([_ROW]) * bool(row) + letters(text) for row, text in enumerate(cue.text.split("\n")))
        start = round(cue.start * rate)
        end = max(start + 1, round(cue.end * rate))
        rows = cue.text.count("\n") + 1
        place = 1 if number in above else _ROWS - rows
        # What is too long for one block goes on in others; the last says that it is.
        pieces = [text[at: at + _TEXT - 1] for at in range(0, len(text), _TEXT - 1)] or [b""]
        for at, piece in enumerate(pieces):
            more = 0xFF if at == len(pieces) - 1 else at
            blocks.append(bytes([0]) + number.to_bytes(2, "little") + bytes([more, 0]) + _code(start, rate)
                          + _code(end, rate) + bytes([place, _CENTRED, 0]) + piece.ljust(_TEXT, bytes([_NOTHING])))
    return _head(cues, len(blocks), language, style, title, table, rate, day) + b"".join(blocks)


def _code(frames: int, rate: int) -> bytes:
    seconds, frame = divmod(frames, rate)
    return bytes([seconds // 3600 % 24, seconds // 60 % 60, seconds % 60, frame])


def _head(cues: Sequence[Cue], blocks: int, language: str, style: CaptionStyle, title: str, table: str, rate: int,
          day: str) -> bytes:
    def field(text: str, size: int) -> bytes:
        # The head is in code page 850, whatever the captions are in.
        return text.encode("cp850", "replace")[:size].ljust(size)

    first = "".join(f"{one:02}" for one in _code(round(cues[0].start * rate), rate)) if cues else "00000000"
    fields = [("850", 3), (f"STL{rate}.01", 8), ("0", 1), (table, 2), (_LANGUAGES.get(language.split("-")[0], "00"), 2),
              (title, 32), ("", 32), ("", 32), ("", 32), ("", 32), ("", 32), ("", 16), (day, 6), (day, 6), ("00", 2),
              (f"{blocks:05}", 5), (f"{len(cues):05}", 5), ("001", 3), (f"{min(style.columns, 99):02}", 2),
              (f"{_ROWS:02}", 2), ("1", 1), ("00000000", 8), (first, 8), ("1", 1), ("1", 1), ("", 3),
              ("Janoglot", 32), ("", 32), ("", 32), ("", 75), ("", 576)]
    return b"".join(field(text, size) for text, size in fields)


@cache
def _latin() -> dict[str, bytes]:
    """Each letter's bytes in ISO 6937: an accent comes before what it stands on."""
    # Where others have the dollar this table has the sign of any currency.
    found = {chr(one): bytes([one]) for one in range(0x20, 0x7F) if one != 0x24} | {"$": b"\xa4", "¤": b"\xa8"}
    pairs = [bytes([high, low]) for high in range(0xC1, 0xD0) for low in range(0x41, 0x7B)]
    for code in [*(bytes([one]) for one in (*range(0xA0, 0xC0), *range(0xD0, 0x100))), *pairs]:
        try:
            letter = iso6937.decode(code, "strict")[0]
        except (UnicodeDecodeError, LookupError):
            continue
        if len(letter) == 1:
            found.setdefault(letter, code)
    return found


class _Letters:
    """Text in one of the tables."""

    def __init__(self, codec: str) -> None:
        self._codec = codec

    def __call__(self, text: str) -> bytes:
        """Raises BadInput for what it has not."""
        made = b""
        for letter in unicodedata.normalize("NFC", text):
            code = self._of(letter)
            if code is None:
                raise BadInput("EBU STL has no letter “{letter}” beside the others here.", letter=letter)
            made += code
        return made

    def has(self, text: str) -> bool:
        return all(self._of(letter) is not None for letter in unicodedata.normalize("NFC", text))

    def _of(self, letter: str) -> bytes | None:
        if unicodedata.category(letter) == "Cf":
            return b""
        if not self._codec:
            if letter in _latin():
                return _latin()[letter]
            like = _ALIKE.get(letter)
            return b"".join(_latin()[one] for one in like) if like else None
        for one in (letter, _ALIKE_PLAIN.get(letter, "")):
            try:
                code = one.encode(self._codec)
            except UnicodeEncodeError:
                continue
            # From 0x80 to 0x9F are rows and colours.
            if one and not any(0x80 <= byte < 0xA0 for byte in code):
                return code
        return None


def _table(cues: Sequence[Cue]) -> tuple[str, _Letters]:
    """The table that has all letters. Raises BadInput."""
    text = "".join(cue.text.replace("\n", "") for cue in cues)
    for number, codec in (("00", ""), *_TABLES):
        letters = _Letters(codec)
        if letters.has(text):
            return number, letters
    latin = _Letters("")
    missing = next(letter for letter in text if not latin.has(letter))
    raise BadInput("EBU STL has no letters for this: “{letter}”, for one.", letter=missing)
