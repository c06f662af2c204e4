"""The registry of what belongs to what."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from django.apps import apps
from django.contrib.auth.models import User
from django.db import connection, models

from janoglot.productions import belonging
from janoglot.productions.belonging import belonging_of, belongings, belongs
from janoglot.productions.models import ActionRecord, Edition, Line, Part, Production, Speaker
from janoglot.productions.recorder import action
from tests.server.conftest import Call, edition_path

# Belonging to a production, and yet nothing that its makers wrote: records, jobs, made things.
NOT_WRITTEN = {"productions.actionrecord", "productions.membership", "productions.job", "mix.mix", "mix.awaitedmix", "deliver.handover",
               # Rows that never change, and outlive their production.
               "productions.keptvoice",
               # What was handed over, and what is noted of rights; what came from outside, by links that stay as they are.
               "deliver.parcel", "deliver.rightnote", "review.reviewlink", "review.remark", "review.approval"}


def test_every_table_that_hangs_on_a_production_is_registered_or_said_not_to_be() -> None:
    roots = {Production, Edition, Line, Speaker, Part}
    hanging = {model._meta.label_lower for model in apps.get_models()
               if any(field.related_model in roots for field in model._meta.concrete_fields)}
    jobs = {label for label in hanging if label.endswith("job")}
    assert hanging - jobs - NOT_WRITTEN == {one.label for one in belongings()}


def test_what_others_refer_to_comes_first() -> None:
    order = [one.model for one in belongings()]
    for one in belongings():
        assert all(order.index(model) < order.index(one.model) for model in one.references.values())


def test_undo_knows_what_moves_by_itself() -> None:
    wording = belonging_of("productions.wording")
    assert wording is not None
    assert {"take_id", "revision"} <= wording.free
    assert belonging_of("productions.membership") is None


@pytest.fixture
def sticker(transactional_db: None) -> Iterator[Any]:
    """A table that nobody but the registry knows, there for one test."""
    registered = list(belonging._registered)

    class Sticker(models.Model):
        line = models.ForeignKey(Line, models.CASCADE, related_name="+")
        said = models.CharField(max_length=20)

        class Meta:
            app_label = "productions"

    belongs("line")(Sticker)
    with connection.schema_editor() as editor:
        editor.create_model(Sticker)
    yield Sticker
    with connection.schema_editor() as editor:
        editor.delete_model(Sticker)
    belonging._registered[:] = registered
    apps.all_models["productions"].pop("sticker", None)
    apps.clear_cache()


def test_a_new_table_registers_once_and_goes_everywhere_with_its_line(sticker: Any, production: Production,
                                                                       call: Call) -> None:
    def said(of: Production) -> list[tuple[int, str]]:
        return sorted(sticker.objects.filter(line__production=of).values_list("line_id", "said"))

    first, _, third = production.lines.all()
    with action(User.objects.get(username="owner"), production, "mark_lines") as record:
        record.create(sticker(line=first, said="loud"))
        record.create(sticker(line=third, said="low"))
    # Cut: both halves have it; undone, one again.
    words = first.wordings.get(edition__language="en-GB")
    done = call("owner", "post", f"/api/lines/{first.pk}/split/",
                {"text": words.text, "at": 8, "revision": words.revision}).json()["done"]
    assert said(production) == [(first.pk, "loud"), (third.pk, "low"), (done, "loud")]
    call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
    assert said(production) == [(first.pk, "loud"), (third.pk, "low")]
    # Taken out with the line, and brought back with it.
    call("owner", "post", f"/api/productions/{production.pk}/script/remove/", {"lines": [third.pk]})
    assert said(production) == [(first.pk, "loud")]
    call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
    assert said(production) == [(first.pk, "loud"), (third.pk, "low")]
    # Joined: it goes with its line.
    call("owner", "post", f"/api/lines/{third.pk}/join/")
    assert said(production) == [(first.pk, "loud")]
    call("owner", "post", f"/api/productions/{production.pk}/undo/", {})
    # Copied with the production, on the copy's own lines.
    made = call("owner", "post", f"/api/productions/{production.pk}/duplicate/", {"name": "Again"}).json()["id"]
    copy = Production.objects.get(pk=made)
    assert [said for _, said in said(copy)] == ["loud", "low"]
    assert {line for line, _ in said(copy)} <= set(copy.lines.values_list("id", flat=True))
    # What hangs on a line is somebody's work: undoing the line away does not take it unasked.
    added = call("owner", "post", f"/api/productions/{production.pk}/script/add/", {"behind": None, "text": ""}).json()
    sticker.objects.create(line_id=added["done"][0], said="new")
    assert call("owner", "post", f"/api/productions/{production.pk}/undo/", {}).status_code == 409


@pytest.mark.django_db
def test_records_of_before_the_tables_were_moved_can_be_undone(production: Production, call: Call) -> None:
    """What an older version recorded names tables by the apps that they were in."""
    import importlib

    migration = importlib.import_module("janoglot.productions.migrations.0007_one_place")
    path = edition_path(production)
    line = production.lines.first()
    assert line is not None
    call("owner", "put", f"{path}wordings/{line.pk}/", {"text": "Otra cosa.", "revision": 1})
    record = ActionRecord.objects.filter(production=production).first()
    assert record is not None
    record.changes = [{**change, "model": "adapt.wording"} for change in record.changes]
    record.save()

    class Editor:
        pass

    editor: Any = Editor()
    editor.connection = connection
    migration.name_anew(None, editor)
    assert call("owner", "post", f"/api/productions/{production.pk}/undo/", {}).status_code == 200
    assert line.wordings.get(edition__language="es-MX").text == "La marea está cambiando."
