"""People who work with a whole Janoglot over its interface for programs, each with a connection of their own."""

from __future__ import annotations

import os
import sys
import tempfile
import threading
import time
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import requests

from janoglot.launcher.stack import Stack, running_stack

SCRIPT = b"""part,speaker,in,out,en-GB,es-MX,fr-FR
Quay,Pilot,0:01,0:03,The tide is turning.,La marea est\xc3\xa1 cambiando.,La mar\xc3\xa9e tourne.
Quay,Cook,0:03.5,0:05,Then the soup must wait.,Entonces la sopa debe esperar.,
Deck,Pilot,0:06,0:08,Everything waits for the tide.,Todo espera a la marea.,Tout attend la mar\xc3\xa9e.
"""
_TOKEN = "a" * 32


@dataclass(frozen=True, slots=True)
class Answer:
    """``status`` 0: nobody answered."""

    status: int
    seconds: float
    text: str
    told: Any = None


class Somebody:
    """One person, signed in."""

    def __init__(self, address: str, session: str) -> None:
        self._address = address
        self._session = session

    def ask(self, method: str, path: str, body: Any = None, key: str = "", patience: float = 90.0) -> Answer:
        """``key`` names the attempt: the same again is not done twice."""
        headers = {"X-CSRFToken": _TOKEN, "Cookie": f"csrftoken={_TOKEN}; sessionid={self._session}",
                   **({"Idempotency-Key": key} if key else {})}
        began = time.monotonic()
        try:
            got = requests.request(method, self._address + path, headers=headers, timeout=patience, **(
                {} if body is None else {"json": body}))
        except requests.RequestException as error:
            return Answer(0, time.monotonic() - began, str(error)[:200])
        told = got.json() if got.headers.get("content-type", "").startswith("application/json") else None
        return Answer(got.status_code, time.monotonic() - began, got.text[:300] if told is not None else "", told)


@contextmanager
def janoglot(**more: str) -> Iterator[Stack]:
    """A whole one of its own, with this process at its database too."""
    with tempfile.TemporaryDirectory(prefix="janoglot-trial-") as folder, \
            running_stack(Path(folder), {"JANOGLOT_FINISH_BEHIND": "0", **more}) as stack:
        os.environ.update({**stack.environment, "DJANGO_SETTINGS_MODULE": "janoglot.server.settings"})
        sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
        import django

        django.setup()
        yield stack


def signed_in(stack: Stack, name: str) -> Somebody:
    """A user of that name, who is made where there is none."""
    from django.contrib.auth.models import User
    from django.test import Client

    client = Client()
    client.force_login(User.objects.get_or_create(username=name)[0])
    return Somebody(stack.address, client.cookies["sessionid"].value)


def new_production(name: str = "The Night Ferry") -> Any:
    """Three timed lines, two speakers, three editions: of *owner*, changed by *editor* too."""
    from django.contrib.auth.models import User

    from janoglot.core.script.formats import read_script
    from janoglot.productions.actions.create_production import create_production
    from janoglot.productions.models import Membership, Role

    made = create_production(User.objects.get(username="owner"), name, read_script(SCRIPT, "ferry.csv"), "en-GB")
    Membership.objects.create(production=made, user=User.objects.get(username="editor"), role=Role.EDITOR)
    return made


def at_once(asked: Sequence[tuple[Somebody, str, str, Any]]) -> list[Answer]:
    """All begun in the same moment."""
    gate = threading.Barrier(len(asked))

    def ask(one: tuple[Somebody, str, str, Any]) -> Answer:
        gate.wait(30)
        return one[0].ask(*one[1:])

    with ThreadPoolExecutor(len(asked)) as pool:
        return list(pool.map(ask, asked))


def still_running(patience: float) -> list[str]:
    """Kinds of jobs that have not ended after so many seconds."""
    from django.db import connection

    from janoglot.productions.models import Job

    # Ours may have been ended with the database.
    connection.close()
    until = time.monotonic() + patience
    while time.monotonic() < until:
        left = list(Job.objects.filter(state="running").values_list("kind", flat=True))
        if not left:
            return []
        time.sleep(0.5)
    return left
