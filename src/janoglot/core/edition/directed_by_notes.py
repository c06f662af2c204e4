"""What stage directions say of how lines are spoken, made into directing: moods, amounts, pauses, and rooms that a
voice is heard from. A direction of which a word is not understood is a note for people, and nothing else."""

from __future__ import annotations

from collections import Counter

import regex

from janoglot.core.script.directions import mood_meant, room_meant
from janoglot.core.script.model import DirectedSo, Script, ScriptLine
from janoglot.core.speech.mood_words import understood

_CLAUSES = regex.compile(r"[,;，、；،]| - ")


def direct_by_notes(script: Script, wanted: bool = True) -> None:
    """Have every line of a script directed as the directions among its words say, unless that is not ``wanted``; what
    was understood is told either way. A whole production's own decisions stay as they are."""
    if script.editions:
        return
    found: Counter[tuple[str, str]] = Counter()
    for line in script.lines:
        line.pauses = {language: (words, among) for language, (words, at) in line.pauses.items()
                       if (among := [word for word in at if 0 < word < len(words.split())])}
        told, room = _meant(line)
        delivery = understood(", ".join(told))
        found.update({("mood", mood) for mood, _ in delivery.moods} | {("dial", kind) for kind, *_ in delivery.dials})
        found.update({("room", room)} if room else ())
        found.update({("pause", "pause")} if line.pauses else ())
        if not wanted:
            line.pauses = {}
            continue
        line.delivery = ", ".join(filter(None, [line.delivery, *told]))
        line.room = line.room or room
    script.directed = [DirectedSo(kind, what, lines) for (kind, what), lines in found.most_common()]  # type: ignore[arg-type]
    script.directing = wanted if found else None


def _meant(line: ScriptLine) -> tuple[list[str], str]:
    """How a line is spoken, in plain English, and the room that it is heard from."""
    told: dict[str, None] = {}
    room = ""
    for direction in line.directions:
        for clause in filter(None, map(str.strip, _CLAUSES.split(direction))):
            plain = understood(clause)
            if room_meant(clause):
                room = room or room_meant(clause)
            elif mood_meant(clause):
                told[mood_meant(clause)] = None
            elif (plain.moods or plain.dials) and not plain.missed:
                told[clause] = None
    return list(told), room
