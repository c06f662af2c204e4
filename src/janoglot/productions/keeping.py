"""What is kept, for how long, how much of it one person may hold, and what nothing needs any more."""

from __future__ import annotations

import json
import re
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from datetime import timedelta
from typing import TypeVar, cast

from django.conf import settings
from django.contrib.auth.models import User
from django.db import models, transaction
from django.db.models import Q, TextField
from django.db.models.functions import Cast
from django.utils import timezone
from django.utils.module_loading import autodiscover_modules

from janoglot.core.errors import JanoglotError
from janoglot.core.store import FolderStore, Kept, Store
from janoglot.productions.belonging import belongings
from janoglot.productions.models import (
    SENT,
    ActionRecord,
    LibrarySound,
    LineRecording,
    Media,
    Membership,
    Production,
    Role,
    Sound,
    SoundWorld,
    Take,
    WaitingRecording,
    Wording,
    original_stem,
)
from janoglot.productions.sounds_in_plans import kept_in
from janoglot.server.object_store import ObjectStore
from janoglot.server.storage import STORES, handed, media, mixes, store_named, takes

_GRACE = 24 * 3600.0
"""Seconds. What is so new may be on its way in."""
_TAKEN_AWAY = 7 * 24 * 3600.0
"""Seconds. What was made to be handed over is made again in no time."""
STAYING = (".orders", ".remark.flac", f".remark{SENT}", ".heard.m4a", ".heard.aac")
"""Ends of names in the store of what is handed over that age takes nothing of: what packages were made by, spoken
remarks, and what reviewers hear."""
_SOUNDS = (".wav", ".flac")
_HASH = re.compile(r"\b[0-9a-f]{40}\b")


class NoRoom(JanoglotError):
    code = "quota"


@dataclass(frozen=True, slots=True)
class Undoable:
    """A row that names files of the store of media, is gone, and could be brought back by undo: ``since`` when, and
    which records would."""

    label: str
    id: int
    keys: frozenset[str]
    production: int
    records: tuple[int, ...]
    since: float


def undoable_media() -> list[Undoable]:
    """What only undo holds on to, what went first before what went later."""
    found: dict[tuple[str, int], Undoable] = {}
    for one in belongings():
        if not one.media:
            continue
        there = set(one.rows().values_list("pk", flat=True))
        records = ActionRecord.objects.annotate(text=Cast("changes", TextField())).filter(
            text__contains=f'"{one.label}"').filter(Q(undone=None) | Q(abandoned=False))
        for record in records.order_by("id").values_list("pk", "production", "at", "undone", "changes"):
            pk, production, at, undone, changes = record
            for change in changes:
                if change["model"] != one.label or change["id"] in there:
                    continue
                place = (one.label, change["id"])
                before = found.get(place)
                keys = {row[name] for row in (change["before"], change["after"]) if row
                        for name in one.media if row.get(name)}
                found[place] = Undoable(
                    *place, (before.keys if before else frozenset()) | keys, production,
                    (*(before.records if before else ()), pk), (undone or at).timestamp())
    return sorted(found.values(), key=lambda one: one.since)


def let_go(gone: Undoable) -> None:
    """Have undo pass over a row that is gone: its records keep what was done, and bring it back no longer."""
    with transaction.atomic():
        for record in ActionRecord.objects.select_for_update().filter(pk__in=gone.records):
            record.changes = [change for change in record.changes
                              if (change["model"], change["id"]) != (gone.label, gone.id)]
            record.save(update_fields=["changes"])


def require_room(production: Production, size: int) -> None:
    """As :func:`require_room_of`, of whoever owns the production."""
    owners = Membership.objects.filter(production=production, role=Role.OWNER)
    _require_room(owners.values_list("user", flat=True), size)


def require_room_of(user: User, size: int) -> None:
    """Raises NoRoom, before anything is read, where ``size`` bytes more would be over a user's quota: the recordings
    of their productions, and their sounds in the library. What only undo holds on to makes room first, the oldest
    before the newer."""
    _require_room([user.pk], size)


