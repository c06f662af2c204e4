"""What the mouths of source and dub do in an edition, and how other wordings would agree."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from janoglot.core.adapt.gauge import predicted_seconds
from janoglot.core.edition.standing import LineStanding
from janoglot.core.errors import EngineError
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.takes import WordMark, scaled_words
from janoglot.core.timing.lips import MouthShape, agreement, mouth_shapes, ranked
from janoglot.editions.gauging import ground_of
from janoglot.editions.state import EditionState
from janoglot.productions.models import Edition, Line


def lips_of(state: EditionState) -> list[dict[str, Any]]:
    """Of the lines in sight that have a slot and a take. The source's mouth moves by its own take where there is one,
    brought to the slot; else by its words, spread over it."""
    wanted = [(s, p) for s, p in zip(state.lines, state.placements, strict=True)
              if s.line.in_sight and s.line.slot and s.take]
    if not wanted:
        return []
    production = state.row.production
    source = Edition.objects.select_related("production").get(production=production,
                                                              language=production.source_language)
    originals = {s.id: s for s in EditionState.load(source, [s.id for s, _ in wanted]).lines}
    found = []
    for line, placement in wanted:
        assert line.take
        mine = _source_mouth(originals[line.id], source.language)
        take = line.take
        theirs = mouth_shapes(line.words, state.edition.language,
                              scaled_words(take.words, take.seconds, placement.seconds), placement.seconds)
        # Both from where the slot begins.
        late = placement.late
        moved = [type(one)(round(one.at + late, 3), one.shape) for one in theirs]
        early = max(0.0, state.edition.timing.tight_early + late)
        later = max(0.0, state.edition.timing.tight_late - late)
        match = agreement(mine, moved, early, later)
        found.append({"line": line.id, "score": match.score, "nudge": match.nudge, "nudged": match.nudged,
                      "original": [asdict(one) for one in mine], "dub": [asdict(one) for one in theirs]})
    return found


def _source_mouth(original: LineStanding, language: str) -> list[MouthShape]:
    """What the source's mouth does in the line's slot."""
    assert original.line.slot
    slot = original.line.slot[1] - original.line.slot[0]
    told = original.take if original.take else None
    return mouth_shapes(original.words, language, scaled_words(told.words, told.seconds, slot) if told else (), slot)


def lips_of_wordings(edition: Edition, line: Line, texts: Sequence[str]) -> tuple[list[float | None], list[int]]:
    """How well takes of ``texts`` would agree with the mouth that is seen in a line's slot, before any is made: a score
    for each, and their indices, the best first. None, and the order as given, where the line has no slot, or no mouth
    is to be told.
    """
    production = edition.production
    source = Edition.objects.select_related("production").get(production=production,
                                                              language=production.source_language)
    original = EditionState.load(source, [line.pk]).lines
    if not line.slot or not original:
        return [None] * len(texts), list(range(len(texts)))
    mine = _source_mouth(original[0], source.language)
    slot = line.slot[1] - line.slot[0]
    mouths = [_mouth_of(edition, line, text, slot) for text in texts]
    return [agreement(mine, mouth).score for mouth in mouths], ranked(mine, mouths)


def _mouth_of(edition: Edition, line: Line, text: str, slot: float) -> list[MouthShape]:
    """As a take of ``text`` would move it, from the beginning of the slot: hurried into it where it is too long."""
    recipe = ground_of(edition, line.pk).recipe(text)
    if recipe is None:
        return mouth_shapes(text, edition.language, (), slot) if text.strip() else []
    try:
        lengths = engine_named(recipe.voice.engine).lengths(recipe.utterance)
        natural = lengths.seconds if lengths else predicted_seconds(recipe)
    except EngineError:
        return []
    played = min(natural, slot)
    marks = [WordMark(mark.start, mark.end, mark.at, mark.length) for mark in lengths.words] if lengths else []
    return mouth_shapes(recipe.spoken_words, recipe.language, scaled_words(marks, natural, played), played)
