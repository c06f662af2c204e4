"""Have a file made that is to be handed over."""

from __future__ import annotations

import json
from typing import Any

from django.db import transaction

from janoglot.core.deliver.deliverable import Deliverable, Need
from janoglot.deliver.handing_over import ProductionMaterial, StoredEdition, download_name
from janoglot.deliver.models import HandOver
from janoglot.productions.jobs import running, start
from janoglot.productions.models import Production
from janoglot.productions.permissions import Anyone, signed_in
from janoglot.server.storage import handed
from janoglot.server.work import BULK, NOW

SOON_DONE = 900.0
"""Seconds of a programme. What is made of a longer one would keep whoever waits for a sound waiting."""


def hand_over_edition(user: Anyone, material: StoredEdition, deliverable: Deliverable, sketch: bool = False,
                      unread: bool = False) -> HandOver:
    """The file as the edition stands, or as the mix that ``material`` names has it; being made where it is missing.
    Raises NotReady for what it needs; QueueAway, with nothing begun."""
    sketches = material.require(deliverable.needs, sketch, unread)
    long = Need.FINISHED in deliverable.needs and material.state.seconds > SOON_DONE
    name = download_name(material.edition.production, material.language, deliverable, bool(sketches))
    return _asked(user, material, deliverable, name, BULK if long else NOW)


def hand_over_script(user: Anyone, production: Production, deliverable: Deliverable) -> HandOver:
    """The script as it stands, being made where it is missing. Raises QueueAway, with nothing begun."""
    name = download_name(production, None, deliverable, False)
    return _asked(user, ProductionMaterial(production), deliverable, name, NOW)


def _asked(user: Anyone, material: ProductionMaterial, deliverable: Deliverable, name: str, queue: str) -> HandOver:
    order = deliverable.write_down(material)
    key = deliverable.key(order)
    edition = material.edition if isinstance(material, StoredEdition) else None
    with transaction.atomic():
        found, _ = HandOver.objects.update_or_create(
            production=material.row, key=key, name=name,
            defaults={"edition": edition, "deliverable": deliverable.name, "user": signed_in(user)})
        if not handed().has(key) and not running("deliver", subject=key):
            handed().write(found.order_key, lambda place: _write(place, order))
            start("deliver", queue, [key], edition=edition, production=material.row, subject=key, user=user)
    return found


def _write(place: Any, order: Any) -> None:
    place.write_text(json.dumps(order))
