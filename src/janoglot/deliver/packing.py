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
    wanted_of,
)
from janoglot.core.errors import JanoglotError
from janoglot.deliver.handing_over import NotReady, StoredEdition
from janoglot.deliver.models import Parcel
from janoglot.mix.actions.ask_for_mix import ask_for_mix
from janoglot.mix.block_files import is_kept
from janoglot.mix.library import sound_library
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
        if Need.MIXED in needs:
            _mixed(edition, piece)
        materials.append(StoredEdition(edition))
        materials[-1].require(frozenset(needs) - {Need.HELD, Need.PICTURE}, True, True)
        piece.tell((number + 1) / (len(editions) + 1))
    wanted = wanted_of(package, materials)
    orders = {one.key: one.order for one in wanted}
    handed().write(parcel.orders_key, lambda place: _write(place, {
        "orders": orders, "about": about_package(parcel.production.name, materials)}))
    Parcel.objects.filter(pk=parcel.pk).update(
        wanted=[{"number": one.number, "languages": list(one.languages), "key": one.key} for one in wanted],
        made_new=sum(not handed().has(one.key) for one in wanted))


def _mixed(edition: Edition, piece: Piece) -> None:
    """The mix of how an edition stands, made here where nobody else is about to."""
    mix = ask_for_mix(edition, piece.job.user)
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
        except JanoglotError:
            raise
        except (OSError, KeyError, TypeError, ValueError, zipfile.BadZipFile) as error:
            raise NotReady("What this is made of is not kept any more: ask for it again.") from error


def _put_together(piece: Piece) -> None:
    parcel = _parcel(piece)
    if parcel is None:
        return
    package, wanted, about = _wanted(parcel)
    about = {**about, **({"reason": parcel.reason, "open_points": parcel.points} if parcel.reason else {})}
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
                   reason: str) -> Parcel:
    """A package of these editions, being made."""
    with transaction.atomic():
        parcel = Parcel.objects.create(production=production, name=package.name, told=package.as_json(),
                                       languages=list(languages), points=points, reason=reason[:500], user=user)
        begin_parcel(parcel, user)
    return parcel