def _require_room(owners: Iterable[int], size: int) -> None:
    owners = list(owners)
    own = set(Production.objects.filter(memberships__user__in=owners, memberships__role=Role.OWNER)
              .values_list("pk", flat=True))
    # Rows of an older version say no size.
    sizes = {key: said or _size(key)
             for key, said in Media.objects.filter(production__in=own).values_list("key", "size")}
    # A person's own takes count as well, each once.
    for model in (WaitingRecording, LineRecording):
        for key in model.objects.filter(edition__production__in=own).values_list("key", flat=True).distinct():
            sizes.setdefault(key, _size(key))
    for key, said in kept_sounds().filter(owner__in=owners).values_list("key", "size"):
        sizes.setdefault(key, said or _size(key))
    held = sum(sizes.values())
    if held + size > settings.MEDIA_QUOTA:
        raise NoRoom("Your recordings hold {held:.1f} of {most:.1f} GB; this one has {size:.1f}. Take one out first.",
                     held=held / 1024**3, most=settings.MEDIA_QUOTA / 1024**3, size=size / 1024**3)
    undone = [one for one in undoable_media() if one.production in own]
    of_undo = {key: _size(key) for one in undone for key in one.keys if key not in sizes}
    for one in undone:
        if held + size + sum(of_undo.values()) <= settings.MEDIA_QUOTA:
            return
        let_go(one)
        for key in one.keys:
            of_undo.pop(key, None)


def kept_sounds() -> models.QuerySet[LibrarySound]:
    """The library's sounds that are still there for somebody: those that are offered, and of those that are not any
    more what lies in a plan, or would after undo."""
    retired = set(LibrarySound.objects.filter(retired=True).values_list("pk", flat=True))
    lying: set[int] = set()
    if retired:
        lying = set().union(*(kept_in(plan) for plan in SoundWorld.objects.values_list("plan", flat=True)))
        for changes in ActionRecord.objects.annotate(text=Cast("changes", TextField())).filter(
                text__contains='"kept"').values_list("changes", flat=True):
            lying |= kept_in(changes)
    return LibrarySound.objects.filter(Q(retired=False) | Q(pk__in=retired & lying))


def _size(key: str) -> int:
    for name in (key, key.rpartition(".")[0] + SENT):
        with suppress(FileNotFoundError):
            return media().size(name)
    return 0


def forget_old_undo() -> None:
    """Let go of what was taken out longer ago than ``KEPT_DAYS``."""
    since = time.time() - timedelta(days=settings.KEPT_DAYS).total_seconds()
    for one in undoable_media():
        if one.since < since:
            let_go(one)


_needed: list[tuple[str, Callable[[], Iterable[str]]]] = []
Needs = TypeVar("Needs", bound=Callable[[], Iterable[str]])


def needs(store: str) -> Callable[[Needs], Needs]:
    """Register what tells the keys (of takes: the hashes) of ``store`` that something above this floor needs. Each app
    has these in its module ``needed``."""
    def register(tells: Needs) -> Needs:
        _needed.append((store, tells))
        return tells

    return register


def needed_in(store: str) -> set[str]:
    autodiscover_modules("needed")
    return {key for name, tells in _needed if name == store for key in tells()}


def forgotten_takes() -> set[str]:
    """Hashes of takes that were made long ago and that nothing has: no line, no recording, no template, none of the
    readings that are kept, no production that can be brought back, no step that can be undone. Of a production that was
    let go all takes are so at last. They would be made again where somebody wanted them."""
    old = Take.objects.filter(made__lt=timezone.now() - timedelta(days=settings.KEPT_DAYS))
    found = set(old.values_list("hash", flat=True))
    for relation in Take._meta.related_objects:
        if relation.on_delete is not models.CASCADE:
            found -= set(relation.related_model._default_manager.filter(
                **{f"{relation.field.name}__in": found}).values_list(relation.field.attname, flat=True))
    found -= set(Wording.objects.filter(take_id__in=found).values_list("take_id", flat=True))
    if found:
        found -= needed_in("takes")
        undoable = ActionRecord.objects.annotate(text=Cast("changes", TextField())).filter(
            Q(undone=None) | Q(abandoned=False)).values_list("text", flat=True)
        for text in undoable.iterator(chunk_size=200):
            found -= found & set(_HASH.findall(text))
    return found


