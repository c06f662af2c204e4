"""What the mouths of source and dub do in an edition."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from janoglot.core.speech.takes import scaled_words
from janoglot.core.timing.lips import agreement, mouth_shapes
from janoglot.direct.state import EditionState
from janoglot.productions.models import Edition


def lips_of(state: EditionState) -> list[dict[str, Any]]:
    """Of the lines in sight that have a slot and a take. The source's mouth moves by its own take where there is one,
    brought to the slot; else by its words, spread over it."""
    wanted = [(s, p) for s, p in zip(state.lines, state.placements, strict=True)
              if s.line.in_sight and s.line.slot and s.take]
    if not wanted:
        return []
    production = state.edition.production
    source = Edition.objects.select_related("production").get(production=production,
                                                              language=production.source_language)
    originals = {s.line.pk: s for s in EditionState.load(source, [s.line.pk for s, _ in wanted]).lines}
    found = []
    for line, placement in wanted:
        assert line.line.slot
        assert line.take
        original = originals[line.line.pk]
        slot = line.line.slot[1] - line.line.slot[0]
        told = original.take.core() if original.take else None
        mine = mouth_shapes(original.words, source.language,
                            scaled_words(told.words, told.seconds, slot) if told else (), slot)
        take = line.take.core()
        theirs = mouth_shapes(line.words, state.edition.language,
                              scaled_words(take.words, take.seconds, placement.seconds), placement.seconds)
        # Both from where the slot begins.
        late = placement.late
        moved = [type(one)(round(one.at + late, 3), one.shape) for one in theirs]
        early = max(0.0, state.timing.tight_early + late)
        later = max(0.0, state.timing.tight_late - late)
        match = agreement(mine, moved, early, later)
        found.append({"line": line.line.pk, "score": match.score, "nudge": match.nudge, "nudged": match.nudged,
                      "original": [asdict(one) for one in mine], "dub": [asdict(one) for one in theirs]})
    return found
