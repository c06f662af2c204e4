"""Editions that are kept between requests are what they would be afresh, and who asks with a mark is told what changed."""

from __future__ import annotations

import gzip
import socket
import time
from collections import deque
from collections.abc import Callable
from typing import Any

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from gunicorn.config import Config

from janoglot.core.timing import runs
from janoglot.editions import keeping
from janoglot.editions.keeping import SeenMark, current, forget_all
from janoglot.editions.state import EditionState
from janoglot.productions.models import Edition, Line, Part, Production, Speaker
from janoglot.server.web_workers import EvenWorker
from tests.server.conftest import Call, edition_path


class Watcher:
    """A client that asks for what has changed since it asked last, and keeps the rest."""

    def __init__(self, call: Call, production: Production, language: str) -> None:
        self.call, self.path = call, edition_path(production, language)
        self.told: dict[str, Any] = call("reader", "get", self.path).json()
        self.sent = len(self.told["lines"])

    def look(self) -> dict[str, Any]:
        answer = self.call("reader", "get", f"{self.path}?after={self.told['mark']}").json()
        self.sent = len(answer["lines"])
        if not answer["whole"]:
            changed = {line["id"]: line for line in answer["lines"]}
            answer["lines"] = [changed.get(line["id"], line) for line in self.told["lines"]]
        self.told = {**answer, "whole": True}
        return self.told


Edit = Callable[[Call, Production, list[int]], Any]
PATH = "/api/productions/{}/editions/es-MX/"


def _put(path: str, body: Any) -> Edit:
    return lambda call, production, ids: call("owner", "put", PATH.format(production.pk) + path.format(
        line=ids[1], speaker=Speaker.objects.filter(production=production).order_by("position")[0].pk), body)


def _post(path: str, body: Any = None) -> Edit:
    return lambda call, production, ids: call("owner", "post", f"/api/productions/{production.pk}/{path}", _of(body, ids))


def _patch(path: str, body: Any) -> Edit:
    return lambda call, production, ids: call("owner", "patch", f"/api/productions/{production.pk}/{path}", _of(body, ids))


def _of(body: Any, ids: list[int]) -> Any:
    return {**body, "lines": [ids[1]]} if isinstance(body, dict) and body.get("lines") == "second" else body or {}


EDITS: dict[str, Edit] = {
    "a wording": _put("wordings/{line}/", {"text": "Que espere la sopa, y mucho más que la sopa.", "revision": 1}),
    "the source": lambda call, production, ids: call("owner", "put", f"/api/productions/{production.pk}/editions/en-GB/wordings/{ids[1]}/", {"text": "Soup!", "revision": 1}),
    "an approval": _patch("editions/es-MX/wordings/", {"lines": "second", "state": "approved"}),
    "a line's casting": _put("lines/{line}/casting/", {"pitch": 2.0}),
    "a line's direction": _put("lines/{line}/direction/", {"variant": 3}),
    "a casting": _put("castings/{speaker}/", {"pace": 1.2}),
    "another voice": _put("castings/{speaker}/", {"voice": "alondra"}),
    "a line's timing": _patch("editions/es-MX/timing/lines/", {"lines": "second", "own": {"run_on": 0.0}}),
    "the timing": _patch("editions/es-MX/timing/", {"settings": {"hard_fast": 1.2, "run_on": 0.0}}),
    "another edition's timing": _patch("editions/fr-FR/timing/", {"settings": {"pace": 1.1}}),
    "the loudness": _patch("", {"target_lufs": -23.0}),
    "a slot": lambda call, production, ids: call("owner", "patch", f"/api/lines/{ids[1]}/", {"start": 3.2, "end": 4.0}),
    "a note": lambda call, production, ids: call("owner", "patch", f"/api/lines/{ids[1]}/", {"notes": "softly"}),
    "who speaks": _post("script/give/", {"lines": "second", "speaker": "Pilot"}),
    "a name": lambda call, production, ids: call("owner", "patch", f"/api/speakers/{Speaker.objects.filter(production=production)[0].pk}/", {"name": "The Pilot"}),
    "a cut": lambda call, production, ids: call("owner", "post", f"/api/lines/{ids[0]}/split/?language=es-MX", {"text": "La marea está cambiando.", "at": 9, "revision": 1}),
    "a line more": _post("script/add/", {"behind": None, "text": "Cook: Hola."}),
    "a line less": _post("script/remove/", {"lines": "second"}),
    "another order": lambda call, production, ids: call("owner", "post", f"/api/productions/{production.pk}/script/move/", {"lines": [ids[2]], "behind": ids[0]}),
    "a mark": _post("script/mark/", {"lines": "second", "in_sight": True}),
    "on the screen": _post("script/mark/", {"lines": "second", "kind": "on_screen"}),
    "a part that may grow": lambda call, production, ids: call("owner", "patch", f"/api/parts/{Part.objects.filter(production=production)[0].pk}/", {"may_grow": True, "end": 4.0}),
    "undoing": _post("undo/"),
}


