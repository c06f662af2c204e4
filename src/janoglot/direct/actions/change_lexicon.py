"""The lexicon: entries added, changed, taken out and brought in, of one production or of all that a person has made."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict

from django.db import transaction

from janoglot.core.errors import BadInput
from janoglot.core.speech.lexicon import MOST_ENTRIES
from janoglot.core.speech.lexicon import LexiconEntry as CoreEntry
from janoglot.productions.models import ActionRecord, LexiconEntry, Production
from janoglot.productions.permissions import Anyone, require_change, signed_in
from janoglot.productions.recorder import action, hold, next_stamp


def add_entries(user: Anyone, production: Production, entries: Sequence[CoreEntry], shared: bool = False) -> int:
    """Entries for this production, or for all that its maker has made. What says the same phrase in the same language
    gives way to the new. Gives back how many are new or other than before. Raises BadInput for too many."""
    require_change(user, production)
    if shared:
        _require_own(user, production)
        with transaction.atomic():
            hold(production)
            there = _there(production, shared, entries)
            changed = 0
            for key, entry in _by_key(entries).items():
                row = there.get(key)
                if row is None:
                    LexiconEntry.of(entry, None, production.created_by).save()
                    changed += 1
                elif row.core != entry:
                    LexiconEntry.objects.filter(pk=row.pk).update(**asdict(entry))
                    changed += 1
            _tell(user, production)
        return changed
    with action(user, production, "change_lexicon") as record:
        record.summary = ", ".join(entry.phrase for entry in entries)[:200]
        record.details = {"phrase": entries[0].phrase if entries else "", "count": len(entries)}
        there = _there(production, shared, entries)
        changed, made = 0, []
        for key, entry in _by_key(entries).items():
            row = there.get(key)
            if row is None:
                made.append(LexiconEntry.of(entry, production, None))
            elif record.update(row, **asdict(entry)):
                changed += 1
        record.create_all(made)
    return changed + len(made)


def _there(production: Production, shared: bool, entries: Sequence[CoreEntry]) -> dict[tuple[str, str], LexiconEntry]:
    """What is there already, read while nobody else can add to it. Raises BadInput where no more would fit."""
    of = {"production": None, "owner": production.created_by} if shared else {"production": production}
    there = {_key(row.core): row for row in LexiconEntry.objects.filter(**of)}
    if len(there) + len(entries) > MOST_ENTRIES:
        raise BadInput("A lexicon has {most} entries at most.", most=MOST_ENTRIES)
    return there


def _by_key(entries: Sequence[CoreEntry]) -> dict[tuple[str, str], CoreEntry]:
    return {_key(entry): entry for entry in entries}


def change_entry(user: Anyone, production: Production, row: LexiconEntry, entry: CoreEntry) -> None:
    if row.production_id is None:
        _require_own(user, production)
        with transaction.atomic():
            LexiconEntry.objects.filter(pk=row.pk).update(**asdict(entry))
            _tell(user, production)
        return
    with action(user, production, "change_lexicon") as record:
        record.summary, record.details = entry.phrase, {"phrase": entry.phrase, "count": 1}
        record.update(row, **asdict(entry))


def remove_entry(user: Anyone, production: Production, row: LexiconEntry) -> None:
    if row.production_id is None:
        _require_own(user, production)
        with transaction.atomic():
            row.delete()
            _tell(user, production)
        return
    with action(user, production, "change_lexicon") as record:
        record.summary, record.details = row.phrase, {"phrase": row.phrase, "count": 1}
        record.delete(row)


def _require_own(user: Anyone, production: Production) -> None:
    """What is shared is its maker's. Raises PermissionDenied, BadInput."""
    require_change(user, production)
    if production.created_by_id != user.pk:
        raise BadInput("Only who made this production can change what all of theirs share.")


def _key(entry: CoreEntry) -> tuple[str, str]:
    return entry.language, entry.phrase if entry.case_matters else entry.phrase.casefold()


def _tell(user: Anyone, production: Production) -> None:
    """What is shared is no production's own, so there is nothing to undo in any; but all that are touched look at
    themselves again."""
    for one in Production.objects.filter(created_by=production.created_by_id):
        ActionRecord.objects.create(production=one, user=signed_in(user), name="change_shared_lexicon", summary="",
                                    details={}, stamp=next_stamp(one), changes=[])
