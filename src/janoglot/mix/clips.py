"""From a placed line to what the mix takes: its rendition, made where it is missing, and its level."""

from __future__ import annotations

from janoglot.core.mix.programme import Clip
from janoglot.core.speech.takes import make_rendition, make_rendition_of_kept, read_sound
from janoglot.core.store import Store
from janoglot.core.timing.placing import Placement
from janoglot.direct.state import LineState


def line_clip(line: LineState, placement: Placement, store: Store) -> Clip:
    """The clip of a line that has a take. A take that is out of date is played as it was kept."""
    assert line.take is not None
    take = line.take.core()
    if line.state == "current" and line.recipe:
        key = make_rendition(line.recipe, placement.seconds, take.seconds, store)
    else:
        key = make_rendition_of_kept(take, placement.seconds, store)
    level = line.casting.level_db if line.casting else 0.0
    return Clip(placement.start, placement.seconds, take.lufs, lambda: read_sound(store, key), level)
