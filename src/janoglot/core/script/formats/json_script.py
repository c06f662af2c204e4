"""Our own format in JSON, which holds everything that a script does: see docs/formats.md."""

from __future__ import annotations

import json
import math
from dataclasses import asdict
from typing import Any

from janoglot.core.errors import BadInput, Problem
from janoglot.core.guarded import read_json
from janoglot.core.languages import find_tag
from janoglot.core.script.formats.base import UNNAMED, Hints
from janoglot.core.script.markup import one_row
from janoglot.core.script.model import Script, ScriptEdition, ScriptLine, ScriptPart

VERSION = 2


class JsonScript:
    id = "json"
    name = "JSON"
    suffixes: tuple[str, ...] = (".json",)
    expects = "It should be an object with “lines”, each with “speaker” and “words”."

    def certain(self, text: str) -> bool:
        return text.lstrip("\ufeff \n\t").startswith("{") and '"lines"' in text

    def read(self, text: str, hints: Hints) -> Script:
        data = read_json(text.lstrip("\ufeff"))
        lines = data.get("lines") if isinstance(data, dict) else None
        if not isinstance(lines, list):
            raise BadInput("There are no “lines” in this JSON. Each should have “speaker” and “words”.")
        script = Script(source_language=_tag(data.get("source_language")) or hints.source_language or None)
        for number, entry in enumerate(lines, 1):
            line = _line(entry, number, script) if isinstance(entry, dict) else None
            if line is None:
                script.problems.append(Problem("no_words", "Line {number} holds no words: left out.",
                                               {"number": number}, number))
                continue
            script.lines.append(line)
            script.languages += [tag for tag in line.wordings if tag not in script.languages]
        _production(data, script)
        named = [tag for tag in map(_tag, data.get("languages") or []) if tag] \
            if isinstance(data.get("languages"), list) else []
        script.languages = list(dict.fromkeys([*named, *script.languages]))
        return script

    def write(self, script: Script, source_language: str, language: str | None = None) -> str:
        lines = []
        for line in script.lines:
            entry: dict[str, Any] = {"speaker": line.speaker, "words": line.words}
            if line.part:
                entry["part"] = line.part
            if line.slot:
                entry |= {"in": round(line.slot[0], 3), "out": round(line.slot[1], 3)}
            if line.notes:
                entry["notes"] = line.notes
            if line.on_screen:
                entry["on_screen"] = True
            if line.in_sight is not None:
                entry["in_sight"] = line.in_sight
            if line.wordings:
                entry["wordings"] = line.wordings
            if line.delivery and not script.editions:
                # A whole production says more exactly, of each edition, how its lines should sound.
                entry["delivery"] = line.delivery
            if line.clips:
                entry["clips"] = line.clips
            if line.own:
                entry["own"] = line.own
            lines.append(entry)
        whole: dict[str, Any] = {"version": VERSION, "source_language": source_language, "languages": script.languages}
        if script.target is not None:
            whole["target_lufs"] = script.target
        if script.fps is not None:
            whole["fps"] = script.fps
        if script.parts:
            whole["parts"] = [{"name": part.name, "in": part.start, "out": part.end, "may_grow": part.may_grow}
                              for part in script.parts]
        if script.voices:
            whole["voices"] = script.voices
        if script.sounds:
            whole["sounds"] = script.sounds
        if script.editions:
            whole["editions"] = {tag: _told(edition) for tag, edition in script.editions.items()}
        return json.dumps({**whole, "lines": lines}, ensure_ascii=False, indent=1) + "\n"


def _told(edition: ScriptEdition) -> dict[str, Any]:
    told = asdict(edition)
    return {name: value for name, value in told.items() if value or name in ("cast", "timing", "rates")}


def _line(entry: dict[str, Any], number: int, script: Script) -> ScriptLine | None:
    words = _words(entry.get("words"))
    wordings = {}
    for name, text in (entry.get("wordings") or {}).items() if isinstance(entry.get("wordings"), dict) else ():
        tag = _tag(name)
        if tag is None:
            script.problems.append(Problem("unknown_language", "“{name}” is no language: left out.",
                                           {"name": str(name)[:30]}, number))
        elif _words(text):
            wordings[tag] = _words(text)
    if not words and not wordings:
        return None
    start, end = entry.get("in"), entry.get("out")
    slot: tuple[float | None, float | None] = (None, None)
    if start is not None or end is not None:
        if isinstance(start, int | float) and isinstance(end, int | float) and 0 <= start < end <= 86_400:
            slot = (float(start), float(end))
        else:
            script.problems.append(Problem("bad_time", "“in” and “out” are no slot that runs forward: the line is "
                                           "kept without.", {}, number))
    sight = entry.get("in_sight")
    own = {tag: told for name, told in _objects(entry.get("own")) if (tag := _tag(name))}
    return ScriptLine(_words(entry.get("speaker")) or UNNAMED, words, slot[0], slot[1], _words(entry.get("notes")),
                      _words(entry.get("part")), number, wordings, entry.get("on_screen") is True,
                      sight if isinstance(sight, bool) else None, own, _words(entry.get("delivery")),
                      dict(entry["clips"]) if isinstance(entry.get("clips"), dict) else None)


def _production(data: dict[str, Any], script: Script) -> None:
    """What a whole production says beside its lines."""
    script.target, script.fps = _number(data.get("target_lufs")), _number(data.get("fps"))
    for entry in data["parts"] if isinstance(data.get("parts"), list) else []:
        if isinstance(entry, dict):
            script.parts.append(ScriptPart(_words(entry.get("name")), _number(entry.get("in")),
                                           _number(entry.get("out")), entry.get("may_grow") is True))
    script.voices = dict(_objects(data.get("voices")))
    script.sounds = dict(data["sounds"]) if isinstance(data.get("sounds"), dict) else {}
    for name, told in _objects(data.get("editions")):
        tag = _tag(name)
        if tag:
            timing = told.get("timing")
            script.editions[tag] = ScriptEdition(dict(_objects(told.get("cast"))),
                                                 dict(timing) if isinstance(timing, dict) else {},
                                                 dict(_objects(told.get("rates"))), _rows(told.get("lexicon")),
                                                 _rows(told.get("directions")))


def _objects(value: Any) -> list[tuple[str, dict[str, Any]]]:
    return [(str(name), told) for name, told in value.items() if isinstance(told, dict)] \
        if isinstance(value, dict) else []


def _rows(value: Any) -> list[dict[str, Any]]:
    return [row for row in value if isinstance(row, dict)] if isinstance(value, list) else []


def _number(value: Any) -> float | None:
    good = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
    return float(value) if good else None


def _words(value: Any) -> str:
    return one_row(value).strip() if isinstance(value, str) else ""


def _tag(value: Any) -> str | None:
    return find_tag(value) if isinstance(value, str) else None


FORMAT = JsonScript()
