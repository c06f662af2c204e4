"""What is otherwise in editions since they were handed over, or approved."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from janoglot.core.edition.plan import MixPlan, PlannedLine, plan_of
from janoglot.editions.keeping import current
from janoglot.editions.state import EditionState
from janoglot.productions.models import Edition
from janoglot.server.storage import mixes

_HEARD = ("words", "speaker", "recipe", "level_db", "room", "amount", "fade_out")
_MOVED = 0.002
"""Seconds that a line may lie elsewhere before that is a change."""


class Since:
    """Asked of several packages or links of one production: each edition is looked at once."""

    def __init__(self, editions: Iterable[Edition]) -> None:
        self._editions = {one.language: one for one in editions}
        self._states: dict[str, EditionState] = {}
        self._now: dict[str, dict[int, PlannedLine]] = {}

    def changed(self, recipes: Mapping[str, str]) -> dict[str, list[int]]:
        """``recipes``: by language the mix that it was. By language the ids of the lines that are heard otherwise by
        now, or not any more, or were not then; none where it is something else that changed, or what it was is not
        kept. Languages that are as they were are not in it."""
        found: dict[str, list[int]] = {}
        for language, recipe in recipes.items():
            edition = self._editions.get(language)
            if edition is None:
                continue
            state = self._states.get(language)
            if state is None:
                state = self._states[language] = current(edition, None).state
            stale = [one.id for one in state.lines if one.state == "out_of_date"]
            if state.mix_recipe != recipe or stale:
                found[language] = self._lines(language, state, recipe, stale)
        return found

    def _lines(self, language: str, state: EditionState, recipe: str, stale: Sequence[int]) -> list[int]:
        try:
            then = {one.line: one for one in MixPlan.read(mixes().path(f"{recipe}.plan")).lines}
        except (OSError, KeyError, TypeError, ValueError):
            return list(stale)
        if language not in self._now:
            self._now[language] = {one.line: one for one in plan_of(state).lines}
        now = self._now[language]
        order = {one.id: place for place, one in enumerate(state.lines)}
        other = {line for line in then.keys() | now.keys()
                 if line in stale or _otherwise(then.get(line), now.get(line))}
        return sorted(other, key=lambda line: order.get(line, len(order)))


def _otherwise(then: PlannedLine | None, now: PlannedLine | None) -> bool:
    if then is None or now is None:
        return True
    return any(getattr(then, name) != getattr(now, name) for name in _HEARD) or then.take.hash != now.take.hash \
        or abs(then.start - now.start) > _MOVED or abs(then.seconds - now.seconds) > _MOVED
