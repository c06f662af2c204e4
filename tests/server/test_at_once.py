"""What two people, or two jobs, can do in the same moment: with real transactions, a connection for each, real workers.

Whatever happens, nobody is answered by a fault of the server, what is answered yes is there, and it is there once.
"""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.db import connections
from django.test import Client

from janoglot.adapt.models import Term
from janoglot.productions.models import (
    ActionRecord,
    Casting,
    ClipTable,
    Edition,
    Job,
    LexiconEntry,
    Line,
    LineDirection,
    Production,
    Speaker,
    Wording,
)
from janoglot.review.models import Remark
from tests.server.conftest import Call, Workers, edition_path, until

PEOPLE = 8
Ask = tuple[Any, ...]
"""Who, how, where, what; and headers, where there are any."""


@pytest.fixture
def ferry(transactional_db: None, production: Production) -> Production:
    """The small production, in a database that keeps what is written."""
    return production


def at_once(asked: Sequence[Ask]) -> list[Any]:
    """Each request from a connection of its own, all begun in the same moment: the answers."""
    gate = threading.Barrier(len(asked))

    def ask(one: Ask) -> Any:
        who, method, path, body, headers = (*one, {})[:5]
        client = Client(raise_request_exception=False)
        try:
            client.force_login(User.objects.get(username=who))
            gate.wait(30)
            return getattr(client, method)(path, body, content_type="application/json", headers=headers)
        finally:
            connections.close_all()

    with ThreadPoolExecutor(len(asked)) as pool:
        return [one.result(120) for one in [pool.submit(ask, one) for one in asked]]


def told(answers: Sequence[Any]) -> Counter[int]:
    counted = Counter(one.status_code for one in answers)
    worst = [one.content[:300] for one in answers if one.status_code >= 500]
    assert not worst, (counted, worst[:3])
    return counted


class TestTheSameKindOfThing:
    """Everybody adds something of their own: all of it is there."""

    def test_marks_on_the_words_of_one_line(self, ferry: Production) -> None:
        line = Line.objects.filter(production=ferry).first()
        assert line is not None
        Wording.objects.filter(line=line, edition__language="es-MX").update(text=" ".join(f"palabra{n}" for n in range(PEOPLE)))
        path = f"{edition_path(ferry)}lines/{line.pk}/direction/"
        marks = [{"kind": "lift" if n % 2 else "stress", "word": n, "amount": 1.5} for n in range(PEOPLE)]
        told(at_once([("editor" if n % 2 else "owner", "put", path, {"marks_added": [mark], "marks_removed": []}) for n, mark in enumerate(marks)]))
        row = LineDirection.objects.get(line=line, edition__language="es-MX")
        assert sorted((one["word"], one["kind"]) for one in row.marks) == [(n, "lift" if n % 2 else "stress") for n in range(PEOPLE)]
        told(at_once([("owner", "put", path, {"marks_added": [{**marks[n], "amount": 0.5}] if n % 2 else [], "marks_removed": [marks[n]]}) for n in range(PEOPLE)]))
        row.refresh_from_db()
        assert [(one["word"], one["amount"]) for one in row.marks] == [(n, 0.5) for n in range(1, PEOPLE, 2)]

    def test_sounds_under_the_voices(self, ferry: Production) -> None:
        """Everybody lays a sound of their own, from what they have seen; who was not first looks again, and does the same."""
        path = f"/api/productions/{ferry.pk}/sounds/"
        client = Client()
        client.force_login(User.objects.get(username="owner"))
        left = list(range(PEOPLE))
        for _ in range(PEOPLE):
            seen = client.get(path).json()
            layers = seen["layers"] or [{"name": "effects", "kind": "effects", "level_db": -8}]
            answers = at_once([("editor" if n % 2 else "owner", "put", path, {**seen, "layers": layers, "cues": [*seen["cues"], {
                "id": f"c{n}", "layer": "effects", "sound": {"made": "bell"}, "at": {"seconds": n}}]}) for n in left])
            found = told(answers)
            assert found[200] == 1 and found[409] == len(left) - 1, found
            for answer in answers:
                if answer.status_code == 409:
                    assert len(answer.json()["current"]["cues"]) == PEOPLE - len(left) + 1
            written = {cue["id"] for cue in client.get(path).json()["cues"]}
            left = [n for n in left if f"c{n}" not in written]
        assert not left and len(client.get(path).json()["cues"]) == PEOPLE

    def test_cells_of_a_template(self, ferry: Production) -> None:
        line = Line.objects.filter(production=ferry).first()
        assert line is not None
        Wording.objects.filter(line=line, edition__language="en-GB").update(text="Next at {time} on {day}.")
        path = f"/api/productions/{ferry.pk}/lines/{line.pk}/table/"
        told(at_once([("owner", "put", path, {"add": [{"name": f"row{n}", "time": f"{n}:00"}]}) for n in range(PEOPLE)]))
        told(at_once([("editor", "put", path, {"cells": [{"row": f"row{n}", "column": "day", "value": f"day {n}"}]})
                      for n in range(PEOPLE)] + [("owner", "put", path, {"kinds": {"time": "time"}})]))
        table = ClipTable.objects.get(line=line)
        assert sorted((row["name"], row["time"], row["day"]) for row in table.rows) == [
            (f"row{n}", f"{n}:00", f"day {n}") for n in range(PEOPLE)] and table.kinds == {"time": "time"}

    def test_entries_of_the_lexicon(self, ferry: Production) -> None:
        path = f"{edition_path(ferry)}lexicon/"
        for turn in range(3):
            found = told(at_once([("editor" if n % 2 else "owner", "post", path, {
                "phrase": f"word{turn}x{n}", "kind": "alias", "said": "x"}) for n in range(PEOPLE)]))
            assert sum(found.values()) == found[200] + found[201] == PEOPLE
        assert LexiconEntry.objects.filter(production=ferry).count() == 3 * PEOPLE
        # And each of them can be taken back.
        assert ActionRecord.objects.filter(production=ferry, name="change_lexicon").count() == 3 * PEOPLE

    def test_terms(self, ferry: Production) -> None:
        path = f"{edition_path(ferry)}terms/"
        found = told(at_once([("editor", "post", path, {"original": f"tide {n}", "text": f"marea {n}"})
                              for n in range(PEOPLE)]))
        assert found == {201: PEOPLE}
        assert Term.objects.filter(production=ferry).count() == PEOPLE

    def test_names_of_takes_of_one_line(self, ferry: Production) -> None:
        line = Line.objects.filter(production=ferry).first()
        assert line is not None
        path = f"{edition_path(ferry)}lines/{line.pk}/direction/"
        assert told(at_once([("editor", "put", path, {"names": {str(n): f"take {n}"}})
                             for n in range(1, PEOPLE + 1)])) == {200: PEOPLE}
        row = LineDirection.objects.get(line=line, edition__language="es-MX")
        assert row.names == {str(n): f"take {n}" for n in range(1, PEOPLE + 1)}


