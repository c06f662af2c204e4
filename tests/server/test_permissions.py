"""Every endpoint with no session, with a stranger's, and with each role's."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.core.cache import cache
from django.db import transaction
from django.test import Client, TestCase, override_settings
from django.urls import get_resolver
from django.utils import timezone

from janoglot.adapt.models import Term
from janoglot.deliver.models import HandOver, Parcel
from janoglot.editions.keeping import forget_all
from janoglot.editions.state import EditionState
from janoglot.productions.models import HeardBack, Job, LexiconEntry, Media, Production, Speaker
from janoglot.review.models import Remark, ReviewLink
from janoglot.server import storage
from janoglot.server.celery import app
from janoglot.server.storage import handed
from tests.server.conftest import Call, edition_path, members_and_all

# method, path, body, who may: "members" read it, "writers" change it.
READ, WRITE = "members", "writers"
PACKAGE = {"package": {"name": "x", "items": [{"kind": "wordings"}]}, "languages": ["es-MX"], "reason": "a look"}
ENDPOINTS: list[tuple[str, str, Any, str]] = [
    ("get", "{p}", None, READ), ("patch", "{p}", {"name": "New"}, WRITE), ("get", "{p}history/", None, READ),
    ("post", "{p}undo/", {}, WRITE), ("post", "{p}editions/", {"language": "de"}, WRITE),
    ("get", "{p}deliveries/", None, READ), ("get", "{e}lines/{line}/heard/", None, READ), ("get", "{e}lines/{line}/stave/", None, READ), ("put", "{e}lines/{line}/heard/", {"right": True}, WRITE), ("get", "{p}unheld/?file=script.srt", None, READ), ("get", "{p}files/", None, READ), ("post", "{p}files/", {"file": "script.csv"}, READ),
    ("get", "{p}files/{file}/", None, READ), ("get", "{p}files/{file}/content", None, READ),
    ("get", "{e}", None, READ), ("patch", "{e}timing/", {"settings": {"pace": 1.1}}, WRITE),
    ("patch", "{e}timing/lines/", {"lines": [0], "own": {"mode": "run"}}, WRITE), ("get", "{e}timing/lines/{line}/cures/", None, READ),
    ("get", "{e}timing/what-if/?hard_fast=1.2", None, READ), ("get", "{e}timing/aim/?seconds=60", None, "members (400)"),
    ("get", "{e}peaks/?lines=1", None, READ), ("get", "{e}timing/lips/", None, READ),
    ("get", "{p}media/", None, READ), ("post", "{p}media/", {}, WRITE), ("get", "{p}media/{media}/", None, READ),
    ("patch", "{p}media/{media}/", {"played": True}, WRITE), ("post", "{p}media/{media}/copies/", {}, WRITE),
    ("get", "{p}media/{media}/peaks/", None, READ), ("get", "{p}media/{media}/sound.flac", None, "members (404)"),
    ("delete", "{p}media/{media}/", None, WRITE), ("get", "{e}wordings/", None, READ), ("patch", "{e}wordings/", {"lines": [0], "state": "approved"}, WRITE),
    ("post", "{e}wordings/{line}/gauge/", {"text": "Hola."}, READ), ("get", "{e}doubts/", None, READ),
    ("post", "{e}wordings/{line}/lips/", {"texts": ["Hola."]}, READ),
    ("get", "{e}brief/", None, READ), ("patch", "{e}brief/", {"address": "formal"}, WRITE),
    ("get", "{e}drafts/", None, READ), ("post", "{e}drafts/", {}, WRITE),
    ("get", "/api/jobs/{drafting}/", None, READ), ("delete", "/api/jobs/{drafting}/", None, WRITE),
    ("get", "{e}memory/?line={line}", None, READ), ("post", "{e}memory/", {"text": "<tmx/>"}, WRITE), ("get", "{e}memory.tmx", None, READ),
    ("post", "{e}meaning/", {"line": "{line}", "text": "La marea", "at": 0, "length": 0}, READ),
    ("get", "{e}terms/", None, READ), ("post", "{e}terms/", {"original": "tide", "text": "marea"}, WRITE),
    ("put", "{e}terms/{term}/", {"original": "tide", "text": "marea"}, WRITE), ("delete", "{e}terms/{term}/", None, WRITE),
    ("post", "{e}terms/brought/", {"text": "source,text\ntide,marea"}, WRITE), ("get", "{e}terms.tbx", None, READ),
    ("get", "{e}wordings.xlf", None, READ), ("post", "{e}returned/", {"apply": False}, WRITE), ("get", "{p}board/", None, READ),
    ("get", "{e}board-lines/?what=empty", None, READ),
    ("get", "{p}script/", None, READ), ("post", "{p}script/move/", {"lines": [0], "behind": None}, WRITE),
    ("post", "{p}script/give/", {"lines": [0], "speaker": "Cook"}, WRITE), ("post", "{p}script/add/", {"behind": None, "text": ""}, WRITE),
    ("post", "{p}script/remove/", {"lines": [0]}, WRITE), ("post", "{p}script/mark/", {"lines": [0], "kind": "spoken"}, WRITE),
    ("post", "{p}script/parts/", {"line": 0, "name": "Sea"}, WRITE), ("get", "{p}script/labels/", None, READ),
    ("post", "{p}script/labels/merge/", {"into": 0, "speakers": [0]}, WRITE),
    ("post", "{p}redo/", {}, WRITE), ("post", "{p}back/", {"record": 0}, WRITE),
    ("patch", "/api/parts/{part}/", {"name": "Sea"}, WRITE), ("delete", "/api/parts/{part}/", None, WRITE),
    ("post", "/api/lines/{line}/split/", {"text": "Ab", "at": 1, "revision": 1}, WRITE), ("post", "/api/lines/{line}/join/", {}, WRITE),
    ("post", "{e}replace/", {"find": "marea"}, READ), ("get", "{e}checks/", None, READ),
    ("get", "{e}homes/", None, READ), ("put", "{e}homes/", {"cast_from": "rich"}, WRITE),
    ("get", "{e}castings/", None, READ), ("post", "{e}castings/", {}, WRITE),
    ("put", "{e}castings/{speaker}/", {"voice": "quetzal"}, WRITE),
    ("get", "{e}castings/{speaker}/sample/", None, READ), ("get", "{e}castings/{speaker}/match/", None, READ),
    ("post", "{e}castings/{speaker}/kept/", {"name": "Gatekeeper"}, WRITE), ("get", "{e}contrast/", None, READ), ("put", "{e}lines/{line}/casting/", {"pace": 1.1}, WRITE),
    ("get", "{p}castings.csv", None, READ), ("post", "{p}castings/", {"text": "speaker,voice\nPilot,curlew"}, WRITE),
    ("get", "{e}castings/{speaker}/audition/?voice=quetzal", None, "members (404)"),
    ("put", "{e}wordings/{line}/", {"text": "Hola.", "revision": 1}, WRITE),
    ("post", "{e}captions/", {"text": "1\n00:00:01,000 --> 00:00:03,000\nHola\n"}, WRITE),
    ("get", "{p}jobs/", None, READ), ("post", "{e}voicings/", {}, WRITE), ("post", "{e}measures/", None, READ),
    ("get", "/api/jobs/{job}/", None, READ), ("delete", "/api/jobs/{job}/", None, WRITE),
    ("get", "{e}lines/{line}/take.wav", None, READ), ("get", "{e}lines/{line}/direction/", None, READ),
    ("put", "{e}lines/{line}/direction/", {"variant": 1}, WRITE),
    ("put", "{e}moods/", {"lines": [0], "moods": [{"mood": "sad"}]}, WRITE),
    ("get", "{e}parts/{part}/speakers/{speaker}/direction/", None, READ), ("put", "{e}parts/{part}/speakers/{speaker}/direction/", {"moods": [{"mood": "sad"}]}, WRITE),
    ("get", "{e}lexicon/", None, READ), ("post", "{e}lexicon/", {"phrase": "sopa", "kind": "alias", "said": "zopa"}, WRITE),
    ("put", "{e}lexicon/{entry}/", {"phrase": "sopa", "kind": "alias", "said": "zopa"}, WRITE), ("delete", "{e}lexicon/{entry}/", None, WRITE),
    ("get", "{e}lexicon.pls", None, READ), ("post", "{e}lexicon/brought/", {"text": "sopa,zopa"}, WRITE),
    ("get", "{e}sounds/", None, READ), ("get", "{e}sounds/check/?ipa=a", None, READ), ("get", "{e}heard/none.wav", None, "members (404)"),
    ("get", "{e}source-acting/", None, READ), ("put", "{e}source-acting/", {"lines": []}, WRITE), ("post", "{e}source-acting/", None, WRITE),
    ("get", "{e}recordings/", None, READ), ("post", "{e}recordings/", {}, WRITE), ("put", "{e}recordings/", {"recordings": []}, WRITE),
    ("delete", "{e}recordings/?recordings=0", None, WRITE), ("get", "{e}recordings/{waiting}.flac", None, "members (404)"),
    ("get", "{e}lines/{line}/recording/", None, READ), ("post", "{e}lines/{line}/recording/", {}, WRITE), ("patch", "{e}lines/{line}/recording/", {"stretch": True}, WRITE),
    ("delete", "{e}lines/{line}/recording/", None, WRITE), ("get", "{e}lines/{line}/recording/recording.flac", None, "members (404)"),
    ("put", "{p}lines/{line}/table/", {"rows": [{"time": "noon"}]}, WRITE), ("delete", "{p}lines/{line}/table/", None, WRITE),
    ("post", "{p}lines/{line}/table/brought/", {"text": "time\nnoon\n"}, WRITE), ("get", "{e}lines/{line}/clips/", None, READ),
    ("post", "{e}lines/{line}/clips/", None, WRITE), ("get", "{e}lines/{line}/clips/{clip}.wav", None, "members (404)"),
    ("get", "{e}ssml/", None, READ), ("put", "{e}ssml/", {"text": "<speak/>"}, WRITE),
    ("get", "{e}lines/{line}/guide/", None, READ), ("post", "{e}lines/{line}/guide/", {}, WRITE), ("patch", "{e}lines/{line}/guide/", {"melody": 0.5}, WRITE),
    ("delete", "{e}lines/{line}/guide/", None, WRITE), ("get", "{e}lines/{line}/guide/recording.flac", None, "members (404)"),
    ("post", "{e}lines/{line}/audition/", {}, READ), ("post", "{e}lines/{line}/stave/trial/", {"variant": 1}, READ),
    ("get", "{e}layers/", None, READ), ("get", "{e}layers/piece.flac?layer=x&block=0&key=ab", None, "members (404)"),
    ("get", "{p}sounds/", None, READ), ("put", "{p}sounds/", {"layers": [], "cues": []}, WRITE),
    ("get", "{e}mixes/", None, READ), ("post", "{e}mixes/", {}, READ), ("delete", "{e}mixes/", None, READ), ("get", "{e}mixes/{mix}/", None, READ),
    ("get", "{e}mixes/{mix}/sound.wav", None, READ), ("post", "{e}files/", {"file": "captions.srt"}, READ),
    ("patch", "/api/lines/{line}/", {"notes": "softly"}, WRITE),
    ("patch", "/api/speakers/{speaker}/", {"name": "Navigator"}, WRITE),
    ("post", "/api/speakers/{speaker}/merge/", {"into": "{other}"}, WRITE),
    ("delete", "/api/speakers/{silent}/", None, WRITE),
    ("post", "{e}castings/{speaker}/audition/?voice=quetzal", None, READ), ("post", "{p}cast-all/", {}, WRITE),
    ("post", "{p}duplicate/", {"name": "Again"}, READ), ("delete", "{e}removal/", None, WRITE),
    ("post", "{p}editions/", {"language": "es-AR", "like": "es-MX"}, WRITE), ("delete", "{p}", None, "owner"),
    ("post", "{p}bring-back/", {}, "nobody (404)"),
    ("post", "{p}standing/", PACKAGE, READ), ("get", "{p}parcels/", None, READ), ("post", "{p}parcels/", PACKAGE, WRITE),
    ("get", "{p}parcels/{parcel}/", None, READ), ("post", "{p}parcels/{parcel}/", None, WRITE), ("delete", "{p}parcels/{parcel}/", None, WRITE),
    ("get", "{p}parcels/{parcel}/content", None, "members (400)"), ("get", "{p}parcels/{parcel}/files/x.csv", None, "members (400)"),
    ("get", "{e}quality/", None, READ), ("get", "{e}rights/", None, READ), ("put", "{e}rights/", {"what": "voice", "name": "x"}, WRITE),
    ("get", "{p}links/", None, WRITE), ("post", "{p}links/", {"name": "x", "languages": ["es-MX"]}, WRITE), ("patch", "{p}links/{link}/", {"withdrawn": True}, WRITE),
    ("get", "{p}links/{link}/code.svg", None, WRITE), ("get", "{p}remarks/", None, READ), ("get", "{p}remarks.csv", None, READ),
    ("patch", "{p}remarks/{remark}/", {"state": "done"}, WRITE), ("post", "{p}remarks/{remark}/taking/", None, WRITE), ("get", "{p}remarks/{remark}/spoken.flac", None, "members (404)"),
]
OPEN = {"session/", "session/demo/", "openapi.yaml"}
OWN = {"packages/", "packages/<int:package_id>/", "moods/", "sounds/", "sounds/heard.flac", "sounds/whole.flac", "sounds/cuts/", "sounds/peaks/", "library/sounds/", "library/sounds/<int:sound_id>/",
       "library/favourites/", "voices/favourites/", "voices/kept/", "voices/kept/<str:voice>/", "voices/<str:voice>/uses/", "productions/", "languages/", "voices/", "imports/", "imports/<int:draft_id>/",
       "imports/<int:draft_id>/production/"}


@pytest.fixture(scope="module")
def voiced_once(django_db_setup: None, django_db_blocker: Any, tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[int, int, str, Path]]:
    """A voiced and mixed edition, made once for all of the table; what each test does to it is taken back."""
    var = tmp_path_factory.mktemp("voiced")
    with django_db_blocker.unblock(), override_settings(VAR=var, FINISH_BEHIND=False, HEAR_BACK=False), transaction.atomic():
        storage.forget_stores()
        forget_all()
        app.conf.task_always_eager = app.conf.task_eager_propagates = True
        made = members_and_all()
        client, path = Client(), edition_path(made)
        client.force_login(User.objects.get(username="owner"))
        told = []
        for step in ("castings", "voicings", "mixes"):
            with TestCase.captureOnCommitCallbacks(execute=True):
                told.append(client.post(f"{path}{step}/", {}, content_type="application/json").json())
        yield made.pk, told[1]["id"], told[2]["recipe"], var
        transaction.set_rollback(True)


@pytest.fixture
def places(voiced_once: tuple[int, int, str, Path], db: None, settings: Any, tmp_path: Path) -> dict[str, Any]:
    """That edition with its files, and the addresses of its things."""
    number, job, mix, var = voiced_once
    settings.VAR = tmp_path / "voiced"
    # As they are, until one is removed: nothing writes into a file that is there.
    shutil.copytree(var, settings.VAR, copy_function=os.link)
    storage.forget_stores()
    cache.clear()
    production = Production.objects.get(pk=number)
    told = things_of(production) | {"job": job, "mix": mix}
    state = EditionState.load(production.editions.get(language="es-MX"))
    HeardBack.objects.create(key=state.finish_keys[told["line"]], take_id=state.by_id[told["line"]][0].wanted, language="es-MX", text="x",
                             error=0.5, otherwise=[], version="x")
    return told


def _one_byte(place: Path) -> None:
    place.write_bytes(b"x")


def things_of(production: Production) -> dict[str, Any]:
    """One of everything that endpoints are about, and what stands for each in their paths."""
    edition = production.editions.get(language="es-MX")
    speaker, other = production.speakers.values_list("id", flat=True)[:2]
    line = production.lines.values_list("id", flat=True)[0]
    handed().write("ab12.srt", _one_byte)
    part = production.parts.first()
    assert part is not None
    link = ReviewLink.objects.create(production=production, name="x", languages=["es-MX"], expires=timezone.now() + timedelta(days=1))
    return {
        "p": f"/api/productions/{production.pk}/", "e": edition_path(production), "speaker": speaker, "other": other, "line": line,
        "part": part.pk,
        "silent": Speaker.objects.create(production=production, name="Silent", position=9).pk,
        "term": Term.objects.create(production=production, language="es-MX", source="soup", text="sopa").pk,
        "entry": LexiconEntry.objects.create(production=production, phrase="pan", kind="alias", said="pam").pk,
        "drafting": Job.objects.create(kind="draft", queue="bulk", production=production, edition=edition).pk,
        "file": HandOver.objects.create(production=production, deliverable="captions.srt", key="ab12.srt", name="x.srt").pk,
        "media": Media.objects.create(production=production, key="cd34.wav", name="x.wav", facts={
            "seconds": 1.0, "has_sound": True, "has_picture": False, "fps": None}).pk,
        "parcel": Parcel.objects.create(production=production, name="x", told=PACKAGE["package"], languages=["es-MX"]).pk,
        "link": link.pk, "remark": Remark.objects.create(link=link, edition=edition, line_id=line, kind="words", proposed="Ya.").pk,
        "waiting": 0, "clip": "none"}


def sent_to(path: str, body: Any, things: dict[str, Any]) -> tuple[str, Any]:
    """A row of the table with what it is about filled in."""
    if body and "into" in body:
        body = {"into": things["other"]}
    if body and body.get("line") == "{line}":
        body = {**body, "line": things["line"]}
    return path.format(**things), body


@pytest.mark.parametrize(("method", "path", "body", "may"), ENDPOINTS)
def test_every_endpoint_asks_who_it_is(method: str, path: str, body: Any, may: str, places: dict[str, Any],
                                       call: Call) -> None:
    address, body = sent_to(path, body, places)

    def status(name: str | None) -> int:
        code: int = call(name, method, address, body).status_code
        return code

    assert status(None) == 401
    assert status("stranger") == 404
    if may == "owner":
        assert (status("reader"), status("editor")) == (403, 403)
        assert status("owner") < 300
        return
    assert status("reader") == (403 if may == WRITE else status("owner"))
    assert status("editor") < 500
    assert status("editor") not in (401, 403)
    if may == READ:
        assert status("reader") < 300


def test_no_endpoint_is_missing_from_the_table() -> None:
    def walk(patterns: Any, before: str = "") -> set[str]:
        found = set()
        for pattern in patterns:
            text = before + str(pattern.pattern)
            found |= walk(pattern.url_patterns, text) if hasattr(pattern, "url_patterns") else {text}
        return found

    import re

    served = {text.removeprefix("api/") for text in walk(get_resolver().url_patterns) if text.startswith("api/")}
    edition = "productions/<int:production_id>/editions/<str:language>/"
    names = {"{link}": "<int:link_id>", "{remark}": "<int:remark_id>", "{parcel}": "<int:parcel_id>", "files/x.csv": "files/<path:path>", "{p}": "productions/<int:production_id>/", "{e}": edition, "{speaker}": "<int:speaker_id>", "{silent}": "<int:speaker_id>", "{line}": "<int:line_id>", "{part}": "<int:part_id>",
             "{job}": "<int:job_id>", "{drafting}": "<int:job_id>", "{term}": "<int:term_id>", "wordings.xlf": "wordings.<str:layout>", "terms.tbx": "terms.<str:layout>", "lexicon.pls": "lexicon.<str:layout>", "{entry}": "<int:entry_id>", "{waiting}": "<int:recording_id>", "{clip}": "<str:name>", "none.wav": "<str:sound>", "{media}": "<int:media_id>", "sound.flac": "<str:file>", "{file}": "<int:file_id>", "{mix}": "<str:recipe>", "/api/": "", "castings.csv": "castings.<str:ending>"}
    listed = set()
    for _, path, _, _ in ENDPOINTS:
        text = path.split("?")[0]
        for name, pattern in names.items():
            text = text.replace(name, pattern)
        listed.add(re.sub(r"^/", "", text))
    # What a review link opens is tested where that is.
    assert {text for text in served - listed if not text.startswith("review/<str:token>/")} == OPEN | OWN
