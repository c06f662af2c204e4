"""File names that every system takes."""

from __future__ import annotations

import re
import unicodedata

_RESERVED = {"con", "prn", "aux", "nul", *(f"{n}{i}" for n in ("com", "lpt") for i in range(1, 10))}


def file_name(text: str, fallback: str = "untitled", longest: int = 60) -> str:
    """``text`` as part of a file name: letters of any script, digits and hyphens; no path, no spaces."""
    plain = unicodedata.normalize("NFC", text)
    plain = re.sub(r"[^\w-]+", "-", plain, flags=re.UNICODE).strip("-_.")[:longest].strip("-")
    if not plain or plain.lower() in _RESERVED:
        return f"{fallback}-{plain}".strip("-") if plain else fallback
    return plain


def clip_name(number: int, speaker: str, language: str | None = None) -> str:
    """``007_Keeper_es-MX.wav``: by order, speaker and language."""
    tail = f"_{language}" if language else ""
    return f"{number:03}_{file_name(speaker, 'speaker')}{tail}.wav"
