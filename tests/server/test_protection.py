"""What keeps others out beside permissions: sessions, forged requests, limits, headers, what a body may hold."""

from __future__ import annotations

import os
from importlib import import_module
from typing import Any

import pytest
from django.apps import apps
from django.test import Client

from janoglot.productions.models import LexiconEntry, Line, Production, Wording
from tests.server.conftest import Call, edition_path, handed


def test_lists_hold_only_your_own(production: Production, call: Call) -> None:
    assert [p["name"] for p in call("reader", "get", "/api/productions/").json()] == ["The Night Ferry"]
    assert call("stranger", "get", "/api/productions/").json() == []
    for path in ("/api/productions/", "/api/voices/", "/api/languages/", "/api/imports/"):
        assert call(None, "get", path).status_code == 401


def test_a_draft_is_its_owners_alone(production: Production, call: Call) -> None:
    draft = call("owner", "post", "/api/imports/", {"text": "A: b"}).json()["draft"]
    assert call("editor", "patch", f"/api/imports/{draft}/", {}).status_code == 404
    assert call("editor", "post", f"/api/imports/{draft}/production/", {"name": "Mine"}).status_code == 404


def test_a_forged_request_is_refused(production: Production) -> None:
    client = Client(enforce_csrf_checks=True)
    assert client.login(username="owner", password="a long enough password")
    answer = client.post(f"/api/productions/{production.pk}/undo/", {}, content_type="application/json")
    assert answer.status_code == 403
    assert "CSRF" in answer.json()["message"]


def test_signing_in_is_protected_too(production: Production) -> None:
    client = Client(enforce_csrf_checks=True)
    body = {"username": "owner", "password": "a long enough password"}
    assert client.post("/api/session/", body, content_type="application/json").status_code == 403
    assert client.post("/api/session/demo/").status_code == 403
    token = "a" * 32
    client.cookies["csrftoken"] = token
    answer = client.post("/api/session/", body, content_type="application/json", headers={"X-CSRFToken": token})
    assert answer.status_code == 200


def test_throttling_goes_by_who_is_really_there(production: Production) -> None:
    client = Client()
    codes = {client.post("/api/session/", {"username": "owner", "password": "x"}, content_type="application/json",
                         headers={"X-Forwarded-For": f"10.0.0.{n}"}, REMOTE_ADDR="127.9.9.9").status_code for n in range(40)}
    assert 429 in codes
    late = client.post("/api/session/", {"username": "owner", "password": "x"}, content_type="application/json", REMOTE_ADDR="127.9.9.9")
    assert 0 < int(late["Retry-After"]) <= 60


@pytest.mark.parametrize(("path", "who", "size", "code"), [
    ("/api/imports/", "owner", 100 * 1024**2, 413), ("/api/session/", None, 1024**2, 413),
    ("/api/productions/1/media/", "owner", 5 * 1024**3, 413), ("/api/imports/", "owner", 2, 400),
    # A spoken remark comes from somebody without an account, and is larger than what they send otherwise.
    ("/api/review/made-up/remarks/", None, 1024**2, 404), ("/api/review/made-up/remarks/", None, 10 * 1024**2, 413),
    ("/api/review/made-up/", None, 1024**2, 413),
])
def test_what_is_too_large_is_not_read(production: Production, as_: Any, path: str, who: str | None, size: int, code: int) -> None:
    answer = as_(who).generic("POST", path, b"{}", content_type="application/json", CONTENT_LENGTH=str(size))
    assert answer.status_code == code


@pytest.mark.parametrize("body", ['{"name": "\\ud800"}', "[" * 100_000, '{"target_lufs": ' + "9" * 5000 + "}", '{"target_lufs": "nan"}',
                                  '{"target_lufs": "²"}', '{"name": [[[[{}]]]]}', "[1]", '"x"', "null", "12"])
def test_a_body_that_is_a_trap_is_400(production: Production, as_: Any, body: str) -> None:
    answer = as_("owner").generic("PATCH", f"/api/productions/{production.pk}/", body.encode(), content_type="application/json")
    assert answer.status_code == 400
    assert answer.json()["message"]


@pytest.mark.parametrize("query", ["after=²", "after=" + "9" * 5000, "lines=²,³", "line=²", "part=²"])
def test_numbers_in_addresses_that_are_none(production: Production, call: Call, query: str) -> None:
    for path in (f"/api/productions/{production.pk}/script/", f"{edition_path(production)}peaks/",
                 f"{edition_path(production)}memory/", f"{edition_path(production)}board-lines/"):
        assert call("owner", "get", f"{path}?{query}").status_code < 500


