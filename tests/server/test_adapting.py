"""Adapting through the interface for programs: states, drafts, memory, terms, doubts, and wordings out and back."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from janoglot.core.adapt.outgoing import Outgoing, OutgoingLine
from janoglot.core.adapt.xliff import read_xliff, write_xliff
from janoglot.core.script.model import ScriptLine
from janoglot.productions.jobs import go_on_with_jobs
from janoglot.productions.models import Job, Line, Production, Wording
from janoglot.script.actions.add_lines import add_lines
from tests.server.conftest import Call, edition_path, lines
from tests.server.test_making import cast_and_voice


def ids(production: Production) -> list[int]:
    return list(Line.objects.filter(production=production).values_list("id", flat=True))


def said(production: Production, language: str = "es-MX") -> dict[int, tuple[str, str]]:
    return {w.line_id: (w.text, w.state) for w in Wording.objects.filter(edition__production=production, edition__language=language)}


def upload(name: str, content: bytes | str, **more: Any) -> dict[str, Any]:
    return {"file": SimpleUploadedFile(name, content if isinstance(content, bytes) else content.encode()), **more}


def write(call: Call, production: Production, number: int, text: str, language: str = "es-MX", **more: Any) -> Any:
    line = lines(call, production, language)[number]
    return call("editor", "put", f"{edition_path(production, language)}wordings/{line['id']}/", {"text": text, "revision": line["revision"], **more})


class TestStates:
    def test_who_and_when_and_approval_that_is_asked_for_again(self, production: Production, call: Call) -> None:
        path = f"{edition_path(production)}wordings/"
        first = ids(production)[0]
        assert call("owner", "patch", path, {"lines": [first], "state": "approved"}).json() == {"count": 1}
        standing = next(one for one in call("reader", "get", path).json()["wordings"] if one["line"] == first)
        assert (standing["state"], standing["by"]) == ("approved", "owner")
        refused = write(call, production, 0, "Otra cosa.")
        assert (refused.status_code, refused.json()["code"]) == (409, "approved")
        assert write(call, production, 0, "Otra cosa.", reopen=True).json()["state"] == "edited"
        call("editor", "post", f"/api/productions/{production.pk}/undo/", {})
        assert said(production)[first] == ("La marea está cambiando.", "approved")

    def test_what_the_source_says_otherwise_since_is_shown(self, production: Production, call: Call) -> None:
        first = ids(production)[0]
        call("owner", "patch", f"{edition_path(production)}wordings/", {"lines": [first], "state": "approved"})
        write(call, production, 0, "The wind is turning.", "en-GB")
        standing = next(one for one in call("reader", "get", f"{edition_path(production)}wordings/").json()["wordings"] if one["line"] == first)
        assert [part for part in standing["source_difference"] if part[0] != "same"] == [["gone", "tide"], ["new", "wind"]]
        call("owner", "patch", f"{edition_path(production)}wordings/", {"lines": [first], "state": "approved"})
        standing = next(one for one in call("reader", "get", f"{edition_path(production)}wordings/").json()["wordings"] if one["line"] == first)
        assert standing["source_difference"] == []

    def test_so_it_is_for_words_that_came_with_the_script_and_nobody_has_touched(self, production: Production, call: Call) -> None:
        first = ids(production)[0]
        write(call, production, 0, "The wind is turning.", "en-GB")
        told = {one["line"]: one["source_difference"] for one in call("reader", "get", f"{edition_path(production)}wordings/").json()["wordings"]}
        assert [part for part in told[first] if part[0] != "same"] == [["gone", "tide"], ["new", "wind"]]
        assert not any(told[line] for line in ids(production)[1:])
        # In one step with its line, and gone with its undoing.
        call("editor", "post", f"/api/productions/{production.pk}/undo/", {})
        assert not any(one["source_difference"] for one in call("reader", "get", f"{edition_path(production)}wordings/").json()["wordings"])

    def test_lines_that_are_added_with_their_words_know_their_source(self, production: Production, call: Call) -> None:
        add_lines(User.objects.get(username="editor"), production, [ScriptLine("Pilot", "Cast off.", wordings={"es-MX": "Suelten amarras."})], ids(production)[-1])
        wording = Wording.objects.get(text="Suelten amarras.")
        assert wording.worded_from == "Cast off."

    def test_what_is_empty_is_not_approved(self, production: Production, call: Call) -> None:
        path = f"{edition_path(production, 'fr-FR')}wordings/"
        assert call("owner", "patch", path, {"lines": ids(production), "state": "approved"}).json() == {"count": 2}
        assert said(production, "fr-FR")[ids(production)[1]][1] == "empty"


class TestGauge:
    def test_it_is_the_length_of_the_take_that_comes_of_it(self, production: Production, call: Call) -> None:
        path = cast_and_voice(call, production)
        for line in lines(call, production):
            found = call("reader", "post", f"{path}wordings/{line['id']}/gauge/", {"text": line["words"]}).json()
            assert found["natural"] == pytest.approx(line["natural"], rel=0.001)
            assert found["slot"] == pytest.approx(line["slot"][1] - line["slot"][0])
            assert found["room"] >= found["slot"]

    def test_it_says_what_would_do(self, production: Production, call: Call) -> None:
        path = cast_and_voice(call, production)
        first = ids(production)[0]
        text = "La marea está cambiando, y con ella cambia todo lo que hay en el puerto y más allá."
        found = call("reader", "post", f"{path}wordings/{first}/gauge/", {"text": text}).json()
        assert found["standing"] == "over"
        assert 3 < found["trim"] < found["syllables"]
        short = call("reader", "post", f"{path}wordings/{first}/gauge/", {"text": "Sí."}).json()
        assert (short["standing"], short["trim"]) == ("spare", 0)

    def test_without_a_voice_or_words_nothing_is_long(self, production: Production, call: Call) -> None:
        path = f"{edition_path(production)}wordings/{ids(production)[0]}/gauge/"
        assert call("reader", "post", path, {"text": "Hola."}).json()["natural"] == 0
        assert call("reader", "post", path, {"text": " "}).json()["standing"] == "fits"

    @pytest.mark.parametrize(("method", "path", "body", "what"), [
        ("put", "{e}castings/{speaker}/", {"pace": 0.8}, "natural"),
        ("put", "{e}lines/{line}/casting/", {"pace": 0.8}, "natural"),
        ("patch", "{e}timing/", {"settings": {"hard_fast": 1.5}}, "over"),
        ("patch", "{e}timing/lines/", {"lines": ["{line}"], "own": {"hard_fast": 1.5}}, "over"),
        ("patch", "/api/lines/{line}/", {"end": 2.1}, "slot"),
    ])
    def test_it_knows_at_once_what_was_changed_and_undone(self, production: Production, call: Call, method: str, path: str,
                                                          body: dict[str, Any], what: str) -> None:
        edition = edition_path(production)
        call("owner", "post", f"{edition}castings/", {})
        line = Line.objects.filter(production=production)[0]
        names = {"e": edition, "line": line.pk, "speaker": line.speaker_id}

        def asked() -> Any:
            return call("reader", "post", f"{edition}wordings/{line.pk}/gauge/", {"text": "La marea cambia y todo cambia."}).json()

        before = asked()
        assert asked() == before
        filled = {name: [line.pk] if name == "lines" else value for name, value in body.items()}
        assert call("editor", method, path.format(**names), filled).status_code in (200, 204)
        assert asked()[what] != before[what]
        call("editor", "post", f"/api/productions/{production.pk}/undo/", {})
        assert asked() == before

    def test_the_next_key_asks_little_of_the_database(self, production: Production, as_: Callable[[str], Client],
                                                      django_assert_max_num_queries: Any) -> None:
        path = f"{edition_path(production)}wordings/{ids(production)[0]}/gauge/"
        reader = as_("reader")
        reader.post(path, {"text": "Hola."})
        with django_assert_max_num_queries(3):  # who asks (a session and its user), and the edition
            assert reader.post(path, {"text": "Hola, mar."}).status_code == 200


class TestDrafts:
    def test_first_the_memory_then_the_engine_and_never_as_done(self, production: Production, call: Call) -> None:
        path = edition_path(production)
        first, second, third = ids(production)
        write(call, production, 0, "")
        write(call, production, 1, "")
        memory = ('<tmx version="1.4"><header/><body><tu><tuv xml:lang="en-GB"><seg>The tide is turning.</seg></tuv>'
                  '<tuv xml:lang="es-MX"><seg>Cambia la marea.</seg></tuv></tu></body></tmx>')
        assert call("editor", "post", f"{path}memory/", upload("m.tmx", memory), format="multipart").json() == {"count": 1}
        assert call("editor", "post", f"{path}memory/", upload("m.tmx", memory), format="multipart").json() == {"count": 0}
        job = call("editor", "post", f"{path}drafts/", {}).json()
        done = call("reader", "get", f"/api/jobs/{job['id']}/").json()
        assert (done["state"], done["total"], done["report"]) == ("done", 2, {"exact": 1, "drafted": 1})
        now = said(production)
        assert now[first] == ("Cambia la marea.", "draft")
        assert now[second][1] == "draft"
        assert "sopa" in now[second][0]
        assert now[third] == ("Todo espera a la marea.", "edited")
        call("editor", "post", f"/api/productions/{production.pk}/undo/", {})
        assert said(production)[first] == ("", "empty")

    def test_what_was_approved_is_remembered_and_nearly_the_same_shows_its_difference(self, production: Production, call: Call) -> None:
        path = edition_path(production)
        first, second, _ = ids(production)
        call("owner", "patch", f"{path}wordings/", {"lines": [first], "state": "approved"})
        write(call, production, 1, "The tide is turning now.", "en-GB")
        (match,) = call("reader", "get", f"{path}memory/?line={second}").json()
        assert match["text"] == "La marea está cambiando."
        assert 0.8 < match["score"] < 1
        assert ["new", " now"] in match["difference"] or any(kind == "new" for kind, _ in match["difference"])
        tmx = call("reader", "get", f"{path}memory.tmx").content.decode()
        assert "La marea está cambiando." in tmx
        assert "Todo espera" not in tmx

    def test_another_persons_productions_are_not_remembered(self, production: Production, call: Call) -> None:
        call("owner", "patch", f"{edition_path(production)}wordings/", {"lines": ids(production), "state": "approved"})
        draft = call("stranger", "post", "/api/imports/", {"text": "speaker,en-GB,es-MX\nCook,The tide is turning.,\n"}).json()["draft"]
        other = call("stranger", "post", f"/api/imports/{draft}/production/", {"name": "Own"}).json()["id"]
        line = Line.objects.get(production=other).pk
        assert call("stranger", "get", f"/api/productions/{other}/editions/es-MX/memory/?line={line}").json() == []

    def test_where_there_is_no_engine_it_stays_empty_and_says_why(self, production: Production, call: Call) -> None:
        call("owner", "post", f"/api/productions/{production.pk}/editions/", {"language": "de-DE"})
        path = edition_path(production, "de-DE")
        job = call("owner", "get", f"/api/jobs/{call('owner', 'post', f'{path}drafts/', {}).json()['id']}/").json()
        assert (job["state"], job["report"]) == ("done", {"no_engine": 3})
        assert "German" in job["fault"]
        assert call("reader", "get", f"{path}drafts/").json()["route"] == []
        assert {text for text, _ in said(production, "de-DE").values()} == {""}

    def test_what_a_worker_left_is_drafted_by_the_next(self, production: Production, call: Call) -> None:
        write(call, production, 1, "")
        owner = production.memberships.get(role="owner").user
        edition = production.editions.get(language="es-MX")
        job = Job.objects.create(kind="draft", queue="bulk", edition=edition, production=production, user=owner,
                                 items=ids(production)[1:2])
        go_on_with_jobs()
        job.refresh_from_db()
        assert (job.state, job.items_done) == ("done", 1)
        assert said(production)[ids(production)[1]][1] == "draft"

    def test_nothing_empty_is_nothing_to_draft(self, production: Production, call: Call) -> None:
        assert call("owner", "post", f"{edition_path(production)}drafts/", {}).status_code == 400
        assert call("owner", "post", f"{edition_path(production, 'en-GB')}drafts/", {}).status_code == 400


class TestDoubts:
    def test_the_one_bad_word_is_found(self, production: Production, call: Call) -> None:
        path = edition_path(production)
        write(call, production, 0, "La marea está cabrón, Pilot 7.")
        write(call, production, 1, "Entonces la sopa debe espear?")
        call("owner", "post", f"{path}terms/", {"original": "soup", "text": "caldo"})
        call("owner", "post", f"{path}terms/", {"text": "marea", "forbidden": True})
        found = {one["line"]: one for one in call("reader", "get", f"{path}doubts/").json()["doubts"]}
        first, second, third = (found[pk] for pk in ids(production))
        assert first["rude"] == [[14, 6]]
        assert second["misspelt"] == [[22, 6]]
        assert {finding["code"] for finding in second["findings"]} == {"term_missing", "question_added"}
        assert second["terms"][0]["kept"] is False
        assert [finding["code"] for finding in third["findings"]] == ["forbidden_term"]
        assert call("reader", "get", f"{edition_path(production, 'en-GB')}doubts/").json()["doubts"] == []

    def test_a_word_and_its_line_mean_something_back(self, production: Production, call: Call) -> None:
        asked = {"line": ids(production)[1], "text": "Entonces la sopa debe esperar.", "at": 12, "length": 4}
        found = call("reader", "post", f"{edition_path(production)}meaning/", asked).json()
        assert found["phrase"] == "sopa"
        assert found["back"].lower() == "soup"
        assert "soup" in found["line_back"]
        assert not found["rude"]
        slip = call("reader", "post", f"{edition_path(production)}meaning/", {**asked, "text": "Entonces la spoa debe", "at": 12}).json()
        assert slip["misspelt"]
        assert "sopa" in slip["suggestions"]

    def test_where_nobody_can_read_it_back_that_is_said(self, production: Production, call: Call) -> None:
        call("owner", "post", f"/api/productions/{production.pk}/editions/", {"language": "de-DE"})
        asked = {"line": ids(production)[1], "text": "Die Suppe wartet.", "at": 0, "length": 0}
        found = call("reader", "post", f"{edition_path(production, 'de-DE')}meaning/", asked).json()
        assert "German" in found["why_not"]
        assert found["back"] == ""


class TestTerms:
    def test_in_and_out_and_changed(self, production: Production, call: Call) -> None:
        path = edition_path(production)
        assert call("editor", "post", f"{path}terms/brought/", upload("t.csv", "en-GB;es-MX;forbidden\ntide;marea;\n;celador;yes\n"), format="multipart").json() == {"count": 2}
        terms = call("reader", "get", f"{path}terms/").json()
        assert [(term["original"], term["text"], term["forbidden"]) for term in terms] == [("", "celador", True), ("tide", "marea", False)]
        call("editor", "put", f"{path}terms/{terms[1]['id']}/", {"original": "tides", "text": "mareas"})
        assert "mareas" in call("reader", "get", f"{path}terms.tbx").content.decode()
        assert "tides,mareas" in call("reader", "get", f"{path}terms.csv").content.decode()
        call("editor", "delete", f"{path}terms/{terms[0]['id']}/")
        assert len(call("reader", "get", f"{path}terms/").json()) == 1
        assert call("reader", "get", f"{path}terms.doc").status_code == 404
        assert call("editor", "post", f"{path}terms/", {"text": "sola"}).status_code == 400


class TestOutAndBack:
    @pytest.mark.parametrize("layout", ["xlf", "1.2.xlf", "docx", "xlsx"])
    def test_what_goes_out_comes_back_unchanged(self, production: Production, call: Call, layout: str) -> None:
        call("owner", "patch", f"{edition_path(production)}brief/", {"address": "informal", "brief": "Dry."})
        sent = call("reader", "get", f"{edition_path(production)}wordings.{layout}")
        assert sent.status_code == 200
        report = call("editor", "post", f"{edition_path(production)}returned/", upload(f"w.{layout}", sent.content), format="multipart").json()
        assert report == {"written": 0, "moved": [], "lines": [], "missing": []}

    def returned(self, call: Call, production: Production, change: Any, **more: Any) -> Any:
        outgoing = read_xliff(call("reader", "get", f"{edition_path(production)}wordings.xlf").content)
        change(outgoing)
        return call("editor", "post", f"{edition_path(production)}returned/", upload("w.xlf", write_xliff(outgoing), **more), format="multipart")

    def test_lines_are_found_though_they_moved_and_nothing_is_overwritten_unasked(self, production: Production, call: Call) -> None:
        first, second, third = ids(production)
        sent = read_xliff(call("reader", "get", f"{edition_path(production)}wordings.xlf").content)
        for line, text in zip(sent.lines, ("Cambia la marea.", "La sopa espera.", "Todo espera."), strict=True):
            line.text, line.state = text, "edited"
        # Meanwhile: moved, approved, the source changed, one taken out and one more.
        call("owner", "post", f"/api/productions/{production.pk}/script/move/", {"lines": [third], "behind": None})
        call("owner", "patch", f"{edition_path(production)}wordings/", {"lines": [second], "state": "approved"})
        write(call, production, 0, "Everything waits for the moon.", "en-GB")
        call("owner", "post", f"/api/productions/{production.pk}/script/add/", {"behind": second, "text": "Listen."})
        path = f"{edition_path(production)}returned/"
        report = call("editor", "post", path, upload("w.xlf", write_xliff(sent)), format="multipart").json()
        assert {(line["line"], line["what"]) for line in report["lines"]} == {(first, "changed"), (second, "approved_here"), (third, "source_changed")}
        assert len(report["missing"]) == 1
        choices = {first: {"text": "Cambia la marea.", "over": "La marea está cambiando."},
                   second: {"text": "La sopa espera.", "over": "What it was not."},
                   third: {"text": "Todo espera.", "over": "Todo espera a la marea."}}
        done = call("editor", "post", path, upload("w.xlf", write_xliff(sent), apply=True, choices=json.dumps(choices)), format="multipart").json()
        assert (done["written"], done["moved"]) == (2, [second])
        now = said(production)
        assert (now[first][0], now[second], now[third][0]) == ("Cambia la marea.", ("Entonces la sopa debe esperar.", "approved"), "Todo espera.")

    def test_of_three_what_was_changed_on_both_sides_is_a_conflict(self, production: Production, call: Call) -> None:
        first, second, third = ids(production)
        sent = read_xliff(call("reader", "get", f"{edition_path(production)}wordings.xlf").content)
        sent.lines[0].text = "De fuera."
        sent.lines[1].text = "De fuera también."
        write(call, production, 0, "De aquí.")
        write(call, production, 2, "De aquí, y allí nadie.")
        path = f"{edition_path(production)}returned/"
        report = call("editor", "post", path, upload("w.xlf", write_xliff(sent)), format="multipart").json()
        assert {(line["line"], line["what"]) for line in report["lines"]} == {(first, "changed_here"), (second, "changed")}
        call("editor", "post", path, upload("w.xlf", write_xliff(sent), apply=True), format="multipart")
        assert [said(production)[line][0] for line in (first, second, third)] == ["De aquí.", "De fuera también.", "De aquí, y allí nadie."]
        edited = {first: {"text": "De ambos.", "over": "De aquí."}}
        call("editor", "post", path, upload("w.xlf", write_xliff(sent), apply=True, choices=json.dumps(edited)), format="multipart")
        assert said(production)[first] == ("De ambos.", "edited")

    def test_of_a_file_that_says_not_how_it_went_out_nothing_is_overwritten(self, production: Production, call: Call) -> None:
        first = ids(production)[0]
        path = f"{edition_path(production)}returned/"
        file = write_xliff(Outgoing("x", "en-GB", "es-MX", [OutgoingLine(str(first), "The tide is turning.", "Otra.", "edited")]))
        file = file.replace(OutgoingLine(str(first), "", "Otra.").tag, str(first))
        report = call("editor", "post", path, upload("w.xlf", file), format="multipart").json()
        assert [line["what"] for line in report["lines"]] == ["changed_here"]

    @pytest.mark.parametrize("choices", ["[]", '{"1": "x"}', '{"1": {"text": 1, "over": ""}}'])
    def test_choices_that_make_no_sense_are_refused(self, production: Production, call: Call, choices: str) -> None:
        sent = call("reader", "get", f"{edition_path(production)}wordings.xlf").content
        answer = call("editor", "post", f"{edition_path(production)}returned/", upload("w.xlf", sent, apply=True, choices=choices), format="multipart")
        assert answer.status_code == 400

    def test_a_line_that_is_gone_is_told(self, production: Production, call: Call) -> None:
        first = ids(production)[0]
        sent = read_xliff(call("reader", "get", f"{edition_path(production)}wordings.xlf").content)
        call("owner", "post", f"/api/productions/{production.pk}/script/remove/", {"lines": [first]})
        report = call("editor", "post", f"{edition_path(production)}returned/", upload("w.xlf", write_xliff(sent), apply=True), format="multipart").json()
        assert [(line["what"], line["line"]) for line in report["lines"]] == [("unknown", None)]
        assert report["written"] == 0

    @pytest.mark.parametrize(("name", "content"), [("w.xlf", b"<nothing/>"), ("w.txt", b"hello"), ("w.docx", b"PK\x03\x04")])
    def test_what_cannot_be_read_is_refused(self, production: Production, call: Call, name: str, content: bytes) -> None:
        answer = call("editor", "post", f"{edition_path(production)}returned/", upload(name, content), format="multipart")
        assert answer.status_code == 400

    def test_another_languages_file_is_refused(self, production: Production, call: Call) -> None:
        other = write_xliff(Outgoing("x", "en-GB", "fr-FR"))
        answer = call("editor", "post", f"{edition_path(production)}returned/", upload("w.xlf", other), format="multipart")
        assert "French" in answer.json()["message"]


class TestCaptions:
    CUT = "1\n00:01:01,000 --> 00:01:05,000\nCambia la marea. La sopa espera.\n\n2\n00:01:06,000 --> 00:01:06,900\nTodo espera\n\n3\n00:01:06,950 --> 00:01:08,000\na la marea.\n"

    def test_other_cuts_and_another_clock_are_seen_through(self, production: Production, call: Call) -> None:
        path = f"{edition_path(production)}captions/"
        shown = call("editor", "post", path, {"text": self.CUT}).json()
        assert shown["offset"] == pytest.approx(-60, abs=0.5)
        assert [line["text"] for line in shown["lines"]] == ["Cambia la marea.", "La sopa espera.", "Todo espera a la marea."]
        assert said(production)[ids(production)[0]][0] == "La marea está cambiando."
        call("editor", "post", path, {"text": self.CUT, "apply": True})
        assert said(production)[ids(production)[2]][0] == "Todo espera a la marea."

    def test_words_that_are_there_may_be_left(self, production: Production, call: Call) -> None:
        call("editor", "post", f"{edition_path(production, 'fr-FR')}captions/", {"text": self.CUT, "apply": True, "overwrite": False})
        assert [text for text, _ in said(production, "fr-FR").values()] == ["La marée tourne.", "La sopa espera.", "Tout attend la marée."]


def test_the_board_counts_parts_by_editions_and_leads_to_lines(production: Production, call: Call) -> None:
    cast_and_voice(call, production)
    call("owner", "patch", f"{edition_path(production)}wordings/", {"lines": ids(production)[:1], "state": "approved"})
    board = {one["language"]: one["cells"] for one in call("reader", "get", f"/api/productions/{production.pk}/board/").json()["editions"]}
    assert set(board) == {"es-MX", "fr-FR"}
    quay, deck = board["es-MX"]
    assert (quay["lines"], quay["approved"], quay["edited"], quay["voiced"]) == (2, 1, 1, 2)
    assert quay["first"]["approved"] == ids(production)[0]
    assert board["fr-FR"][0]["empty"] == 1
    assert board["fr-FR"][0]["first"]["empty"] == ids(production)[1]
    assert deck["lines"] == 1
    # Every figure opens what it counts.
    for language, cells in board.items():
        for cell in cells:
            for what in ("empty", "draft", "edited", "approved", "voiced", "fits"):
                found = call("reader", "get", f"{edition_path(production, language)}board-lines/?what={what}&part={cell['part']}").json()
                assert len(found) == cell[what], (language, what)
                assert found[:1] == [cell["first"][what]] if found else what not in cell["first"]
    answer = call("reader", "get", f"{edition_path(production)}board-lines/?what=lost")
    assert answer.status_code == 400 and "lost" in answer.json()["message"]


class TestMemoryIsKept:
    def test_until_something_changes(self, production: Production, call: Call) -> None:
        from django.contrib.auth.models import User

        from janoglot.adapt.remembering import memory_for

        owner = User.objects.get(username="owner")
        edition = production.editions.get(language="es-MX")
        first = memory_for(owner, edition)
        assert memory_for(owner, edition) is first
        line = ids(production)[0]
        call("owner", "patch", f"{edition_path(production)}wordings/", {"lines": [line], "state": "approved"})
        edition.refresh_from_db()
        again = memory_for(owner, edition)
        assert len(again) == len(first) + 1
        # Who sees other productions has another memory.
        assert len(memory_for(User.objects.get(username="stranger"), edition)) == 0