class TestTheVerySameThing:
    """Everybody does the same: it is done once, and whoever was late is told, or has it too."""

    def test_one_phrase_of_the_lexicon(self, ferry: Production) -> None:
        path = f"{edition_path(ferry)}lexicon/"
        told(at_once([("editor", "post", path, {"phrase": "sopa", "kind": "alias", "said": f"z{n}"})
                      for n in range(PEOPLE)]))
        assert LexiconEntry.objects.filter(production=ferry, phrase="sopa").count() == 1

    def test_an_edition_is_added(self, ferry: Production) -> None:
        found = told(at_once([("owner", "post", f"/api/productions/{ferry.pk}/editions/", {"language": "de-DE"})
                              for _ in range(PEOPLE)]))
        assert found[201] == 1
        assert Edition.objects.filter(production=ferry, language="de-DE").count() == 1

    def test_speakers_are_renamed_to_one_name(self, ferry: Production) -> None:
        people = list(Speaker.objects.filter(production=ferry))
        found = told(at_once([("editor", "patch", f"/api/speakers/{one.pk}/", {"name": "Nobody"}) for one in people * 3]))
        assert found[204] >= 1
        names = list(Speaker.objects.filter(production=ferry).values_list("name", flat=True))
        assert len(names) == len(set(names))
        assert names.count("Nobody") == 1

    def test_somebody_is_cast_who_was_not(self, ferry: Production) -> None:
        pilot = Speaker.objects.get(production=ferry, name="Pilot")
        path = f"{edition_path(ferry)}castings/{pilot.pk}/"
        voices = ["linnet", "plover"] * (PEOPLE // 2)
        found = told(at_once([("editor", "put", path, {"voice": voice}) for voice in voices]))
        assert found[200] >= 1, found
        assert Casting.objects.filter(edition__production=ferry, edition__language="es-MX", speaker=pilot).count() == 1

    def test_a_proposal_is_taken(self, ferry: Production) -> None:
        link = Client()
        link.force_login(User.objects.get(username="owner"))
        made = link.post(f"/api/productions/{ferry.pk}/links/", {"name": "Marisol", "languages": ["es-MX"], "interface": "es"},
                         content_type="application/json").json()
        line = Line.objects.filter(production=ferry).first()
        assert line is not None
        said = Remark.objects.create(link_id=made["id"], edition=Edition.objects.get(production=ferry, language="es-MX"),
                                     line=line, kind="words", text="Too stiff.", proposed="Ya cambia la marea.")
        told(at_once([("editor" if n % 2 else "owner", "post", f"/api/productions/{ferry.pk}/remarks/{said.pk}/taking/", None)
                      for n in range(PEOPLE)]))
        assert Wording.objects.get(line=line, edition__language="es-MX").text == "Ya cambia la marea."
        said.refresh_from_db()
        assert said.state == "taken"
        # One change to undo, not one for each that pressed it.
        taken = ActionRecord.objects.filter(production=ferry, name="take_proposal").exclude(changes=[])
        assert taken.count() == 1


class TestOneAgainstAnother:
    def test_casting_everybody_while_two_are_made_one(self, ferry: Production) -> None:
        pilot, cook = (Speaker.objects.get(production=ferry, name=name) for name in ("Pilot", "Cook"))
        told(at_once([
            ("owner", "post", f"/api/productions/{ferry.pk}/cast-all/", {}),
            ("editor", "post", f"/api/speakers/{cook.pk}/merge/", {"into": pilot.pk}),
            ("owner", "post", f"/api/productions/{ferry.pk}/cast-all/", {})]))
        assert list(Speaker.objects.filter(production=ferry)) == [pilot]
        assert set(Casting.objects.filter(edition__production=ferry).values_list("speaker", flat=True)) <= {pilot.pk}

    def test_undoing_while_somebody_changes_the_same(self, ferry: Production, call: Call) -> None:
        line = Line.objects.filter(production=ferry).first()
        assert line is not None
        path = f"{edition_path(ferry)}wordings/{line.pk}/"
        for turn in range(4):
            before = Wording.objects.get(line=line, edition__language="es-MX")
            mine = call("owner", "put", path, {"text": f"Mía {turn}.", "revision": before.revision}).json()
            answers = at_once([
                ("owner", "post", f"/api/productions/{ferry.pk}/undo/", {}),
                ("editor", "put", path, {"text": f"Suya {turn}.", "revision": mine["revision"]})])
            told(answers)
            now = Wording.objects.get(line=line, edition__language="es-MX").text
            undone, theirs = (one.status_code < 300 for one in answers)
            # Who was answered yes has it; both only where one was after the other.
            assert (undone, theirs) != (False, False)
            if theirs:
                assert now == f"Suya {turn}."
            else:
                assert now == before.text

    def test_the_history_tells_what_is_there(self, ferry: Production) -> None:
        """Many changes of few lines by two people at once: what the newest record of each says is what stands."""
        lines = list(Line.objects.filter(production=ferry))
        asked: list[Ask] = []
        for n in range(12):
            line = lines[n % 3]
            asked.append(("owner" if n % 2 else "editor", "put", f"{edition_path(ferry)}lines/{line.pk}/direction/",
                          {"moods": [{"mood": "calm", "strength": round(0.4 + 0.05 * n, 2)}]}))
        told(at_once(asked))
        for line in lines:
            row = LineDirection.objects.get(line=line, edition__language="es-MX")
            after: dict[str, Any] = {}
            for record in ActionRecord.objects.filter(production=ferry, undone=None).order_by("id"):
                for change in record.changes:
                    if change["model"] == "productions.linedirection" and change["id"] == row.pk and change["after"]:
                        after |= change["after"]
            assert after["moods"] == row.moods


class TestTwoJobs:
    def test_mixes_of_a_production_and_its_copy(self, ferry: Production, call: Call, workers: Workers) -> None:
        """Copies have the same sounds, so that their mixes are of the same pieces: each is whole in the end."""
        workers()
        workers()
        path = edition_path(ferry)
        call("owner", "post", f"{path}castings/", {})
        job = call("owner", "post", f"{path}voicings/", {}).json()["id"]
        until(lambda: Job.objects.get(pk=job).state == "done")
        copy = call("owner", "post", f"/api/productions/{ferry.pk}/duplicate/", {"name": "Copy"}).json()["id"]
        paths = [f"/api/productions/{number}/editions/es-MX/mixes/" for number in (ferry.pk, copy)]
        answers = at_once([("owner", "post", one, None) for one in paths])
        told(answers)
        recipes = [one.json()["recipe"] for one in answers]
        for one, recipe in zip(paths, recipes, strict=True):
            until(lambda at=f"{one}{recipe}/": call("owner", "get", at).json()["state"] == "ready")
        assert recipes[0] == recipes[1]
        for one, recipe in zip(paths, recipes, strict=True):
            sound = call("owner", "get", f"{one}{recipe}/sound.wav")
            assert sound.status_code == 200
            assert len(b"".join(sound.streaming_content)) == int(sound.headers["Content-Length"])
