"""Undoing and redoing: of one's own, never what somebody else did, never what was given up."""

from __future__ import annotations

from typing import Any

import pytest

from janoglot.productions.models import Edition, Line, LineTiming, Production, Speaker, Wording
from tests.server.conftest import Call, edition_path


@pytest.fixture
def ids(production: Production) -> list[int]:
    return list(Line.objects.filter(production=production).values_list("id", flat=True))


def write(call: Call, production: Production, who: str, line: int, text: str, language: str = "en-GB") -> None:
    wording = Wording.objects.get(line=line, edition__language=language)
    answer = call(who, "put", f"{edition_path(production, language)}wordings/{line}/",
                  {"text": text, "revision": wording.revision, "reopen": True})
    assert answer.status_code == 200, answer.json()


def undo(call: Call, production: Production, who: str = "editor", **body: Any) -> Any:
    return call(who, "post", f"/api/productions/{production.pk}/undo/?after=0", body)


def redo(call: Call, production: Production, who: str = "editor") -> Any:
    return call(who, "post", f"/api/productions/{production.pk}/redo/?after=0", {})


def said(line: int, language: str = "en-GB") -> str:
    return Wording.objects.get(line=line, edition__language=language).text


class TestRedo:
    def test_a_new_change_ends_what_could_be_redone(self, production: Production, call: Call, ids: list[int]) -> None:
        write(call, production, "editor", ids[0], "Change A.")
        assert undo(call, production).status_code == 200
        write(call, production, "editor", ids[1], "Change B.")
        assert undo(call, production).json()["redo"] == "set_wording"
        assert redo(call, production).status_code == 200
        assert said(ids[1]) == "Change B."
        assert said(ids[0]) == "The tide is turning."
        assert redo(call, production).status_code == 409

    def test_so_does_typing_on_in_the_same_line(self, production: Production, call: Call, ids: list[int]) -> None:
        write(call, production, "editor", ids[0], "One.")
        write(call, production, "editor", ids[1], "Given up.")
        undo(call, production)
        write(call, production, "editor", ids[0], "One, two.")
        assert redo(call, production).status_code == 409
        assert said(ids[1]) == "Then the soup must wait."

    def test_what_was_typed_in_one_sitting_is_taken_back_and_comes_back_whole(self, production: Production, call: Call, ids: list[int]) -> None:
        before = said(ids[0])
        for text in ("C", "Ch", "Chan", "Change."):
            write(call, production, "editor", ids[0], text)
        call("editor", "patch", f"/api/lines/{ids[0]}/", {"notes": "softly"})
        write(call, production, "editor", ids[0], "Changed.")
        assert undo(call, production).status_code == 200 and said(ids[0]) == "Change.", "something lay between"
        assert undo(call, production).status_code == 200 and undo(call, production).status_code == 200
        assert said(ids[0]) == before
        assert redo(call, production).status_code == 200 and said(ids[0]) == "Change."

    def test_nobody_redoes_what_another_undid(self, production: Production, call: Call, ids: list[int]) -> None:
        write(call, production, "editor", ids[0], "Mine.")
        undo(call, production)
        assert redo(call, production, "owner").status_code == 409
        assert redo(call, production).status_code == 200


class TestOnesOwn:
    def test_what_another_did_since_elsewhere_stays(self, production: Production, call: Call, ids: list[int]) -> None:
        write(call, production, "editor", ids[0], "Mine.")
        write(call, production, "owner", ids[1], "Theirs.")
        answer = undo(call, production)
        assert answer.json()["done"]["others"] == 0
        assert (said(ids[0]), said(ids[1])) == ("The tide is turning.", "Theirs.")
        assert undo(call, production).status_code == 409

    def test_what_lies_on_top_is_told_and_offered(self, production: Production, call: Call, ids: list[int]) -> None:
        write(call, production, "editor", ids[0], "Mine.")
        write(call, production, "owner", ids[0], "Theirs on mine.")
        refused = undo(call, production)
        assert (refused.status_code, refused.json()["code"]) == (409, "later_change")
        assert "owner" in refused.json()["message"]
        assert said(ids[0]) == "Theirs on mine."
        assert undo(call, production, with_others=True).json()["done"]["others"] == 1
        assert said(ids[0]) == "The tide is turning."

    def test_a_line_that_another_gave_something_of_its_own(self, production: Production, call: Call, ids: list[int]) -> None:
        made = call("editor", "post", f"/api/productions/{production.pk}/script/add/?after=0",
                    {"behind": ids[0], "text": "Cook: One more."}).json()["done"][0]
        call("owner", "patch", f"{edition_path(production)}timing/lines/", {"lines": [made], "own": {"run_on": 1.0}})
        assert undo(call, production).json()["code"] == "later_change"
        assert Line.objects.filter(pk=made).exists()
        assert undo(call, production, with_others=True).status_code == 200
        assert not Line.objects.filter(pk=made).exists()

    def test_a_reader_undoes_nothing(self, production: Production, call: Call, ids: list[int]) -> None:
        write(call, production, "editor", ids[0], "Mine.")
        assert undo(call, production, "reader").status_code == 403
        assert undo(call, production, "stranger").status_code == 404