@pytest.fixture
def ready(production: Production, call: Call) -> Production:
    for language in ("es-MX", "fr-FR"):
        call("owner", "post", f"{edition_path(production, language)}castings/", {})
        for speaker, voice in zip(Speaker.objects.filter(production=production), ("azor", "abubilla"), strict=True):
            call("owner", "put", f"{edition_path(production, language)}castings/{speaker.pk}/", {"voice": voice})
    call("owner", "post", f"{edition_path(production)}voicings/", {})
    return production


@pytest.mark.parametrize("name", EDITS)
def test_what_is_told_since_makes_what_would_be_told_afresh(name: str, ready: Production, call: Call) -> None:
    ids = list(Line.objects.filter(production=ready).values_list("id", flat=True))
    watcher = Watcher(call, ready, "es-MX")
    assert EDITS[name](call, ready, ids).status_code < 300
    told = watcher.look()
    call("owner", "post", f"{edition_path(ready)}voicings/", {})
    after = watcher.look()
    if call("owner", "post", f"/api/productions/{ready.pk}/undo/", {}).status_code == 200:
        watcher.look()
    forget_all()
    runs.forget_runs()
    assert watcher.told == call("reader", "get", watcher.path).json()
    assert told["mark"] != "" != after["mark"]


def test_one_wording_sends_one_line(ready: Production, call: Call) -> None:
    ids = list(Line.objects.filter(production=ready).values_list("id", flat=True))
    watcher = Watcher(call, ready, "es-MX")
    doubts = call("reader", "get", f"{watcher.path}doubts/").json()
    standings = call("reader", "get", f"{watcher.path}wordings/").json()
    EDITS["a wording"](call, ready, ids)
    watcher.look()
    assert watcher.sent == 1
    again = call("reader", "get", f"{watcher.path}doubts/?after={doubts['mark']}").json()
    assert (again["whole"], again["lines"]) == (False, [ids[1]])
    told = call("reader", "get", f"{watcher.path}wordings/?after={standings['mark']}").json()
    assert [one["line"] for one in told["wordings"]] == [ids[1]]
    watcher.look()
    assert watcher.sent == 0


def test_another_term_has_every_line_looked_at_again(ready: Production, call: Call) -> None:
    path = edition_path(ready)
    before = call("reader", "get", f"{path}doubts/").json()["mark"]
    call("owner", "post", f"{path}terms/", {"original": "tide", "text": "pleamar"})
    told = call("reader", "get", f"{path}doubts/?after={before}").json()
    assert told["whole"]
    assert {f["code"] for one in told["doubts"] for f in one["findings"]} >= {"term_missing"}


@pytest.mark.parametrize("bad", ["", "x", "1", "9999.0", "0.9999", "-1.-1", "1.0/x", "0.0"])
def test_a_mark_that_is_none_of_ours_is_told_everything(bad: str, ready: Production, call: Call) -> None:
    told = call("reader", "get", f"{edition_path(ready)}?after={bad}").json()
    assert told["whole"]
    assert len(told["lines"]) == 3


def test_what_is_made_behind_the_page_is_seen(ready: Production, call: Call) -> None:
    watcher = Watcher(call, ready, "es-MX")
    line = Line.objects.filter(production=ready)[0]
    call("owner", "put", f"{watcher.path}wordings/{line.pk}/", {"text": "Otra marea.", "revision": 1})
    assert watcher.look()["lines"][0]["state"] == "out_of_date"
    call("owner", "post", f"{watcher.path}voicings/", {})
    assert watcher.look()["lines"][0]["state"] == "current"
    assert watcher.sent == 1


def test_asking_again_asks_the_database_one_thing(ready: Production) -> None:
    row = Edition.objects.select_related("production").get(production=ready, language="es-MX")
    first = current(row)
    with CaptureQueriesContext(connection, ) as asked:
        again = current(row, first.mark)
    assert len(asked) == 1
    assert again.since == set()
    assert again.state.grown is first.state.grown


