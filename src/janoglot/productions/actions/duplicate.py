"""A production again, or an edition in another language: copies that go their own way from then on."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, TypeVar

from django.db import models, transaction
from django.db.models import Max

from janoglot.adapt.models import MemoryUnit, Term, Wording
from janoglot.cast.models import Casting, LineCasting
from janoglot.core.errors import BadInput
from janoglot.core.languages import english_name, primary, tag_of
from janoglot.productions.actions.add_edition import MOST
from janoglot.productions.models import Edition, Membership, Production, Role
from janoglot.productions.permissions import Anyone, signed_in
from janoglot.productions.recorder import Recorder, action
from janoglot.script.models import Line, Part, Speaker
from janoglot.timing.models import LineTiming, SourceMedia

M = TypeVar("M", bound=models.Model)


def duplicate_production(user: Anyone, production: Production, name: str, with_takes: bool = True) -> Production:
    """A copy that ``user`` owns, with everything but its history. ``with_takes`` False leaves it unvoiced.

    Takes are named by what they were made from, so nothing is made again for the copy. Raises BadInput.
    """
    name = name.strip()
    if not name:
        raise BadInput("Give the production a name.")
    owner = signed_in(user)
    with transaction.atomic():
        made = _copied(production, name=name[:200], stamp=0, created_by=owner, archived=False, deleted=None)
        Membership.objects.create(production=made, user=owner, role=Role.OWNER)
        with action(user, made, "duplicate_production", record_creation=False) as record:
            record.summary, record.details = production.name[:300], {"from": production.name}
            _fill(production, made, with_takes)
    return made


def _fill(production: Production, made: Production, with_takes: bool) -> None:
    parts = _all_copied(Part.objects.filter(production=production), production=made)
    speakers = _all_copied(Speaker.objects.filter(production=production), production=made)
    editions = _all_copied(Edition.objects.filter(production=production), production=made)
    lines = _all_copied(Line.objects.filter(production=production), {"part_id": parts, "speaker_id": speakers},
                        production=made)
    on_lines = {"line_id": lines, "edition_id": editions}
    takes: dict[str, Any] = {} if with_takes else {"take_id": ""}
    _all_copied(Wording.objects.filter(edition__production=production), on_lines, **takes)
    _all_copied(LineCasting.objects.filter(edition__production=production), on_lines)
    _all_copied(LineTiming.objects.filter(edition__production=production), on_lines)
    _all_copied(Casting.objects.filter(edition__production=production),
                {"speaker_id": speakers, "edition_id": editions})
    for model in (Term, MemoryUnit, SourceMedia):
        _all_copied(model._default_manager.filter(production=production), production=made)
    for edition in Edition.objects.filter(production=made):
        rates = edition.timing.get("speakers")
        if rates:
            edition.timing = {**edition.timing, "speakers": {
                str(speakers[int(pk)]): own for pk, own in rates.items() if int(pk) in speakers}}
            edition.save(update_fields=["timing"])


def duplicate_edition(user: Anyone, edition: Edition, language: str) -> Edition:
    """The edition again in another language, its cast, timing and words with it. Words of the same language are a
    draft there until somebody has read them; words of another one are left behind.

    Raises BadInput for a language that is none, or that is there already.
    """
    production, tag = edition.production, tag_of(language)
    if production.editions.filter(language=tag).exists():
        raise BadInput("There is an edition in {language} already.", language=english_name(tag))
    if production.editions.count() >= MOST:
        raise BadInput("A production may have {most} editions at most.", most=MOST)
    same = primary(tag) == primary(edition.language)
    last = production.editions.aggregate(last=Max("position"))["last"] or 0
    with action(user, production, "duplicate_edition") as record:
        record.summary = f"{english_name(edition.language)} → {english_name(tag)}"
        record.details = {"language": tag, "from": edition.language}
        made = record.create(Edition(production=production, language=tag, position=last + 1, timing=edition.timing,
                                     address=edition.address, brief=edition.brief))
        rows = []
        for wording in Wording.objects.filter(edition=edition):
            text = wording.text if same else ""
            rows.append(Wording(line_id=wording.line_id, edition=made, text=text, origin="edition" if text else "",
                                worded_from=wording.worded_from if text else "",
                                state=Wording.State.DRAFT if text else Wording.State.EMPTY))
        record.create_all(rows)
        for model in (Casting, LineCasting, LineTiming):
            _recorded(record, model._default_manager.filter(edition=edition), made)
    return made


def remove_edition(user: Anyone, edition: Edition) -> None:
    """Take an edition out with all that it has; undoing brings it back, its takes with it. Raises BadInput for the
    source."""
    if edition.is_source:
        raise BadInput("The source cannot be taken out: everything else is made from it.")
    with action(user, edition.production, "remove_edition") as record:
        record.summary = english_name(edition.language)
        record.details = {"language": edition.language}
        for model in (Wording, Casting, LineCasting, LineTiming):
            record.delete_all(list(model._default_manager.select_for_update().filter(edition=edition)))
        record.delete(edition)


def _copied(row: M, **changes: Any) -> M:
    values = {field.attname: getattr(row, field.attname) for field in row._meta.concrete_fields
              if not field.primary_key}
    made = type(row)(**values)
    for name, value in changes.items():
        setattr(made, name, value)
    made.save(force_insert=True)
    return made


def _all_copied(rows: models.QuerySet[M], ids: dict[str, dict[int, int]] | None = None,
                **changes: Any) -> dict[int, int]:
    """Copies of ``rows``, their columns in ``ids`` led to other rows. Gives back the new ids by the old."""
    found = list(rows)
    made = []
    for row in found:
        values = {field.attname: getattr(row, field.attname) for field in row._meta.concrete_fields
                  if not field.primary_key}
        copy = type(row)(**values)
        for name, to in (ids or {}).items():
            setattr(copy, name, to.get(getattr(row, name)))
        for name, value in changes.items():
            setattr(copy, name, value)
        made.append(copy)
    if made:
        type(made[0])._default_manager.bulk_create(made, batch_size=500)
    return {old.pk: new.pk for old, new in zip(found, made, strict=True)}


def _recorded(record: Recorder, rows: Iterable[models.Model], edition: Edition) -> None:
    made = []
    for row in rows:
        row.pk, row._state.adding = None, True
        row.edition = edition  # type: ignore[attr-defined]
        made.append(row)
    record.create_all(made)
