"""Who is heard together with whom."""

from __future__ import annotations

import itertools

from janoglot.productions.models import Line, Production, Speaker


def who_is_together(production: Production) -> set[frozenset[str]]:
    """Pairs of speakers, by name, who share a part: of a script without parts, all of them."""
    names = dict(Speaker.objects.filter(production=production).values_list("id", "name"))
    by_part: dict[int | None, set[str]] = {}
    for part, speaker in Line.objects.filter(production=production).values_list("part_id", "speaker_id").order_by(
            ).distinct():
        by_part.setdefault(part, set()).add(names[speaker])
    return {frozenset(pair) for some in by_part.values() for pair in itertools.combinations(sorted(some), 2)}
