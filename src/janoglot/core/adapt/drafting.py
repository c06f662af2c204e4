"""Drafts by machine, behind one protocol; the shipped engine is Apertium, which works by rules and offline."""

from __future__ import annotations

import re
import shutil
import subprocess
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from pathlib import Path
from typing import Protocol

import langcodes

from janoglot.core.adapt.protecting import protect
from janoglot.core.errors import EngineError
from janoglot.core.languages import english_name, primary

MODES = Path("/usr/share/apertium/modes")
_SECONDS = 60
_AT_ONCE = 80
"""Texts in one run of the engine."""


@dataclass(frozen=True, slots=True)
class Draft:
    """A text that a machine made. ``unknown``: words that it did not know, as they stand in ``text``. ``lost``: what
    was to come through as it is and did not, so that a person must look."""

    text: str
    unknown: tuple[str, ...] = ()
    lost: tuple[str, ...] = ()


class DraftingEngine(Protocol):
    """Makes rough wordings. Machine drafts never count as done."""

    id: str

    def route(self, source: str, target: str) -> list[str] | None:
        """The languages that a text goes through, both ends with it; None where it cannot be had."""
        ...

    def draft(self, texts: Sequence[str], source: str, target: str, names: Sequence[str] = ()) -> list[Draft]:
        """A draft for each text, ``names`` left alone. Raises EngineError where there is no route, or it fails."""
        ...


class ApertiumEngine:
    """Apertium, as Debian packages it, directly or through one other language."""

    id = "apertium"

    def __init__(self, modes: Path = MODES) -> None:
        self._modes = modes

    def route(self, source: str, target: str) -> list[str] | None:
        pairs = _pairs(self._modes)
        one, other = primary(source), primary(target)
        if one == other or not shutil.which("apertium"):
            return None
        if (one, other) in pairs:
            return [source, target]
        through = sorted(middle for first, middle in pairs if first == one and (middle, other) in pairs)
        if not through:
            return None
        # Spanish has the most and the best pairs.
        return [source, "es" if "es" in through else through[0], target]

    def draft(self, texts: Sequence[str], source: str, target: str, names: Sequence[str] = ()) -> list[Draft]:
        route = self.route(source, target)
        if route is None:
            raise EngineError("There is no drafting engine from {source} to {target} here.",
                              source=english_name(source), target=english_name(target))
        guarded = [protect(" ".join(text.split()), names) for text in texts]
        current = [one.text for one in guarded]
        unknown: list[set[str]] = [set() for _ in texts]
        for one, other in pairwise(route):
            current = self._through(current, one, other)
            for number, text in enumerate(current):
                unknown[number] |= {word for word in _MARKED.findall(text) if not _TOKEN.fullmatch(word)}
                current[number] = _MARK.sub("", text)
        drafts = []
        for one_guarded, text, words in zip(guarded, current, unknown, strict=True):
            whole, lost = one_guarded.restored(_tidy(text, target))
            drafts.append(Draft(whole, tuple(sorted(word for word in words if word in whole)), tuple(lost)))
        return drafts

    def _through(self, texts: Sequence[str], source: str, target: str) -> list[str]:
        mode = _mode(self._modes, source, target)
        done: list[str] = []
        for at in range(0, len(texts), _AT_ONCE):
            some = [text or " " for text in texts[at: at + _AT_ONCE]]
            # A paragraph each; where one came out as two, each by itself.
            made = re.split(r"\n\s*\n", self._run("\n\n".join(some), mode).strip("\n"))
            if len(made) != len(some):
                made = [self._run(text, mode) for text in some]
            done += [" ".join(text.split()) for text in made]
        return done

    def _run(self, text: str, mode: str) -> str:
        try:
            run = subprocess.run(["apertium", "-f", "txt", "-d", str(self._modes.parent), mode], input=text,
                                 capture_output=True, text=True, timeout=_SECONDS, check=True)
        except (OSError, subprocess.SubprocessError) as error:
            raise EngineError("The drafting engine stopped: {why}", why=str(error)[:200]) from error
        return run.stdout


_MARK = re.compile(r"[*@#](?=\w)")
_MARKED = re.compile(r"\*(\w[\w'’-]*)")
_TOKEN = re.compile(r"Xz[bcdfghjklm]+qz", re.IGNORECASE)


@lru_cache(maxsize=8)
def _pairs(modes: Path) -> dict[tuple[str, str], list[str]]:
    """By primary languages: the modes that there are, in the engine's own names."""
    found: dict[tuple[str, str], list[str]] = {}
    for place in sorted(modes.glob("*-*.mode")):
        parts = place.stem.split("-")
        if len(parts) == 2:  # three parts are variants that spell otherwise
            one, other = (_tag(part) for part in parts)
            if one and other:
                found.setdefault((primary(one), primary(other)), []).append(place.stem)
    return found


def _tag(code: str) -> str:
    base, _, place = code.partition("_")
    try:
        # Three-letter codes come to two where BCP 47 has two.
        tag = langcodes.standardize_tag(base)
    except ValueError:
        return ""
    return f"{tag}-{place}" if re.fullmatch(r"[A-Z]{2}", place) else "" if place else tag


def _mode(modes: Path, source: str, target: str) -> str:
    """The mode between two languages that is nearest to the target's country."""
    names = _pairs(modes)[(primary(source), primary(target))]
    country = langcodes.get(target).territory or ""
    return min(names, key=lambda name: (not (country and name.endswith(f"_{country}")), "_" in name, name))


_OPENED = {"?": "¿", "!": "¡"}


def _tidy(text: str, target: str) -> str:
    """Spaces before marks taken out; in languages that open questions and exclamations, they are opened."""
    text = re.sub(r"\s+([,.;:!?…])", r"\1", text) if primary(target) != "fr" else text
    if primary(target) not in ("es", "gl", "ast"):
        return text
    pieces = re.split(r"(?<=[.!?…])\s+", text)
    for number, piece in enumerate(pieces):
        mark = _OPENED.get(piece[-1:])
        if mark and mark not in piece:
            # What is asked begins behind a name or an aside.
            head, comma, rest = piece.partition(", ")
            pieces[number] = f"{head}{comma}{mark}{rest}" if comma and len(head.split()) == 1 and len(rest) > 3 \
                else f"{mark}{piece}"
    return " ".join(pieces)


def drafting_engine() -> DraftingEngine:
    return ApertiumEngine()
