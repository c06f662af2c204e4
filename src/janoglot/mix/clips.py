"""From a placed line to what the mix takes: its rendition, made where it is missing, and its level."""

from __future__ import annotations

from janoglot.core.mix.programme import Clip
from janoglot.core.speech.takes import Quality, make_rendition_of_kept, make_sound, read_sound
from janoglot.core.store import Store
from janoglot.core.timing.placing import Placement
from janoglot.direct.models import Sound
from janoglot.direct.state import EditionState, LineState


def line_clip(state: EditionState, line: LineState, placement: Placement, store: Store) -> Clip | None:
    """The clip of a line that has a take: finished where that is made, else as a sketch.

    A take that is out of date is played as it was kept; None where no sound of it was.
    """
    assert line.take is not None
    take = line.take.core()
    if line.state == "current" and line.recipe:
        quality: Quality = state.quality(line) or "finish"
        key = make_sound(line.recipe, placement.seconds, take.seconds, quality, store)
    else:
        kept = kept_sound(line, store)
        if kept is None:
            return None
        key = make_rendition_of_kept(take, kept, placement.seconds, store)
    level = line.settings.level_db
    return Clip(placement.start, placement.seconds, take.lufs, lambda: read_sound(store, key), level)


def kept_sound(line: LineState, store: Store) -> str | None:
    """The store's key of a take's own sound: as it was spoken, or the newest that was made of its lengths."""
    assert line.take is not None
    natural = f"{line.take.hash}.wav"
    if store.has(natural):
        return natural
    made = Sound.objects.filter(take=line.take).order_by("quality", "-made").values_list("key", flat=True)
    return next((key for key in made if store.has(key)), None)
