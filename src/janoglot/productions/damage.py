"""What of the kept files is not as it was written: found by reading all of them, and made again where it can be."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from janoglot.productions.belonging import belongings
from janoglot.productions.keeping import STAYING, folder_of
from janoglot.productions.made import note_made
from janoglot.productions.models import SENT, Edition, LibrarySound, LineRecording, Sound, Take, original_stem
from janoglot.server.storage import STORES, store_named


@dataclass(frozen=True, slots=True)
class Damage:
    """A file that is *changed*, *cut off*, or *gone*. ``again``: it is made again when it is wanted next; else it has
    to be brought in again, and ``used`` says where it is."""

    store: str
    key: str
    what: str
    again: bool
    used: tuple[str, ...] = ()


def _originals() -> dict[str, tuple[str, ...]]:
    """What people brought in, by key: where each is used."""
    found: dict[str, list[str]] = {}
    for table in belongings():
        for column in table.media:
            rows: Any = table.rows().select_related(*(owner for owner in ("line", "edition") if owner in table.to))
            for row in rows:
                if key := getattr(row, column):
                    found.setdefault(key, []).append(_where(row, table.model._meta.verbose_name))
    for sound in LibrarySound.objects.filter(retired=False):
        found.setdefault(sound.key, []).append(f"the library's sound “{sound.name}”")
    return {key: tuple(dict.fromkeys(names)) for key, names in found.items()}


def _where(row: Any, kind: Any) -> str:
    production = row.production if hasattr(row, "production_id") else row.edition.production
    line = f", line {row.line.number}" if getattr(row, "line_id", None) else ""
    name = f" “{row.name}”" if getattr(row, "name", "") else ""
    return f"{kind}{name} of “{production.name}”{line}"


def _changed() -> Iterator[tuple[str, str, str]]:
    """Every file that is not as it was written: its store, its key, and what it is."""
    for name in STORES:
        store = folder_of(store_named(name))
        for kept in store.all():
            if not store.has(kept.key):
                yield name, kept.key, "cut off"
            elif store.is_whole(kept.key) is False:
                yield name, kept.key, "changed"


def _have_made_again(key: str) -> None:
    """What the tables say is there of a file that was taken out is not."""
    stem, _, ending = key.partition(".")
    Sound.objects.filter(key=key).delete()
    LineRecording.objects.filter(take=stem).update(state=LineRecording.State.READING)
    if ending == "wav":
        # A rich voice's take is its lengths: its sounds are rows of their own.
        Take.objects.filter(hash=stem, rate__gt=0).exclude(
            hash__in=LineRecording.objects.exclude(take=None).values("take")).delete()
    for edition in Edition.objects.filter(wordings__take_id=stem).distinct():
        note_made(edition, list(edition.wordings.filter(take_id=stem).values_list("line", flat=True)))


def damaged(really: bool = True) -> list[Damage]:
    """What is not as it was written, and what is named and not there. ``really``: what can be made again is taken out,
    so that it is; what lines have of a person's recording is prepared again."""
    originals = _originals()
    stems = {original_stem(key): key for key in originals}
    found: list[Damage] = []
    for name, key, what in _changed():
        lost = name == "media" and key in originals
        again = not lost and not (name == "handed" and key.endswith(STAYING))
        if really and not lost:
            folder_of(store_named(name)).remove(key)
            _have_made_again(key)
        copy_of = stems.get(original_stem(key), "") if name == "media" else ""
        found.append(Damage(name, key, what, again, originals.get(key) or originals.get(copy_of, ())))
    told = {one.key for one in found}
    media = store_named("media")
    found += [Damage("media", key, "gone", False, used) for key, used in sorted(originals.items())
              if key not in told and not media.has(key) and not media.has(key.rpartition(".")[0] + SENT)]
    return found
