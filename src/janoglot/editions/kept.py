"""What is still there of a take that has moved on."""

from __future__ import annotations

from janoglot.core.edition.standing import LineStanding
from janoglot.core.store import Store
from janoglot.productions.models import Sound


def kept_sound(line: LineStanding, store: Store) -> str | None:
    """The store's key of a take's own sound: as it was spoken, or the newest that was made of its lengths."""
    assert line.take is not None
    natural = f"{line.take.hash}.wav"
    if store.has(natural):
        return natural
    made = Sound.objects.filter(take=line.take.hash).order_by("quality", "-made").values_list("key", flat=True)
    return next((key for key in made if store.has(key)), None)