def unneeded() -> Iterator[tuple[str, Kept]]:
    """Every file that nothing needs and undo cannot bring back, with its store's name: recordings and their copies that
    no production has; sounds of no take or of a forgotten one, and light takes at other lengths, made a while ago:
    these are made again where a mix wants them; what was handed over a while ago; mixes of editions that are gone, and
    what reviewers said and took back."""
    needed = {original_stem(key) for one in undoable_media() for key in one.keys}
    for table in belongings():
        for name in table.media:
            needed |= {original_stem(key) for key in table.rows().values_list(name, flat=True)}
    needed |= {original_stem(key) for key in kept_sounds().values_list("key", flat=True)}
    yield from (("media", kept) for kept in media().all() if original_stem(kept.key) not in needed)
    forgotten = forgotten_takes()
    sounds = set(Take.objects.values_list("hash", flat=True)) - forgotten
    sounds |= {key.rpartition(".")[0] for key, take in Sound.objects.values_list("key", "take")
               if take not in forgotten}
    sounding = ("peaks", *(ending[1:] for ending in _SOUNDS))
    yield from (("takes", kept) for kept in takes().all()
                if kept.key.rpartition(".")[2] in sounding and kept.key.rpartition(".")[0] not in sounds
                and time.time() - kept.at > timedelta(days=settings.KEPT_DAYS).total_seconds())
    yield from (("mixes", kept) for kept in _old_blocks())
    staying = needed_in("handed")
    yield from (("handed", kept) for kept in handed().all()
                if (kept.key not in staying if kept.key.endswith(STAYING) else time.time() - kept.at > _TAKEN_AWAY))


def _old_blocks() -> Iterator[Kept]:
    """Blocks that no mix is of any more, and what was measured of some a good while ago."""
    there = list(mixes().all())
    wanted = needed_in("mixes")
    needed: set[str] = set()
    for kept in there:
        if kept.key.endswith(".mix") and kept.key in wanted and mixes().has(kept.key):
            needed |= set(json.loads(mixes().path(kept.key).read_text())["blocks"])
    for kept in there:
        stem, _, ending = kept.key.rpartition(".")
        age = time.time() - kept.at
        if (ending == "f32" and stem not in needed and age > _GRACE) or (
                ending in ("mix", "plan") and kept.key not in wanted and age > _GRACE) or (
                ending in ("facts", "flac") and age > timedelta(days=settings.KEPT_DAYS).total_seconds()):
            yield kept


@dataclass(frozen=True, slots=True)
class Tidied:
    """What one store would be freed of: how many files, how many bytes; ``kept_for_undo`` bytes stay for undo alone."""

    store: str
    files: int
    size: int
    held: int
    kept_for_undo: int = 0


def tidy(really: bool = True) -> list[Tidied]:
    """Delete what nothing needs, but for what is so new that it may be on its way in; ``really`` False only says what
    would go."""
    if really:
        forget_old_undo()
        forgotten = sorted(forgotten_takes())
        for at in range(0, len(forgotten), 500):
            Take.objects.filter(hash__in=forgotten[at: at + 500]).delete()
    gone: dict[str, list[Kept]] = {name: _unfinished(name, really) for name in STORES}
    for name, kept in unneeded():
        if time.time() - kept.at >= _GRACE:
            gone[name].append(kept)
            if really:
                store_named(name).remove(kept.key)
    for name in STORES if really else ():
        folder_of(store_named(name)).forget_sums()
    undo = sum(_size(key) for key in {key for one in undoable_media() for key in one.keys}
               - set(Media.objects.values_list("key", flat=True)))
    found = []
    for name in STORES:
        store: Store = store_named(name)
        if really and isinstance(store, ObjectStore):
            store.trim(settings.STORE_NEAR // len(STORES))
        found.append(Tidied(name, len(gone[name]), sum(one.size for one in gone[name]),
                            sum(one.size for one in store.all()), undo if name == "media" else 0))
    return found



def folder_of(store: Store) -> FolderStore:
    """The files of a store on this machine: an object storage looks after its own, and has a folder before it."""
    return store.near if isinstance(store, ObjectStore) else cast(FolderStore, store)


def _unfinished(name: str, really: bool) -> list[Kept]:
    """What a process that ended in the middle of writing has left in a store."""
    store = folder_of(store_named(name))
    found = [one for one in store.unfinished() if time.time() - one.at >= _GRACE]
    for one in found if really else ():
        store.remove_unfinished(one)
    return found
