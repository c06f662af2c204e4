"""Making packages behind the page: what is missing of mixes first, then each item, then all of it put together."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from django.db import transaction

from janoglot.core.deliver.deliverable import Need, Stores
from janoglot.core.deliver.package import (
    MANIFEST,
    Package,
    Wanted,
    about_package,
    files_of_package,
    make_wanted,
    package_key,
    package_of,
    put_together,
    require_something,
    wanted_and_left,
)
from janoglot.core.errors import BadInput, JanoglotError
from janoglot.core.store import StoreFull
from janoglot.deliver.handing_over import NotReady, StoredEdition, ready_mix
from janoglot.deliver.models import Parcel
from janoglot.mix.actions.ask_for_mix import ask_for_mix
from janoglot.mix.block_files import is_kept
from janoglot.mix.library import sound_library
from janoglot.mix.models import Mix
from janoglot.mix.tasks import make_mix
from janoglot.productions.jobs import JobKind, Piece, register, start_behind
from janoglot.productions.models import Edition, Job
from janoglot.server.storage import handed, media, mixes, takes
from janoglot.server.work import BULK

PARCEL_STATES = [(state, state) for state in ("mixing", "making", "packing", "ready", "failed", "stopped", "gone")]
_KEPT = 100
_KINDS = ("package", "items", "parcel")


def stores() -> Stores:
    return Stores(takes(), mixes(), media(), handed(), lambda: sound_library(make_beds=True))


def editions_in(parcel: Parcel) -> list[Edition]:
    """In the order in which they were asked for."""
    rows = {one.language: one for one in parcel.production.editions.select_related("production")}
    return [rows[one] for one in parcel.languages if one in rows]


@dataclass(frozen=True, slots=True)
class ParcelProgress:
    """``share`` of all that is to be done, and by language how many items are there, of how many."""

    state: str
    share: float
    fault: str
    editions: dict[str, tuple[int, int]]


def parcel_progress(parcel: Parcel) -> ParcelProgress:
    done = {language: [0, 0] for language in parcel.languages}
    there = {one["key"] for one in parcel.wanted if handed().has(one["key"])}
    for one in parcel.wanted:
        for language in one["languages"]:
            if language in done:
                done[language][0] += one["key"] in there
                done[language][1] += 1
    counts = {language: (made, all_) for language, (made, all_) in done.items()}
    if parcel.key and handed().has(parcel.key):
        return ParcelProgress("ready", 1.0, "", counts)
    job = Job.objects.filter(kind__in=_KINDS, subject=parcel.subject).order_by("-id").first()
    if job is None or (job.state == "done" and job.kind == "parcel"):
        return ParcelProgress("gone", 0.0, "", counts)
    begin, size = {"package": (0.0, 0.3), "items": (0.3, 0.6), "parcel": (0.9, 0.1)}[job.kind]
    share = begin + size * job.done_share
    if job.state in ("failed", "stopped"):
        return ParcelProgress(job.state, share, job.fault, counts)
    return ParcelProgress({"package": "mixing", "items": "making", "parcel": "packing"}[job.kind], share, "", counts)


def begin_parcel(parcel: Parcel, user: Any) -> None:
    """Have it made: with what is kept of its orders as it was, else as its editions stand. Raises QueueAway."""
    if parcel.wanted and handed().has(parcel.orders_key):
        _begin_items(parcel, user)
    else:
        start_behind("package", BULK, [parcel.pk], production=parcel.production, subject=parcel.subject, user=user)


def _begin_items(parcel: Parcel, user: Any) -> None:
    start_behind("items", BULK, list(range(len(parcel.wanted))), production=parcel.production, subject=parcel.subject,
                 user=user)


def _parcel(piece: Piece) -> Parcel | None:
    return Parcel.objects.select_related("production").filter(pk=int(piece.job.subject.rpartition("-")[2])).first()


def _write_down(piece: Piece) -> None:
    """Have the mixes that are missing made, then write down what every item is made of. Raises NotReady and the
    like."""
    parcel = _parcel(piece)
    if parcel is None:
        return
    package = package_of(parcel.told)
    needs = set().union(*(one.of.needs(one.chosen) for one in package.items))
    editions = editions_in(parcel)
    materials = []
    for number, edition in enumerate(editions):
        recipe = parcel.recipes.get(edition.language, "")
        if Need.MIXED in needs:
            _mixed(edition, recipe, piece)
        materials.append(StoredEdition(edition, recipe if ready_mix(edition, recipe) else ""))
        materials[-1].require(frozenset(needs) - {Need.HELD, Need.PICTURE}, True, True)
        piece.tell((number + 1) / (len(editions) + 1))
    _keep_orders(parcel, package, materials)


def _keep_orders(parcel: Parcel, package: Package, materials: Sequence[StoredEdition]) -> None:
    """Write down what every item is made of: whatever changes from here on, it is made of that. Raises BadInput where
    nothing of it can be made."""
    wanted, left = wanted_and_left(package, materials)
    if parcel.than is not None:
        before = {one["key"] for one in parcel.than.wanted}
        if all(one.key in before for one in wanted):
            raise BadInput("Nothing is otherwise than in that package.")
        wanted = [one for one in wanted if one.key not in before]
    require_something(wanted, left)
    orders = {one.key: one.order for one in wanted}
    told = [one.told(package) for one in left]
    handed().write(parcel.orders_key, lambda place: _write(place, {
        "orders": orders, "about": {**about_package(parcel.production.name, materials), **(
            {"only_changed_since": parcel.than.asked.isoformat()} if parcel.than else {})}}))
    parcel.wanted = [{"number": one.number, "languages": list(one.languages), "key": one.key} for one in wanted]
    parcel.left = told
    parcel.made_new = sum(not handed().has(one.key) for one in wanted)
    parcel.save(update_fields=["wanted", "left", "made_new"])


def _mixed(edition: Edition, recipe: str, piece: Piece) -> None:
    """The mix that was asked for, made here where nobody else is about to; of an edition of which none was asked for,
    as it stands."""
    mix = Mix.objects.filter(edition=edition, recipe=recipe).first() or ask_for_mix(edition, piece.job.user)
    if mix.report and is_kept(mix, mixes()):
        return
    job = Job.objects.filter(kind="mix", edition=edition, subject=mix.recipe).order_by("-id").first()
    if job is None:
        raise NotReady("The mix of this edition is not made yet. Make it, then take it away.")
    # Whoever gets to it first makes it: what is there is not made again.
    make_mix(Piece(job, 0, job.piece(0)))


def _write(place: Path, told: Any) -> None:
    place.write_text(json.dumps(told))


def _wanted(parcel: Parcel) -> tuple[Package, list[Wanted], dict[str, Any]]:
    """Raises NotReady where what it was made by is not kept any more."""
    try:
        told = json.loads(handed().path(parcel.orders_key).read_text())
    except (OSError, ValueError) as error:
        raise NotReady("What this is made of is not kept any more: ask for it again.") from error
    return package_of(parcel.told), [
        Wanted(one["number"], tuple(one["languages"]), one["key"], told["orders"][one["key"]], frozenset())
        for one in parcel.wanted], told["about"]


def _make_item(piece: Piece) -> None:
    parcel = _parcel(piece)
    if parcel is None:
        return
    package, wanted, _ = _wanted(parcel)
    for number in piece.items:
        try:
            make_wanted(package, wanted[number], stores(), handed())
        except StoreFull:
            raise
        except JanoglotError as error:
            # One item that cannot be made leaves the others what they are.
            piece.fault(number, str(error))
        except (OSError, KeyError, TypeError, ValueError, zipfile.BadZipFile) as error:
            raise NotReady("What this is made of is not kept any more: ask for it again.") from error


def _put_together(piece: Piece) -> None:
    parcel = _parcel(piece)
    if parcel is None:
        return
    package, wanted, about = _wanted(parcel)
    wanted = _with_what_failed(parcel, package, wanted)
    about = {**about, **({"left_out": parcel.left} if parcel.left else {}),
             **({"reason": parcel.reason, "open_points": parcel.points} if parcel.reason else {})}
    files = files_of_package(package, wanted, parcel.production.name, handed())
    key = package_key(package, wanted, parcel.production.name, about)
    told: list[Any] = []
    if not handed().has(key):
        handed().write(key, lambda place: told.extend(put_together(package, files, handed(), place, about, piece.tell)))
    if not told:
        with zipfile.ZipFile(handed().path(key)) as archive:
            told = json.loads(archive.read(MANIFEST))["files"]
    Parcel.objects.filter(pk=parcel.pk).update(key=key, files=told)
    _forget_old(parcel)


def _with_what_failed(parcel: Parcel, package: Package, wanted: list[Wanted]) -> list[Wanted]:
    """Those items that are there; of the others the parcel says why. Raises NotReady where none is."""
    job = Job.objects.filter(kind="items", subject=parcel.subject).order_by("-id").first()
    faults = job.faults if job else {}
    there = [one for one in wanted if handed().has(one.key)]
    if not there:
        raise NotReady("Nothing of this package could be made. {why}", why=next(iter(faults.values()), ""))
    known = {(one["number"], tuple(one["languages"])) for one in parcel.left}
    parcel.left = [*parcel.left, *(
        {"number": one.number, "item": package.items[one.number].kind, "languages": list(one.languages), "why": why}
        for number, one in enumerate(wanted) if one not in there and (why := faults.get(str(number)))
        and (one.number, one.languages) not in known)]
    parcel.save(update_fields=["left"])
    return there


def _forget_old(parcel: Parcel) -> None:
    """The last hundred of a production are listed."""
    for old in Parcel.objects.filter(production=parcel.production_id).order_by("-id")[_KEPT:]:
        handed().remove(old.orders_key)
        old.delete()


def _then_items(job: Job) -> None:
    parcel = Parcel.objects.filter(pk=int(job.subject.rpartition("-")[2])).first()
    if parcel:
        _begin_items(parcel, job.user)


def _then_parcel(job: Job) -> None:
    start_behind("parcel", BULK, [job.subject], production=job.production, subject=job.subject, user=job.user)


register(JobKind("package", _write_down, ended=_then_items))
register(JobKind("items", _make_item, ended=_then_parcel))
register(JobKind("parcel", _put_together))


def ask_for_parcel(user: Any, production: Any, package: Package, languages: Sequence[str], points: dict[str, Any],
                   reason: str, than: Parcel | None = None) -> Parcel:
    """A package of these editions, being made; of what is otherwise than in another one alone, where one is given."""
    with transaction.atomic():
        parcel = Parcel.objects.create(production=production, name=package.name, told=package.as_json(),
                                       languages=list(languages), points=points, reason=reason[:500], user=user,
                                       than=than)
        _hold_on(parcel, package, user)
        begin_parcel(parcel, user)
    return parcel


def _hold_on(parcel: Parcel, package: Package, user: Any) -> None:
    """Have it be of what its editions are now, whatever anybody changes while it waits for its turn: where all mixes
    are there everything is written down at once, else it is said which mixes it is of. Raises NothingToMix."""
    needs = set().union(*(one.of.needs(one.chosen) for one in package.items))
    editions = editions_in(parcel)
    mixes_of = {one.language: ask_for_mix(one, user) for one in editions} if Need.MIXED in needs else {}
    parcel.recipes = {language: mix.recipe for language, mix in mixes_of.items()}
    parcel.save(update_fields=["recipes"])
    if all(mix.report for mix in mixes_of.values()):
        _keep_orders(parcel, package, [StoredEdition(one, parcel.recipes.get(one.language, "")) for one in editions])
