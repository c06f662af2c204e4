"""Speaker labels: what of one is the name, what an aside, and which labels mean the same person."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable

from janoglot.core.script.model import Script

_ASIDE = re.compile(r"[(\[]([^()\[\]]*)[)\]]")
_CONTINUED = re.compile(r"\b(?:cont(?:inued|['’]?d)?|forts|suite|cont)\b\.?", re.IGNORECASE)


def name_and_aside(label: str) -> tuple[str, str]:
    """The name in a label, and what stood in brackets beside it.

    >>> name_and_aside(" KEEPER (O.S.): ")
    ('KEEPER', 'O.S.')
    """
    asides = [aside.strip() for aside in _ASIDE.findall(label)]
    name = _ASIDE.sub(" ", label).strip().rstrip(":：").strip()
    kept = [aside for aside in asides if aside and not _CONTINUED.fullmatch(aside)]
    return " ".join(name.split()) or label.strip(), "; ".join(kept)


def likeness(name: str) -> str:
    """What labels of one person have in common: letters and digits alone, without case or accents."""
    name = name_and_aside(name)[0]
    plain = unicodedata.normalize("NFKD", name.casefold())
    return "".join(ch for ch in plain if ch.isalnum())


def same_person(labels: Iterable[str]) -> list[list[str]]:
    """Groups of two labels or more that are nearly the same, each with the best one first.

    Nearly the same: alike but for case, marks, accents and asides, or one slip apart in a name of five letters
    or more that differs in no digit. The best is the plainest in its writing.
    """
    keys: dict[str, list[str]] = {}
    for label in labels:
        keys.setdefault(likeness(label), []).append(label)
    groups: list[list[str]] = []
    taken: set[str] = set()
    for key, found in keys.items():
        if key in taken:
            continue
        group = list(found)
        taken.add(key)
        for other in keys:
            if other not in taken and _one_slip(key, other):
                taken.add(other)
                group += keys[other]
        if len(group) > 1 and key:
            groups.append(sorted(group, key=_plainness))
    return groups


def merge_labels(script: Script) -> dict[str, list[str]]:
    """Make one speaker of labels that differ in case, accents and marks alone ("ODA", "Oda"); what a slip of the hand
    may have made different stays apart. Gives back, by the label that is kept, the others."""
    by_key: dict[str, list[str]] = {}
    for name in script.speakers:
        by_key.setdefault(likeness(name) or name, []).append(name)
    merged = {}
    for names in by_key.values():
        if len(names) > 1:
            kept, *others = sorted(names, key=_plainness)
            merged[kept] = others
    into = {other: kept for kept, others in merged.items() for other in others}
    for line in script.lines:
        line.speaker = into.get(line.speaker, line.speaker)
    return merged


def _plainness(label: str) -> tuple[bool, bool, int]:
    return bool(_ASIDE.search(label) or label.rstrip().endswith(":")), label.isupper() or label.islower(), len(label)


def _one_slip(one: str, other: str) -> bool:
    if min(len(one), len(other)) < 5 or abs(len(one) - len(other)) > 1:
        return False
    if [ch for ch in one if ch.isdigit()] != [ch for ch in other if ch.isdigit()]:
        return False
    start = 0
    while start < min(len(one), len(other)) and one[start] == other[start]:
        start += 1
    end = 0
    while end < min(len(one), len(other)) - start and one[-1 - end] == other[-1 - end]:
        end += 1
    left, right = one[start: len(one) - end], other[start: len(other) - end]
    # One letter more, less or other, or two that changed places.
    return max(len(left), len(right)) <= 1 or (len(left) == 2 and left == right[::-1])
