"""A production again, or an edition in another language: copies that go their own way from then on."""

from __future__ import annotations

from django.db import transaction
from django.db.models import Max

from janoglot.core.errors import BadInput
from janoglot.core.languages import english_name, tag_of
from janoglot.productions.actions.add_edition import MOST
from janoglot.productions.belonging import copied_columns, copy_production, copy_to_edition, take_out
from janoglot.productions.models import Edition, Membership, Production, Role, SoundWorld, Speaker
from janoglot.productions.permissions import Anyone, signed_in
from janoglot.productions.recorder import action
from janoglot.productions.sound_names import with_ids, with_names


def duplicate_production(user: Anyone, production: Production, name: str, with_takes: bool = True) -> Production:
    """A copy that ``user`` owns, with everything but its history. ``with_takes`` False leaves it unvoiced.

    Takes are named by what they were made from, so nothing is made again for the copy. Raises BadInput.
    """
    name = name.strip()
    if not name:
        raise BadInput("Give the production a name.")
    owner = signed_in(user)
    with transaction.atomic():
        made = Production(**{**copied_columns(production), "name": name[:200], "stamp": 0, "created_by_id": owner.pk,
                             "archived": False, "deleted": None})
        made.save(force_insert=True)
        Membership.objects.create(production=made, user=owner, role=Role.OWNER)
        with action(user, made, "duplicate_production", record_creation=False) as record:
            record.summary, record.details = production.name[:300], {"from": production.name}
            _fill(production, made, with_takes)
    return made


def _fill(production: Production, made: Production, with_takes: bool) -> None:
    speakers = copy_production(production.pk, made.pk, with_takes)[Speaker]
    for edition in Edition.objects.filter(production=made):
        rates = edition.timing.get("speakers")
        if rates:
            edition.timing = {**edition.timing, "speakers": {
                str(speakers[int(pk)]): own for pk, own in rates.items() if int(pk) in speakers}}
            edition.save(update_fields=["timing"])
    for world in SoundWorld.objects.filter(production=made):
        # Tied to the other one's lines: by their numbers, which are the same here.
        world.plan = with_ids(with_names(world.plan, production), made)
        world.save(update_fields=["plan"])


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
    last = production.editions.aggregate(last=Max("position"))["last"] or 0
    with action(user, production, "duplicate_edition") as record:
        record.summary = f"{english_name(edition.language)} → {english_name(tag)}"
        record.details = {"language": tag, "from": edition.language}
        made = record.create(Edition(production=production, language=tag, position=last + 1, timing=edition.timing,
                                     address=edition.address, brief=edition.brief))
        copy_to_edition(record, edition, made)
    return made


def remove_edition(user: Anyone, edition: Edition) -> None:
    """Take an edition out with all that it has; undoing brings it back, its takes with it. Raises BadInput for the
    source."""
    if edition.is_source:
        raise BadInput("The source cannot be taken out: everything else is made from it.")
    with action(user, edition.production, "remove_edition") as record:
        record.summary = english_name(edition.language)
        record.details = {"language": edition.language}
        take_out(record, "edition", [edition])
        record.delete(edition)
