from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.db import connection
from django.test import Client

from janoglot.core.script.formats import read_script
from janoglot.editions.keeping import forget_all
from janoglot.productions.actions.create_production import create_production
from janoglot.productions.models import Job, Membership, Production, Role
from janoglot.server import storage, work
from janoglot.server.celery import app

SCRIPT = """part,speaker,in,out,en-GB,es-MX,fr-FR
Quay,Pilot,0:01,0:03,The tide is turning.,La marea está cambiando.,La marée tourne.
Quay,Cook,0:03.5,0:05,Then the soup must wait.,Entonces la sopa debe esperar.,
Deck,Pilot,0:06,0:08,Everything waits for the tide.,Todo espera a la marea.,Tout attend la marée.
"""
Call = Callable[..., Any]
PATIENCE = 60.0
Workers = Callable[[], "subprocess.Popen[bytes]"]


@pytest.fixture(autouse=True)
def made_things(settings: Any, tmp_path: Path) -> None:
    """Each test has its own store, and jobs run at once."""
    settings.VAR = tmp_path
    # Slow hashes are for real passwords.
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
    storage.forget_stores()
    forget_all()
    # What is rich is finished only where a test asks for it.
    settings.FINISH_BEHIND = False
    settings.HEAR_BACK = False
    app.conf.task_always_eager = True
    app.conf.task_eager_propagates = True


def user(name: str) -> User:
    return User.objects.create_user(name, password="a long enough password")


@pytest.fixture
def production(db: None) -> Production:
    """Three timed lines, two speakers, three editions; owner, editor and reader are its members."""
    return members_and_all()


def members_and_all() -> Production:
    made = create_production(user("owner"), "The Night Ferry", read_script(SCRIPT, "ferry.csv"), "en-GB")
    for name in ("editor", "reader"):
        Membership.objects.create(production=made, user=user(name), role=Role(name))
    user("stranger")
    return made


@pytest.fixture
def as_(db: None) -> Callable[[str | None], Client]:
    def sign_in(name: str | None) -> Client:
        client = Client()
        if name:
            client.force_login(User.objects.get(username=name))
        return client

    return sign_in


@pytest.fixture
def call(as_: Callable[[str | None], Client], django_capture_on_commit_callbacks: Any) -> Call:
    """``call("editor", "put", path, body)``: the answer, with background jobs run to their end."""

    def send(name: str | None, method: str, path: str, body: Any = None, **extra: Any) -> Any:
        with django_capture_on_commit_callbacks(execute=True):
            options = dict(extra)
            if body is not None and "format" not in options:
                options |= {"data": body, "content_type": "application/json"}
            elif body is not None:
                options.pop("format")
                options["data"] = body
            return getattr(as_(name), method)(path, **options)

    return send


def edition_path(production: Production, language: str = "es-MX") -> str:
    return f"/api/productions/{production.pk}/editions/{language}/"


def lines(call: Call, production: Production, language: str = "es-MX") -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = call("owner", "get", edition_path(production, language)).json()["lines"]
    return found


def handed(call: Call, path: str, file: str, who: str = "owner", **asked: Any) -> Any:
    """A file of an edition, or of a production, by its path: the answer that holds it, or the one that refuses it."""
    answer = call(who, "post", f"{path}files/", {"file": file, **asked})
    if answer.status_code != 202:
        return answer
    told = answer.json()
    production = path.split("/")[3]
    return call(who, "get", f"/api/productions/{production}/files/{told['id']}/content")


def content(answer: Any) -> bytes:
    return b"".join(answer.streaming_content) if answer.streaming else bytes(answer.content)


@pytest.fixture
def workers(transactional_db: None, tmp_path: Path) -> Iterator[Workers]:
    """Starts a worker of one process on the tests' database; all of them are killed in the end."""
    app.conf.task_always_eager = False
    app.control.purge()
    running: list[subprocess.Popen[bytes]] = []
    environment = {**os.environ, "JANOGLOT_DATABASE": connection.settings_dict["NAME"], "JANOGLOT_VAR": str(tmp_path),
                   "JANOGLOT_FINISH_BEHIND": "0", "PYTHONPATH": os.pathsep.join(sys.path)}

    def start() -> subprocess.Popen[bytes]:
        running.append(subprocess.Popen(
            [sys.executable, "-m", "celery", "-A", "janoglot.server.celery", "worker", "-n", f"test{len(running)}@%h", "-c", "1",
             "--prefetch-multiplier", "1", "-Q", ",".join(work.QUEUES), "--loglevel", "error", "--without-gossip", "--without-mingle"],
            env=environment, stdout=subprocess.DEVNULL, start_new_session=True))
        return running[-1]

    yield start
    for process in running:
        kill(process)
    app.control.purge()


def kill(process: subprocess.Popen[bytes]) -> None:
    """With everything that it started, as when the machine takes its memory back."""
    if process.poll() is None:
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()


def until(what: Callable[[], bool]) -> None:
    over = time.monotonic() + PATIENCE
    while not what():
        assert time.monotonic() < over, list(Job.objects.values())
        time.sleep(0.05)
