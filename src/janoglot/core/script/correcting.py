"""Corrections of single rows of a script that was read, before anything is made of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from janoglot.core.errors import BadInput
from janoglot.core.script.cutting import ends_sentence, split_at, split_like
from janoglot.core.script.limits import LONGEST_NAME
from janoglot.core.script.markup import one_row
from janoglot.core.script.model import Script, ScriptLine

MOST = 5_000


@dataclass(frozen=True, slots=True)
class Correction:
    """What a person said of one line: ``speaker`` and ``words`` as they should be; ``drop`` leaves it out; ``split``
    is the character at which it becomes two."""

    speaker: str | None = None
    words: str | None = None
    drop: bool = False
    split: int | None = None


def corrections_from(data: Any) -> dict[str, Correction]:
    """By the key of a line, from JSON. Raises BadInput for what is none."""
    if not data:
        return {}
    if not isinstance(data, dict) or len(data) > MOST:
        raise BadInput("A script may have {most} corrections at most.", most=MOST)
    found = {}
    for key, one in data.items():
        if not isinstance(one, dict):
            raise BadInput("What is corrected of a line is said by speaker, words, drop or split.")
        speaker, words, split = one.get("speaker"), one.get("words"), one.get("split")
        if not (speaker is None or isinstance(speaker, str)) or not (words is None or isinstance(words, str)) or not (
                split is None or (isinstance(split, int) and not isinstance(split, bool) and split > 0)):
            raise BadInput("What is corrected of a line is said by speaker, words, drop or split.")
        found[str(key)] = Correction(" ".join(speaker.split())[:LONGEST_NAME] if speaker else None, words,
                                     bool(one.get("drop")), split)
    return found


def corrected(script: Script, corrections: Mapping[str, Correction]) -> list[str]:
    """Correct ``script`` where it stands. Gives the key of each of its lines: its place as it was read, from 0; of what
    was split off, the same with ".1" behind it."""
    lines: list[ScriptLine] = []
    keys: list[str] = []
    for number, line in enumerate(script.lines):
        pieces = [(str(number), line)]
        while pieces:
            key, piece = pieces.pop(0)
            one = corrections.get(key)
            if one is None:
                lines.append(piece)
                keys.append(key)
                continue
            if one.drop:
                continue
            piece = replace(piece, speaker=one.speaker or piece.speaker,
                            words=piece.words if one.words is None else one_row(one.words).strip())
            if one.split is not None and 0 < one.split < len(piece.words):
                piece, second = _cut(piece, one.split)
                pieces.insert(0, (f"{key}.1", second))
            if piece.words or piece.wordings:
                lines.append(piece)
                keys.append(key)
    script.lines = lines
    return keys


def _cut(line: ScriptLine, at: int) -> tuple[ScriptLine, ScriptLine]:
    left, right = split_at(line.words, at)
    share = len(left) / max(1, len(left) + len(right))
    halves = {tag: split_like(text, share, not ends_sentence(left)) for tag, text in line.wordings.items()}
    # Where it is a guess somebody has to read it.
    own = {**line.own, **{tag: {**line.own.get(tag, {}), "wording": {"state": "draft"}}
                          for tag, (_, second, sure) in halves.items() if second and not sure}}
    middle = None if line.slot is None else round(line.slot[0] + (line.slot[1] - line.slot[0]) * share, 3)
    first = replace(line, words=left, own=own, end=middle if line.slot else line.end,
                    wordings={tag: half[0] for tag, half in halves.items() if half[0]})
    second = replace(line, words=right, own=own, start=middle if line.slot else line.start, notes="",
                     wordings={tag: half[1] for tag, half in halves.items() if half[1]})
    return first, second