def test_the_longest_unused_is_let_go(ready: Production, monkeypatch: pytest.MonkeyPatch) -> None:
    rows = list(Edition.objects.select_related("production").filter(production=ready))
    monkeypatch.setattr(keeping, "MOST_LINES", 7)
    for row in rows:
        current(row)
    assert list(keeping._kept) == [row.pk for row in rows[-2:]]


def test_marks_are_ordered_by_both_counts() -> None:
    assert SeenMark(3, 1).knows(SeenMark(3, 0))
    assert not SeenMark(3, 1).knows(SeenMark(2, 2))
    assert SeenMark.read(str(SeenMark(12, 7))) == SeenMark(12, 7)


def test_whoever_opens_an_edition_next_is_told_what_the_first_was_by_any_process(production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    path = edition_path(production)
    first = call("owner", "get", path)
    # As in another process, which has never seen it: nothing is loaded, and nothing worked out.
    forget_all()
    with monkeypatch.context() as elsewhere:
        elsewhere.setattr(EditionState, "load_afresh", None)
        assert call("reader", "get", path).content == first.content
        packed = call("reader", "get", path, headers={"Accept-Encoding": "gzip"})
        assert packed["Content-Encoding"] == "gzip"
        assert gzip.decompress(packed.content) == first.content
    line = first.json()["lines"][0]
    call("owner", "put", f"{path}wordings/{line['id']}/", {"text": "Otra cosa.", "revision": line["revision"]})
    assert call("reader", "get", path).json()["lines"][0]["words"] == "Otra cosa."
    assert call("stranger", "get", path).status_code == 404


def test_without_the_cache_an_edition_is_told_all_the_same(production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    def away(*_: Any, **__: Any) -> None:
        raise ConnectionError

    monkeypatch.setattr(keeping.cache, "get", away)
    monkeypatch.setattr(keeping.cache, "set", away)
    assert len(call("owner", "get", edition_path(production)).json()["lines"]) == 3


def test_what_another_request_works_out_is_waited_for(production: Production, call: Call, monkeypatch: pytest.MonkeyPatch) -> None:
    edition = production.editions.get(language="es-MX")
    mark = keeping.mark_of(edition)
    assert keeping.told_by_another(edition, mark) is None, "nobody is at it: this one begins"
    looks: list[float] = []

    def looked(seconds: float) -> None:
        looks.append(seconds)
        if len(looks) == 3:
            keeping.keep_told(edition, mark, b"{}")

    monkeypatch.setattr(keeping.time, "sleep", looked)
    told = keeping.told_by_another(edition, mark)
    assert told is not None
    assert gzip.decompress(told) == b"{}"
    assert len(looks) == 3


class TestOpenedByMany:
    def test_what_editions_share_is_read_once_until_it_changes(self, production: Production, call: Call) -> None:
        def script_was_read(language: str) -> bool:
            with CaptureQueriesContext(connection) as asked:
                assert call("owner", "get", f"/api/productions/{production.pk}/editions/{language}/").status_code == 200
            return any("`script_line`.`in_sight`" in one["sql"] for one in asked)

        forget_all()
        first, second = [edition.language for edition in production.editions.all()][:2]
        assert script_was_read(first)
        assert not script_was_read(second)
        line = Line.objects.filter(production=production).first()
        assert line is not None
        assert call("owner", "patch", f"/api/lines/{line.pk}/", {"notes": "low"}).status_code == 204
        assert script_was_read(first), "another stamp: it is read anew"

    @pytest.mark.parametrize(("in_hand", "waits"), [(0, []), (1, [0.004]), (3, [0.012]), (90, [0.03])])
    def test_who_has_much_in_hand_waits_before_taking_more(self, in_hand: int, waits: list[float], monkeypatch: pytest.MonkeyPatch) -> None:
        waited: list[float] = []
        monkeypatch.setattr(time, "sleep", waited.append)
        worker = EvenWorker(1, 1, [], None, 30, Config(), None)
        worker.nr_conns, worker.keepalived_conns = in_hand + 1, deque([object()])
        with socket.socket() as listener:
            listener.bind(("127.0.0.1", 0))
            listener.listen()
            listener.setblocking(False)
            worker.accept(listener)
        assert waited == [pytest.approx(one) for one in waits]