def test_served_to_others_it_is_locked_down() -> None:
    import subprocess
    import sys

    told = subprocess.run([sys.executable, "-c", "from janoglot.server import settings as s; print(s.DEMO, s.SECURE_HSTS_SECONDS > 0, s.REST_FRAMEWORK['NUM_PROXIES'])"],
                          env={**os.environ, "JANOGLOT_HOSTS": "dub.example", "JANOGLOT_DEMO": ""}, capture_output=True, text=True)
    assert told.stdout.split() == ["False", "True", "1"]
    env = {name: value for name, value in os.environ.items() if name != "JANOGLOT_SECRET_KEY"}
    refused = subprocess.run([sys.executable, "-c", "import janoglot.server.wsgi"], env=env, capture_output=True, text=True)
    assert "JANOGLOT_SECRET_KEY" in refused.stderr


def test_signing_in_and_out(production: Production, as_: Any) -> None:
    client = Client()
    assert client.get("/api/session/").json()["username"] is None
    wrong = client.post("/api/session/", {"username": "owner", "password": "x"}, content_type="application/json")
    assert wrong.status_code == 400
    right = client.post("/api/session/", {"username": "owner", "password": "a long enough password"},
                        content_type="application/json")
    assert right.json()["username"] == "owner"
    assert client.delete("/api/session/").status_code == 204
    assert client.get("/api/productions/").status_code == 401


def test_the_demo_sign_in_can_be_switched_off(db: None, settings: Any) -> None:
    from janoglot.demo.demo import load_demo

    assert [p.name for p in load_demo()] == ["The Tidewater Clock", "Harbour Museum phone prompts"]
    assert load_demo() == []
    assert Client().post("/api/session/demo/").json()["username"] == "demo"
    settings.DEMO = False
    assert Client().post("/api/session/demo/").status_code == 404


def test_what_is_told_of_people_is_kept_by_no_cache(production: Production, call: Call) -> None:
    for path in ("/api/session/", f"/api/productions/{production.pk}/", edition_path(production), f"/api/productions/{production.pk}/history/"):
        assert call("owner", "get", path)["Cache-Control"] == "private, no-store", path
    assert call("stranger", "get", edition_path(production))["Cache-Control"] == "private, no-store"


def test_security_headers(db: None) -> None:
    answer = Client().get("/api/session/")
    assert "script-src 'self'" in answer["Content-Security-Policy"]
    assert "frame-ancestors 'none'" in answer["Content-Security-Policy"]
    assert answer["X-Content-Type-Options"] == "nosniff"
    assert answer["X-Frame-Options"] == "DENY"


def test_the_health_endpoint(db: None) -> None:
    assert Client().get("/health/").json() == {"database": "ok", "queue": "ok"}


CONTROLS = "".join(map(chr, [*range(1, 9), *range(11, 13), *range(14, 32), 0x7f, 0x85, 0x9b, 0xfffe, 0xffff]))


def test_control_characters_come_in_by_no_door_and_everything_is_handed_over(production: Production, call: Call) -> None:
    path, line = edition_path(production), Line.objects.filter(production=production).order_by("position").first()
    assert line is not None
    revision = Wording.objects.get(line=line, edition__language="es-MX").revision
    assert call("owner", "put", f"{path}wordings/{line.pk}/", {"text": f"Cuidado{CONTROLS} aquí.", "revision": revision}).status_code == 200
    assert call("owner", "patch", f"/api/lines/{line.pk}/", {"notes": f"a{CONTROLS}b"}).status_code == 204
    assert call("owner", "patch", f"/api/productions/{production.pk}/", {"name": f"Night{CONTROLS}Ferry"}).status_code == 200
    assert call("owner", "post", f"{path}lexicon/", {"phrase": f"Cuida{CONTROLS}do", "kind": "alias", "said": f"cui{CONTROLS}"}).status_code in (200, 201)
    written = [Wording.objects.get(line=line, edition__language="es-MX").text, Line.objects.get(pk=line.pk).notes, Production.objects.get(pk=production.pk).name,
               *LexiconEntry.objects.filter(production=production).values_list("phrase", flat=True)]
    assert not [text for text in written if any(one in CONTROLS for one in text)], written
    for name in ("xlf", "1.2.xlf", "docx", "xlsx"):
        assert call("owner", "get", f"{path}wordings.{name}").status_code == 200, name
    for name in ("lexicon.pls", "lexicon.csv", "ssml/"):
        assert call("owner", "get", f"{path}{name}").status_code == 200, name
    for file in ("script.csv", "script.json", "recording-sheet.pdf", "captions.srt"):
        assert handed(call, path, file).status_code in (200, 400), file


def test_control_characters_of_before_are_taken_out_of_what_is_kept(production: Production, call: Call) -> None:
    """Words that were kept before the doors refused them would have every office file and every exchange fail."""
    wording = Wording.objects.filter(edition__production=production, edition__language="es-MX").first()
    assert wording is not None
    Wording.objects.filter(pk=wording.pk).update(text="La marea\x02 está\x01 cambiando.\n")
    Production.objects.filter(pk=production.pk).update(name="The Night\x08 Ferry")
    import_module("janoglot.productions.migrations.0028_no_control_characters").taken_out(apps, None)
    wording.refresh_from_db()
    production.refresh_from_db()
    assert (wording.text, production.name) == ("La marea está cambiando.\n", "The Night Ferry")
