"""Counting syllables by sound."""

from __future__ import annotations

from janoglot.core.speech.sounds import nuclei, said


def syllables(words: str, language: str) -> int:
    """How many syllables ``words`` have when they are spoken in ``language``."""
    return sum(max(1, nuclei(word.ipa)) for word in said(words, language) if word.ipa.strip())
