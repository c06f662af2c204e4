"""File names that every system takes."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping, Sequence

from janoglot.core.errors import BadInput

_RESERVED = {"con", "prn", "aux", "nul", *(f"{n}{i}" for n in ("com", "lpt") for i in range(1, 10))}


_MOST_BYTES, _MOST_OF_STEP = 120, 200
"""Of a name and of a whole step of a path, in UTF-8. File systems take 255; numbers, languages and endings come to
it."""


def _is_reserved(step: str) -> bool:
    """Whether Windows takes a step of a path for one of its devices: what stands before its first full stop counts,
    and digits that are written raised are digits."""
    return unicodedata.normalize("NFKC", step.partition(".")[0]).strip().casefold() in _RESERVED


def _safe(text: str, besides: str) -> str:
    """Letters with their marks and digits as they are, a hyphen for everything else: without its marks a word of
    Devanagari falls apart."""
    return "".join(one if one.isalnum() or one in besides or unicodedata.category(one)[0] == "M" else "-"
                   for one in text)


def _cut(text: str, longest: int, most: int = _MOST_BYTES) -> str:
    """No more letters, and no more bytes, than a step may have; never within a letter and its marks."""
    cut = text[:longest].encode()[:most].decode(errors="ignore")
    rest = text[len(cut):]
    while cut and rest and unicodedata.category(rest[0])[0] == "M":
        rest, cut = cut[-1] + rest, cut[:-1]
    return cut


def file_name(text: str, fallback: str = "untitled", longest: int = 60) -> str:
    """``text`` as part of a file name: letters of any script, digits and hyphens; no path, no spaces."""
    plain = re.sub("-{2,}", "-", _safe(unicodedata.normalize("NFC", text), "_-")).strip("-_.")
    plain = _cut(plain, longest).strip("-")
    if not plain or _is_reserved(plain):
        return f"{fallback}-{plain}".strip("-") if plain else fallback
    return plain


def clip_name(number: int, speaker: str, language: str | None = None) -> str:
    """``007_Keeper_es-MX.wav``: by order, speaker and language."""
    tail = f"_{language}" if language else ""
    return f"{number:03}_{file_name(speaker, 'speaker')}{tail}.wav"


FIELDS = ("production", "language", "edition", "part", "number", "speaker", "what")
"""What a pattern of names may hold."""
_FIELD = re.compile(r"\{(\w*)\}")


def check_pattern(pattern: str, most: int = 120) -> str:
    """The pattern itself: text, folders by “/”, and {fields}. Raises BadInput for what no file can be called by."""
    unknown = [name for name in _FIELD.findall(pattern) if name not in FIELDS]
    if unknown:
        raise BadInput("There is no field {{{name}}}: {all}.", name=unknown[0][:20],
                       all=", ".join(f"{{{name}}}" for name in FIELDS))
    rest = _FIELD.sub("x", pattern)
    if not rest.strip("/ ") or len(pattern) > most or "{" in rest or "}" in rest:
        raise BadInput("“{pattern}” is no pattern of names. Write for example {{production}}_{{language}}.",
                       pattern=pattern[:60])
    return pattern


def named_by(pattern: str, fields: Mapping[str, str | int]) -> str:
    """A path by a pattern: each field as a part of a file name, what stands around what is empty left out."""
    def put(match: re.Match[str]) -> str:
        value = fields.get(match[1], "")
        text = f"{value:03}" if isinstance(value, int) else str(value)
        return file_name(text, match[1]) if text else ""

    steps = []
    for step in pattern.split("/"):
        filled = re.sub(r"([_-])[_-]+", r"\1", _FIELD.sub(put, step))
        # Of what stands around the fields all that is safe anywhere; no step is hidden, or the one above.
        filled = re.sub("-{2,}", "-", _safe(filled, "_-.")).strip("-_. ")
        if filled:
            filled = _cut(filled, 100, _MOST_OF_STEP).strip("-")
            steps.append(f"file-{filled}" if _is_reserved(filled) else filled or "file")
    return "/".join(steps) or "file"


def apart(paths: Sequence[str]) -> list[str]:
    """The same paths, none twice by any system's rules: the later ones numbered."""
    taken: set[str] = set()
    made = []
    for path in paths:
        stem, dot, ending = path.rpartition(".")
        stem, tail = (stem, f".{ending}") if dot and "/" not in ending else (path, "")
        one, number = path, 2
        while one.casefold() in taken:
            one, number = f"{stem}-{number}{tail}", number + 1
        taken.add(one.casefold())
        made.append(one)
    return made
