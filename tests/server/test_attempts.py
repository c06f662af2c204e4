"""Asked twice, made once: what was asked under a key is answered again, not done again."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.utils import timezone

from janoglot.productions.attempts import forget_attempts
from janoglot.productions.models import Attempt, LexiconEntry, Production
from tests.server.conftest import Call, edition_path


def post(who: str, path: str, body: Any, key: str) -> Any:
    client = Client()
    client.force_login(User.objects.get(username=who))
    return client.post(path, body, content_type="application/json", headers={"Idempotency-Key": key})


def entry(word: str = "Imka") -> dict[str, str]:
    return {"phrase": word, "kind": "alias", "said": "eem ka"}


def test_the_same_again_is_answered_and_not_made_again(production: Production) -> None:
    path = f"/api/productions/{production.pk}/duplicate/"
    first = post("owner", path, {"name": "Again"}, "one")
    again = post("owner", path, {"name": "Again"}, "one")
    assert (first.status_code, again.status_code) == (201, 201) and again.json() == first.json()
    assert Production.objects.filter(name="Again").count() == 1
    assert post("owner", path, {"name": "Again"}, "two").json()["id"] != first.json()["id"], "another attempt is another"


def test_what_was_refused_may_be_asked_again_under_its_key(production: Production) -> None:
    path = f"{edition_path(production)}lexicon/"
    assert post("owner", path, {"phrase": "", "kind": "alias", "said": ""}, "one").status_code == 400
    assert post("owner", path, entry(), "one").status_code == 201
    assert LexiconEntry.objects.filter(production=production).count() == 1


def test_a_key_is_of_who_asked_and_where(production: Production) -> None:
    path = f"{edition_path(production)}lexicon/"
    assert post("owner", path, entry("Imka"), "one").status_code == 201
    assert post("editor", path, entry("Oda"), "one").status_code == 201
    assert post("owner", f"{edition_path(production, 'en-GB')}lexicon/", entry("Mara"), "one").status_code == 201
    assert LexiconEntry.objects.filter(production=production).count() == 3
    assert post("stranger", path, entry("Kim"), "one").status_code == 404


def test_one_that_is_still_being_done_is_not_done_beside_it_and_not_for_ever(production: Production) -> None:
    path = f"{edition_path(production)}lexicon/"
    post("owner", path, entry(), "one")
    Attempt.objects.update(status=None, body="")
    refused = post("owner", path, entry("Oda"), "one")
    assert (refused.status_code, refused.json()["code"]) == (409, "conflict")
    # Whoever had it in hand fell.
    Attempt.objects.update(made=timezone.now() - timedelta(minutes=10))
    assert post("owner", path, entry("Oda"), "one").status_code == 201


@pytest.mark.parametrize("key", ["", "x" * 65])
def test_without_a_key_of_sense_everything_is_done(key: str, production: Production) -> None:
    path = f"/api/productions/{production.pk}/duplicate/"
    for _ in range(2):
        assert post("owner", path, {"name": "Again"}, key).status_code == 201
    assert Production.objects.filter(name="Again").count() == 2 and not Attempt.objects.exists()


def test_they_are_forgotten_after_a_day(production: Production) -> None:
    post("owner", f"{edition_path(production)}lexicon/", entry(), "one")
    forget_attempts()
    assert Attempt.objects.count() == 1
    Attempt.objects.update(made=timezone.now() - timedelta(days=2))
    forget_attempts()
    assert not Attempt.objects.exists()


def test_a_makers_own_lexicon_is_seen_by_others_where_it_is_read(production: Production, call: Call) -> None:
    path = f"{edition_path(production)}lexicon/"
    word = call("owner", "get", edition_path(production)).json()["lines"][0]["words"].split()[0].strip("¡¿.,!?")
    for phrase in (word, "Wrackstone"):
        assert call("owner", "post", path, {**entry(phrase), "shared": True}).status_code == 201
    seen = {who: {one["phrase"] for one in call(who, "get", path).json()["entries"]} for who in ("owner", "editor", "reader")}
    assert seen == {"owner": {word, "Wrackstone"}, "editor": {word}, "reader": {word}}
    hidden = LexiconEntry.objects.get(phrase="Wrackstone")
    assert call("editor", "delete", f"{path}{hidden.pk}/").status_code == 404
    assert b"Wrackstone" not in call("reader", "get", f"{path[:-1]}.csv").content
    assert b"Wrackstone" in call("owner", "get", f"{path[:-1]}.csv").content
