"""Asked twice, made once: what was asked under a key is answered again, not done again."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.db import OperationalError, connection
from django.test import Client
from django.utils import timezone

from janoglot.productions import attempts
from janoglot.productions.attempts import forget_attempts
from janoglot.productions.models import Attempt, LexiconEntry, Production
from tests.server.conftest import Call, edition_path
from tests.server.test_at_once import at_once, told


def post(who: str, path: str, body: Any, key: str) -> Any:
    client = Client(raise_request_exception=False)
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


@pytest.mark.django_db(transaction=True)
def test_one_that_is_being_done_is_waited_for_and_not_done_beside_it(production: Production) -> None:
    """The same attempt eight times in one moment: done once, and everybody has the same answer."""
    path = f"/api/productions/{production.pk}/duplicate/"
    answers = at_once([("owner", "post", path, {"name": "Again"}, {"Idempotency-Key": "one"})] * 8)
    assert told(answers) == {201: 8}
    assert len({one.json()["id"] for one in answers}) == 1 and Production.objects.filter(name="Again").count() == 1


@pytest.mark.django_db(transaction=True)
def test_who_holds_it_too_long_is_told_of_and_who_falls_holds_it_no_more(production: Production, monkeypatch: pytest.MonkeyPatch) -> None:
    path, name = f"{edition_path(production)}lexicon/", ""
    seen = attempts._in_hand
    monkeypatch.setattr(attempts, "_WAITED", 0)
    monkeypatch.setattr(attempts, "_in_hand", lambda one: (names.append(one), seen(one))[1])
    names: list[str] = []
    assert post("owner", path, entry("Mara"), "one").status_code == 201
    Attempt.objects.all().delete()
    name = names[0]
    other = connection.copy()
    with other.cursor() as cursor:
        cursor.execute("SELECT GET_LOCK(%s, 0)", [name])
    refused = post("owner", path, entry("Oda"), "one")
    assert (refused.status_code, refused.json()["code"]) == (409, "conflict")
    other.close()
    assert post("owner", path, entry("Oda"), "one").status_code == 201


@pytest.mark.django_db(transaction=True)
def test_what_was_not_written_was_not_answered_and_the_other_way_round(production: Production, monkeypatch: pytest.MonkeyPatch) -> None:
    """The database falls where the answer is to be kept: nothing of it is done, it is said to be away, and the same
    attempt is done then."""
    path = f"{edition_path(production)}lexicon/"
    keep = Attempt.objects.update_or_create

    def falls(*_: Any, **__: Any) -> Any:
        raise OperationalError(2013, "Lost connection to server during query")

    monkeypatch.setattr(type(Attempt.objects), "update_or_create", falls)
    answer = post("owner", path, entry(), "one")
    assert (answer.status_code, answer.json()["code"]) == (503, "away")
    assert not LexiconEntry.objects.filter(production=production).exists()
    monkeypatch.setattr(type(Attempt.objects), "update_or_create", lambda self, **given: keep(**given))
    assert post("owner", path, entry(), "one").status_code == 201
    assert LexiconEntry.objects.filter(production=production).count() == 1


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
