"""Takes that editions have beside those that their lines are heard in."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from janoglot.core.edition.standing import clips_standing
from janoglot.editions.state import EditionState
from janoglot.productions.keeping import needs
from janoglot.productions.models import ClipTable, Edition, LineDirection


@needs("takes")
def as_editions_stand() -> Iterator[str]:
    """Of every line the take that is wanted, its readings that are kept to choose from, and its template's clips."""
    tabled = set(ClipTable.objects.values_list("line__production", flat=True))
    for edition in Edition.objects.select_related("production").iterator():
        state = EditionState.load(edition)
        kept: dict[int, set[int]] = {
            line: {variant, *(int(number) for number in names), *(int(one["number"]) for one in takes)}
            for line, variant, names, takes in LineDirection.objects.filter(edition=edition).values_list(
                "line", "variant", "names", "takes")}
        for line in state.lines:
            if line.recipe is not None:
                yield line.recipe.hash
                yield from (replace(line.recipe, variant=number).hash for number in kept.get(line.id, ()))
            if edition.production_id in tabled:
                yield from (clip.recipe.hash for clip in clips_standing(state.edition, line) if clip.recipe)
