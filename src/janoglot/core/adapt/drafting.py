"""Drafts by machine: the best way from language to language through whatever drafts on this machine.

Shipped is Apertium, which works by rules. A user's own neural models (:mod:`.neural_drafting`) go before it; all is
offline.
"""

from __future__ import annotations

import heapq
import re
import shutil
import subprocess
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import count
from pathlib import Path
from typing import Protocol

import langcodes

from janoglot.core.adapt.protecting import numbers, protect
from janoglot.core.errors import EngineError
from janoglot.core.languages import english_name, primary

MODES = Path("/usr/share/apertium/modes")
_SECONDS = 60
_AT_ONCE = 80
"""Texts in one run of the engine."""
_MOST_STEPS = 3
_A_STEP = 0.5
_RULES, _RULES_NEAR = 3.0, 1.1
"""How rough a step by rules is, where a neural one is 1: between languages built alike it is nearly as good."""
_ROMANCE = {"an", "ast", "ca", "es", "fr", "gl", "it", "oc", "pt", "ro", "sc"}


@dataclass(frozen=True, slots=True)
class Draft:
    """A text that a machine made. ``unknown``: words that it did not know, as they stand in ``text``. ``lost``: what
    was to come through as it is and did not, so that a person must look. ``by``: who made each step of the way."""

    text: str
    unknown: tuple[str, ...] = ()
    lost: tuple[str, ...] = ()
    by: tuple[str, ...] = ()


class Drafter(Protocol):
    """What translates roughly from one language to another, in one step. Languages are primary subtags in ``reaches``,
    and tags as people give them in ``through``."""

    @property
    def name(self) -> str: ...

    def reaches(self, language: str) -> Mapping[str, float]:
        """The languages that it translates ``language`` to, each with what a step costs: how rough it is."""
        ...

    def through(self, texts: Sequence[str], source: str, target: str) -> list[tuple[str, set[str]]]:
        """Each text in ``target``, with the words that were not known. Raises EngineError where it fails."""
        ...


@dataclass(frozen=True, slots=True)
class Step:
    """From one language to another by one drafter."""

    source: str
    target: str
    drafter: Drafter


class DraftingEngine:
    """Makes rough wordings by the best way through what drafts here. Machine drafts never count as done."""

    def __init__(self, drafters: Sequence[Drafter]) -> None:
        self._drafters = drafters

    def steps(self, source: str, target: str) -> list[Step]:
        """The way that costs least, in at most three steps; none where there is no way."""
        start, end = primary(source), primary(target)
        if start == end:
            return []
        turn = count()
        ways: list[tuple[float, int, str, tuple[Step, ...]]] = [(0.0, next(turn), start, ())]
        done: set[str] = set()
        while ways:
            price, _, here, steps = heapq.heappop(ways)
            if here == end:
                return [replace(step, source=source if not at else step.source,
                                target=target if at + 1 == len(steps) else step.target)
                        for at, step in enumerate(steps)]
            if here in done or len(steps) == _MOST_STEPS:
                continue
            done.add(here)
            for drafter in self._drafters:
                for there, costs in drafter.reaches(here).items():
                    if there not in done:
                        # Spanish has the most and the best pairs.
                        odd = 0.0 if there in ("es", end) else 0.01
                        heapq.heappush(ways, (price + costs + _A_STEP + odd, next(turn), there,
                                              (*steps, Step(here, there, drafter))))
        return []

    def route(self, source: str, target: str) -> list[str] | None:
        """The languages that a text goes through, both ends with it; None where it cannot be had."""
        steps = self.steps(source, target)
        return [source, *(step.target for step in steps)] if steps else None

    def draft(self, texts: Sequence[str], source: str, target: str, names: Sequence[str] = ()) -> list[Draft]:
        """A draft for each text, ``names`` left alone. Raises EngineError where there is no route, or it fails."""
        steps = self.steps(source, target)
        if not steps:
            raise EngineError("There is no drafting engine from {source} to {target} here.",
                              source=english_name(source), target=english_name(target))
        guarded = [protect(" ".join(text.split()), names) for text in texts]
        current, unknown = _through(steps, [one.text for one in guarded])
        drafts = [one.restored(_tidy(text, target)) for one, text in zip(guarded, current, strict=True)]
        spoilt = [number for number, (_, lost) in enumerate(drafts) if lost]
        if spoilt:
            # Some drafters swallow what stands for a name: as it is, it may come through.
            bare, unknown_too = _through(steps, [" ".join(texts[number].split()) for number in spoilt])
            for at, number in enumerate(spoilt):
                text = _tidy(bare[at], target)
                lost = _not_in(text, guarded[number].kept)
                if len(lost) < len(drafts[number][1]):
                    drafts[number], unknown[number] = (text, lost), unknown_too[at]
        by = tuple(step.drafter.name for step in steps)
        return [Draft(whole, tuple(sorted(word for word in words if word in whole)), tuple(lost), by)
                for (whole, lost), words in zip(drafts, unknown, strict=True)]


def _through(steps: Sequence[Step], texts: Sequence[str]) -> tuple[list[str], list[set[str]]]:
    current, unknown = list(texts), [set[str]() for _ in texts]
    for step in steps:
        for number, (text, words) in enumerate(step.drafter.through(current, step.source, step.target)):
            current[number] = text
            unknown[number] |= words
    return current, unknown


def _not_in(text: str, kept: Sequence[str]) -> list[str]:
    there = numbers(text)
    return [what for what in kept if what not in text and not set(numbers(what)) & set(there)]


class Apertium:
    """Rules and dictionaries, as Debian packages them."""

    name = "Apertium"

    def __init__(self, modes: Path = MODES) -> None:
        self._modes = modes

    def reaches(self, language: str) -> Mapping[str, float]:
        if not shutil.which("apertium"):
            return {}
        return {there: _RULES_NEAR if {language, there} <= _ROMANCE else _RULES
                for here, there in sorted(_pairs(self._modes)) if here == language}

    def through(self, texts: Sequence[str], source: str, target: str) -> list[tuple[str, set[str]]]:
        mode = _mode(self._modes, source, target)
        done: list[str] = []
        for at in range(0, len(texts), _AT_ONCE):
            some = [text or " " for text in texts[at: at + _AT_ONCE]]
            # A paragraph each; where one came out as two, each by itself.
            made = re.split(r"\n\s*\n", self._run("\n\n".join(some), mode).strip("\n"))
            if len(made) != len(some):
                made = [self._run(text, mode) for text in some]
            done += [" ".join(text.split()) for text in made]
        return [(_MARK.sub("", text), {word for word in _MARKED.findall(text) if not _TOKEN.fullmatch(word)})
                for text in done]

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
    """What drafts on this machine: a user's own neural models before rules."""
    from janoglot.core.adapt.neural_drafting import neural_drafters

    return DraftingEngine([*neural_drafters(), Apertium()])