class TestWhatBelongsToALine:
    def test_cutting_a_line_cuts_its_timing(self, production: Production, call: Call, ids: list[int]) -> None:
        path = f"{edition_path(production)}timing/lines/"
        call("editor", "patch", path, {"lines": [ids[2]], "own": {"mode": "pinned", "at": 6.2, "hard_fast": 1.4, "seconds": 3.0}})
        new = call("editor", "post", f"/api/lines/{ids[2]}/split/?after=0",
                   {"text": "Everything waits for the tide.", "at": 16, "revision": 1}).json()["done"]
        first, second = (LineTiming.objects.get(line=line).own for line in (ids[2], new))
        assert (first["mode"], first["at"], first["hard_fast"], second["hard_fast"]) == ("pinned", 6.2, 1.4, 1.4)
        assert not {"at", "mode"} & set(second)
        assert first["seconds"] + second["seconds"] == pytest.approx(3.0)
        undo(call, production)
        assert LineTiming.objects.get(line=ids[2]).own["seconds"] == 3.0

    def test_cut_and_joined_words_say_who_and_know_their_source(self, production: Production, call: Call, ids: list[int]) -> None:
        write(call, production, "owner", ids[2], "Todo espera. A la marea.", "es-MX")
        new = call("editor", "post", f"/api/lines/{ids[2]}/split/?after=0",
                   {"text": "Everything waits for the tide.", "at": 16, "revision": 1}).json()["done"]
        for line, source in ((ids[2], said(ids[2])), (new, said(new))):
            wording = Wording.objects.get(line=line, edition__language="es-MX")
            assert wording.changed_by is not None
            assert (wording.changed_by.username, wording.worded_from) == ("editor", source)
        call("owner", "post", f"/api/lines/{new}/join/?after=0", {})
        joined = Wording.objects.select_related("changed_by").get(line=ids[2], edition__language="es-MX")
        assert joined.changed_by is not None
        assert (joined.changed_by.username, joined.worded_from) == ("owner", said(ids[2]))

    def test_merged_speakers_leave_no_rates_behind(self, production: Production, call: Call) -> None:
        cook, pilot = (Speaker.objects.get(name=name).pk for name in ("Cook", "Pilot"))
        path = f"{edition_path(production)}timing/"
        rates = {"comfortable_fast": 1.1, "hard_fast": 1.2}
        assert call("editor", "patch", path, {"settings": {"speakers": {str(cook): rates}}}).status_code == 200
        call("editor", "post", f"/api/speakers/{cook}/merge/", {"into": pilot})
        assert Edition.objects.get(production=production, language="es-MX").timing["speakers"] == {str(pilot): rates}
        assert call("editor", "patch", path, {"settings": {"run_on": 1.0}}).status_code == 200
        undo(call, production)
        undo(call, production)
        assert Edition.objects.get(production=production, language="es-MX").timing["speakers"] == {str(cook): rates}

    def test_rates_of_somebody_gone_hinder_nothing(self, production: Production, call: Call) -> None:
        edition = Edition.objects.get(production=production, language="es-MX")
        edition.timing = {"speakers": {"999999": {"hard_fast": 1.2}}}
        edition.save()
        answer = call("editor", "patch", f"{edition_path(production)}timing/", {"settings": {"run_on": 1.0}})
        assert answer.status_code == 200
        assert "speakers" not in Edition.objects.get(pk=edition.pk).timing


class TestReplacing:
    def test_approved_words_are_left_unless_they_are_to_be_opened(self, production: Production, call: Call, ids: list[int]) -> None:
        call("owner", "patch", f"{edition_path(production)}wordings/", {"lines": ids[:1], "state": "approved"})
        path = f"{edition_path(production)}replace/"
        found = call("editor", "post", path, {"find": "marea", "replacement": "mar"}).json()
        assert [hit["approved"] for hit in found["hits"]] == [True, False]
        assert call("editor", "post", path, {"find": "marea", "replacement": "mar", "apply": True}).json()["applied"] == 1
        assert said(ids[0], "es-MX") == "La marea está cambiando."
        wording = Wording.objects.select_related("changed_by").get(line=ids[2], edition__language="es-MX")
        assert wording.changed_by is not None
        assert (wording.changed_by.username, wording.worded_from) == ("editor", said(ids[2]))
        call("editor", "post", path, {"find": "marea", "replacement": "mar", "apply": True, "reopen": True})
        assert Wording.objects.get(line=ids[0], edition__language="es-MX").state == "edited"

    def test_finding_is_the_readers_replacing_the_editors(self, production: Production, call: Call) -> None:
        path = f"{edition_path(production)}replace/"
        assert call("reader", "post", path, {"find": "marea"}).status_code == 200
        assert call("reader", "post", path, {"find": "marea", "apply": True}).status_code == 403


def test_a_line_pinned_after_a_hold_stays_where_it_was_put(production: Production, call: Call, ids: list[int]) -> None:
    call("owner", "post", f"{edition_path(production)}castings/", {})
    call("owner", "post", f"{edition_path(production)}voicings/", {})
    part = Line.objects.get(pk=ids[0]).part_id
    write(call, production, "owner", ids[0], "La marea está cambiando y nadie en este barco lo sabe todavía, ni el piloto, ni el cocinero, ni nadie más que la vea.", "es-MX")
    call("owner", "post", f"{edition_path(production)}voicings/", {})
    call("owner", "patch", f"/api/parts/{part}/?after=0", {"may_grow": True})
    edition = call("owner", "get", edition_path(production)).json()
    assert edition["holds"], "the part must be held for this test to say anything"
    at = edition["lines"][2]["start"] + 0.4
    path = f"{edition_path(production)}timing/lines/"
    changed = call("owner", "patch", path, {"lines": [ids[2]], "own": {"mode": "pinned", "at": at}}).json()
    line = next(one for one in changed["lines"] if one["id"] == ids[2])
    assert line["start"] == pytest.approx(at, abs=0.002)
    assert line["timing"]["at"] == pytest.approx(at, abs=0.002)
