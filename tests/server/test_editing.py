"""The script as a place to work: cut, joined, moved, given, parted, replaced, checked, undone and redone."""

from __future__ import annotations

from typing import Any

import pytest

from janoglot.core.mix.cues import plan_as_json, sound_plan_of
from janoglot.productions.models import (
    ActionRecord,
    Line,
    LineDirection,
    LineRecording,
    Production,
    SoundWorld,
    Speaker,
    WaitingRecording,
    Wording,
)
from tests.server.conftest import Call, content, edition_path, handed, lines


def script(call: Call, production: Production, after: int | None = None, language: str = "en-GB") -> dict[str, Any]:
    since = "" if after is None else f"&after={after}"
    found: dict[str, Any] = call("editor", "get",
                                 f"/api/productions/{production.pk}/script/?language={language}{since}").json()
    return found


def edit(call: Call, production: Production, what: str, body: Any, who: str = "editor", after: int = 0) -> Any:
    return call(who, "post", f"/api/productions/{production.pk}/script/{what}/?after={after}", body)


def words(call: Call, production: Production, language: str = "en-GB") -> list[str]:
    return [line["words"] for line in script(call, production, language=language)["lines"]]


class TestReading:
    def test_whole_and_by_what_has_changed(self, production: Production, call: Call) -> None:
        first = script(call, production)
        assert first["whole"]
        assert first["lines"][0]["words"] == "The tide is turning."
        assert first["lines"][0]["slot"] == [1.0, 3.0]
        assert script(call, production, first["stamp"])["lines"] == []
        line = first["lines"][1]
        call("editor", "put", f"{edition_path(production, 'en-GB')}wordings/{line['id']}/",
             {"text": "The soup must wait.", "revision": 1})
        since = script(call, production, first["stamp"])
        assert not since["whole"]
        assert [(one["id"], one["words"]) for one in since["lines"]] == [(line["id"], "The soup must wait.")]
        assert since["stamp"] > first["stamp"]
        assert since["undo"] == "set_wording"

    def test_what_is_gone_is_told(self, production: Production, call: Call) -> None:
        first = script(call, production)
        gone = first["lines"][2]["id"]
        answer = edit(call, production, "remove", {"lines": [gone]}, after=first["stamp"]).json()
        assert answer["removed"] == [gone]
        assert answer["lines"] == []
        assert {s["name"]: s["lines"] for s in answer["speakers"]} == {"Pilot": 1, "Cook": 1}


class TestCutting:
    def test_a_line_is_cut_at_the_caret_with_its_time(self, production: Production, call: Call) -> None:
        line = script(call, production)["lines"][2]
        answer = call("editor", "post", f"/api/lines/{line['id']}/split/?after=0",
                      {"text": line["words"], "at": 16, "revision": 1})
        assert answer.status_code == 200
        found = script(call, production)["lines"]
        assert [one["words"] for one in found[2:]] == ["Everything waits", "for the tide."]
        assert found[2]["slot"][0] == 6.0
        assert found[2]["slot"][1] == found[3]["slot"][0]
        assert found[3]["slot"][1] == 8.0
        assert found[3]["speaker"] == found[2]["speaker"]
        # One sentence of a translation is cut where that seems to be, for somebody to read.
        assert words(call, production, "es-MX")[2:] == ["Todo espera a", "la marea."]
        assert answer.json()["done"] == found[3]["id"]

    def test_translations_are_cut_between_their_sentences(self, production: Production, call: Call) -> None:
        first = production.lines.first()  # type: ignore[attr-defined]
        for tag, text in (("en-GB", "It is turning. Mind the rope."), ("es-MX", "Ya cambia. Cuidado con el cabo.")):
            call("editor", "put", f"{edition_path(production, tag)}wordings/{first.pk}/", {"text": text, "revision": 1})
        call("editor", "post", f"/api/lines/{first.pk}/split/", {"text": "It is turning. Mind the rope.", "at": 14,
                                                                 "revision": 2})
        assert words(call, production)[:2] == ["It is turning.", "Mind the rope."]
        assert words(call, production, "es-MX")[:2] == ["Ya cambia.", "Cuidado con el cabo."]

    def test_what_somebody_else_wrote_is_not_cut_away(self, production: Production, call: Call) -> None:
        first = production.lines.first()  # type: ignore[attr-defined]
        call("owner", "put", f"{edition_path(production, 'en-GB')}wordings/{first.pk}/", {"text": "New.", "revision": 1})
        answer = call("editor", "post", f"/api/lines/{first.pk}/split/", {"text": "The tide turns.", "at": 8, "revision": 1})
        assert answer.status_code == 409
        assert answer.json()["current"] == {"text": "New.", "revision": 2}
        assert Line.objects.count() == 3

    def test_joining_is_the_opposite(self, production: Production, call: Call) -> None:
        line = script(call, production)["lines"][2]
        new = call("editor", "post", f"/api/lines/{line['id']}/split/",
                   {"text": line["words"], "at": 16, "revision": 1}).json()["done"]
        call("editor", "post", f"/api/lines/{new}/join/")
        found = script(call, production)["lines"]
        assert [one["words"] for one in found][2:] == ["Everything waits for the tide."]
        assert found[2]["slot"] == [6.0, 8.0]
        assert words(call, production, "es-MX")[2] == "Todo espera a la marea."

    def test_there_is_nothing_before_the_first(self, production: Production, call: Call) -> None:
        first = production.lines.first()  # type: ignore[attr-defined]
        answer = call("editor", "post", f"/api/lines/{first.pk}/join/")
        assert answer.status_code == 400
        assert "first line" in answer.json()["message"]


class TestArranging:
    def test_lines_move_and_take_the_part_they_come_to(self, production: Production, call: Call) -> None:
        ids = [line["id"] for line in script(call, production)["lines"]]
        edit(call, production, "move", {"lines": [ids[2]], "behind": ids[0]})
        found = script(call, production)["lines"]
        assert [line["id"] for line in found] == [ids[0], ids[2], ids[1]]
        assert found[1]["part"] == found[0]["part"]
        edit(call, production, "move", {"lines": [ids[1], ids[2]], "behind": None})
        assert [line["id"] for line in script(call, production)["lines"]] == [ids[2], ids[1], ids[0]]

    def test_numbers_follow_the_order_everywhere(self, production: Production, call: Call) -> None:
        ids = [line["id"] for line in script(call, production)["lines"]]
        edit(call, production, "move", {"lines": [ids[2]], "behind": None})
        assert [(line["id"], line["number"]) for line in lines(call, production)] == [(ids[2], 1), (ids[0], 2), (ids[1], 3)]

    def test_several_lines_are_given_to_one_speaker(self, production: Production, call: Call) -> None:
        ids = [line["id"] for line in script(call, production)["lines"]]
        answer = edit(call, production, "give", {"lines": ids[:2], "speaker": "cook"}).json()
        assert {s["name"]: s["lines"] for s in answer["speakers"]} == {"Pilot": 1, "Cook": 2}
        edit(call, production, "give", {"lines": ids[:1], "speaker": "Stoker (below)"})
        assert Speaker.objects.filter(name="Stoker").exists()
        record = ActionRecord.objects.first()
        assert record is not None
        assert record.details == {"count": 1, "speaker": "Stoker"}

    def test_everything_of_one_goes_to_another(self, production: Production, call: Call) -> None:
        pilot = Speaker.objects.get(name="Pilot")
        answer = edit(call, production, "give", {"all_of": pilot.pk, "speaker": "Cook"}).json()
        assert {s["name"]: s["lines"] for s in answer["speakers"]} == {"Pilot": 0, "Cook": 3}

    def test_pasted_lines_are_directed_by_their_directions(self, production: Production, call: Call) -> None:
        last = list(Line.objects.filter(production=production))[-1]
        edit(call, production, "add", {"text": "Pilot: (over the radio, very tired) Turn back. (pause) Please.\nPilot: (to himself) Now.", "behind": last.pk})
        one, two = list(Line.objects.filter(production=production))[-2:]
        row = LineDirection.objects.get(line=one)
        assert (row.edition.language, row.moods, [(mark["kind"], mark["word"]) for mark in row.marks]) == ("en-GB", [["tired", 1.4]], [("pause", 2)])
        assert [(place["room"], place["line"]) for place in SoundWorld.objects.get(production=production).plan["places"]] == [("two-way radio", f"#{one.pk}")]
        assert [mood for mood, _ in LineDirection.objects.get(line=two).moods] == ["secretive"] and two.notes == "to himself"
        call("editor", "post", f"/api/productions/{production.pk}/undo/")
        assert not LineDirection.objects.filter(line__in=[one.pk, two.pk]).exists() and not SoundWorld.objects.filter(production=production).exists()

    def test_lines_are_pasted_as_text_and_as_rows(self, production: Production, call: Call) -> None:
        first = script(call, production)["lines"][0]["id"]
        edit(call, production, "add", {"behind": first, "text": "Cook: Soup! (softly)\nNo name here\n"})
        found = script(call, production)["lines"]
        names = dict(Speaker.objects.values_list("id", "name"))
        assert [(names[line["speaker"]], line["words"], line["notes"]) for line in found[1:3]] == [
            ("Cook", "Soup!", "softly"), ("Pilot", "No name here", "")]
        edit(call, production, "add", {"behind": None, "text": "Cook\tAt the top\nPilot\tIndeed"})
        assert words(call, production)[:2] == ["At the top", "Indeed"]
        edit(call, production, "add", {"behind": None, "text": ""})
        assert words(call, production)[0] == ""

    @pytest.mark.parametrize(("what", "body"), [
        ("move", {"lines": [0], "behind": None}), ("give", {"lines": [0], "speaker": "Cook"}), ("give", {"speaker": "Cook"}),
        ("remove", {"lines": [0]}), ("mark", {"lines": [0], "kind": "on_screen"}), ("parts", {"line": 0, "name": "Sea"}),
        ("give", {"lines": [1], "speaker": " "}), ("labels/merge", {"into": 0, "speakers": [0]}), ("move", {}),
    ])
    def test_what_is_not_there_is_said(self, what: str, body: Any, production: Production, call: Call) -> None:
        answer = edit(call, production, what, body)
        assert answer.status_code == 400
        assert answer.json()["message"]
        assert not ActionRecord.objects.exclude(changes=[]).exists()


class TestOnScreen:
    def test_it_is_translated_and_never_voiced(self, production: Production, call: Call) -> None:
        ids = [line["id"] for line in script(call, production)["lines"]]
        call("owner", "post", f"{edition_path(production)}castings/", {})
        edit(call, production, "mark", {"lines": [ids[1]], "kind": "on_screen", "in_sight": False})
        call("owner", "post", f"{edition_path(production)}voicings/", {})
        assert [line["state"] for line in lines(call, production)] == ["current", "on_screen", "current"]
        counts = call("owner", "get", edition_path(production)).json()["edition"]["counts"]
        assert (counts["on_screen"], counts["current"], counts["unvoiced"]) == (1, 2, 0)
        assert script(call, production)["lines"][1]["in_sight"] is False
        mix = call("owner", "post", f"{edition_path(production)}mixes/", {})
        assert mix.status_code < 300
        listed = handed(call, edition_path(production), "on-screen.csv")
        assert listed.status_code == 200
        assert "Entonces la sopa debe esperar." in content(listed).decode("utf-8-sig")


class TestParts:
    def test_begun_renamed_fixed_and_ended(self, production: Production, call: Call) -> None:
        found = script(call, production)
        ids = [line["id"] for line in found["lines"]]
        made = edit(call, production, "parts", {"line": ids[1], "name": "  Below   deck "}).json()["done"]
        found = script(call, production)
        assert [line["part"] == made for line in found["lines"]] == [False, True, False]
        assert {p["name"] for p in found["parts"]} == {"Quay", "Below deck", "Deck"}
        answer = call("editor", "patch", f"/api/parts/{made}/?after=0", {"name": "Galley", "start": 3.0, "end": 5.5, "may_grow": True})
        assert next(p for p in answer.json()["parts"] if p["id"] == made) == {"id": made, "name": "Galley", "start": 3.0, "end": 5.5, "may_grow": True}
        assert call("editor", "patch", f"/api/parts/{made}/", {"end": 1.0}).status_code == 400
        call("editor", "delete", f"/api/parts/{made}/")
        found = script(call, production)
        assert found["lines"][1]["part"] == found["lines"][0]["part"]
        assert {p["name"] for p in found["parts"]} == {"Quay", "Deck"}


class TestReplacing:
    def path(self, production: Production, language: str = "en-GB") -> str:
        return f"{edition_path(production, language)}replace/"

    def test_hits_are_shown_before_anything_changes(self, production: Production, call: Call) -> None:
        asked = {"find": "TIDE", "replacement": "moon"}
        seen = call("reader", "post", self.path(production), asked).json()
        assert (seen["count"], seen["line_count"], seen["applied"]) == (2, 2, 0)
        assert seen["hits"][0]["spans"] == [[4, 8]]
        assert seen["hits"][0]["replaced"] == "The moon is turning."
        assert words(call, production)[0] == "The tide is turning."
        assert call("reader", "post", self.path(production), {**asked, "apply": True}).status_code == 403
        done = call("editor", "post", self.path(production), {**asked, "apply": True, "lines": [seen["hits"][0]["line"]]}).json()
        assert done["applied"] == 1
        assert words(call, production) == ["The moon is turning.", "Then the soup must wait.", "Everything waits for the tide."]

    def test_by_regular_expression(self, production: Production, call: Call) -> None:
        asked = {"find": r"(\w+) must (\w+)", "replacement": r"\2 the \1 shall", "regular": True, "apply": True}
        assert call("editor", "post", self.path(production), asked).json()["applied"] == 1
        assert words(call, production)[1] == "Then the wait the soup shall."

    @pytest.mark.parametrize("asked", [
        {"find": "(", "regular": True}, {"find": "(a+)+", "regular": True}, {"find": ""},
        {"find": "tide", "replacement": r"\7", "regular": True},
    ])
    def test_what_cannot_be_looked_for_is_said(self, asked: Any, production: Production, call: Call) -> None:
        answer = call("editor", "post", self.path(production), asked)
        assert answer.status_code == 400
        assert answer.json()["message"]


class TestUndoing:
    def test_every_change_goes_back_and_forth(self, production: Production, call: Call) -> None:
        def state() -> list[Any]:
            found = script(call, production)
            return [[{k: v for k, v in line.items() if k != "revision"} for line in found["lines"]],
                    sorted((p["name"], p["start"]) for p in found["parts"]), sorted(s["name"] for s in found["speakers"]),
                    words(call, production, "es-MX")]

        ids = [line["id"] for line in script(call, production)["lines"]]
        steps = [
            lambda: call("editor", "post", f"/api/lines/{ids[2]}/split/", {"text": "Everything waits for the tide.", "at": 16, "revision": 1}),
            lambda: edit(call, production, "move", {"lines": [ids[2]], "behind": None}),
            lambda: edit(call, production, "give", {"lines": ids[:2], "speaker": "Stoker"}),
            lambda: edit(call, production, "add", {"behind": ids[0], "text": "Cook: One\nCook: Two"}),
            lambda: edit(call, production, "mark", {"lines": ids[:1], "in_sight": True}),
            lambda: edit(call, production, "parts", {"line": ids[1], "name": "Sea"}),
            lambda: call("editor", "post", f"/api/lines/{ids[1]}/join/"),
            lambda: edit(call, production, "remove", {"lines": [ids[0]]}),
            lambda: call("editor", "post", f"{edition_path(production, 'en-GB')}replace/", {"find": "t", "replacement": "T", "apply": True}),
        ]
        states = [state()]
        for step in steps:
            assert step().status_code == 200
            states.append(state())
            assert states[-1] != states[-2]
        for was in reversed(states[:-1]):
            assert call("editor", "post", f"/api/productions/{production.pk}/undo/?after=0").status_code == 200
            assert state() == was
        for will_be in states[1:]:
            assert call("editor", "post", f"/api/productions/{production.pk}/redo/?after=0").status_code == 200
            assert state() == will_be
        assert call("editor", "post", f"/api/productions/{production.pk}/redo/").status_code == 409

    def test_back_to_the_start_and_forward_again_is_the_same_byte_for_byte(self, production: Production, call: Call) -> None:
        path = f"/api/productions/{production.pk}/"

        def written() -> tuple[bytes, bytes]:
            return (content(handed(call, path, "script.json")), call("owner", "get", f"{path}castings.json").content)

        ids = [line["id"] for line in script(call, production)["lines"]]
        pilot = Speaker.objects.get(name="Pilot").pk
        at_first = written()
        call("editor", "post", f"{edition_path(production)}castings/", {})
        call("editor", "put", f"{edition_path(production)}castings/{pilot}/", {"pace": 1.1, "note": "dry"})
        call("editor", "post", f"/api/lines/{ids[2]}/split/", {"text": "Everything waits for the tide.", "at": 16, "revision": 1})
        edit(call, production, "give", {"lines": ids[:2], "speaker": "Stoker"})
        edit(call, production, "parts", {"line": ids[1], "name": "Sea"})
        call("editor", "put", f"{edition_path(production, 'fr-FR')}wordings/{ids[1]}/", {"text": "La soupe attendra.", "revision": 1})
        call("editor", "patch", f"/api/lines/{ids[0]}/", {"start": 0.5, "end": 2.5, "notes": "low"})
        edit(call, production, "move", {"lines": [ids[1]], "behind": None})
        edit(call, production, "remove", {"lines": [ids[0]]})
        call("editor", "patch", f"/api/speakers/{pilot}/", {"name": "The Pilot"})
        at_last = written()
        assert at_last != at_first
        steps = 0
        while call("editor", "post", f"{path}undo/").status_code == 200:
            steps += 1
        assert steps == 10
        assert written() == at_first
        while call("editor", "post", f"{path}redo/").status_code == 200:
            steps -= 1
        assert steps == 0
        assert written() == at_last

    def test_back_to_a_point(self, production: Production, call: Call) -> None:
        ids = [line["id"] for line in script(call, production)["lines"]]
        edit(call, production, "give", {"lines": ids[:1], "speaker": "Cook"})
        point = call("owner", "get", f"/api/productions/{production.pk}/history/").json()[0]
        edit(call, production, "remove", {"lines": ids[1:]})
        edit(call, production, "add", {"behind": ids[0], "text": "Cook: Soup"})
        answer = call("editor", "post", f"/api/productions/{production.pk}/back/?after=0", {"record": point["id"]})
        assert answer.json()["done"] == 2
        assert [line["id"] for line in script(call, production)["lines"]] == ids
        assert (point["name"], point["details"]) == ("give_lines", {"count": 1, "speaker": "Cook"})

    def test_something_new_ends_what_could_be_redone(self, production: Production, call: Call) -> None:
        ids = [line["id"] for line in script(call, production)["lines"]]
        edit(call, production, "remove", {"lines": ids[1:]})
        call("editor", "post", f"/api/productions/{production.pk}/undo/")
        assert script(call, production)["redo"] == "remove_lines"
        edit(call, production, "mark", {"lines": ids[:1], "in_sight": True})
        assert script(call, production)["redo"] is None

    def test_undoing_loses_no_take(self, production: Production, call: Call) -> None:
        call("owner", "post", f"{edition_path(production)}castings/", {})
        call("owner", "post", f"{edition_path(production)}voicings/", {})
        ids = [line["id"] for line in script(call, production)["lines"]]
        edit(call, production, "remove", {"lines": ids})
        assert not Wording.objects.exists()
        call("editor", "post", f"/api/productions/{production.pk}/undo/")
        assert [line["state"] for line in lines(call, production)] == ["current"] * 3


class TestChecks:
    def test_findings_lead_to_their_lines(self, production: Production, call: Call) -> None:
        first = production.lines.first()  # type: ignore[attr-defined]
        call("editor", "put", f"{edition_path(production, 'en-GB')}wordings/{first.pk}/",
             {"text": "The the tide  is (turning 😀", "revision": 1})
        found = call("reader", "get", f"{edition_path(production, 'en-GB')}checks/").json()
        assert {f["code"] for f in found if f["line"] == first.pk} == {
            "doubled_word", "doubled_space", "unpaired", "unspeakable"}
        assert all(f["message"] for f in found)
        empty = call("reader", "get", f"{edition_path(production, 'fr-FR')}checks/").json()
        assert [f["code"] for f in empty] == ["empty"]


class TestLabels:
    def test_the_same_person_is_offered_and_merged_with_asides_kept(self, production: Production, call: Call) -> None:
        ids = [line["id"] for line in script(call, production)["lines"]]
        strange = Speaker.objects.create(production=production, name="PILOT (O.S.)", position=9)
        Line.objects.filter(pk=ids[2]).update(speaker=strange)
        offered = call("reader", "get", f"/api/productions/{production.pk}/script/labels/").json()
        pilot = Speaker.objects.get(name="Pilot").pk
        assert offered == [{"into": pilot, "speakers": [strange.pk]}]
        edit(call, production, "labels/merge", offered[0])
        found = script(call, production)["lines"][2]
        assert (found["speaker"], found["notes"]) == (pilot, "O.S.")


class TestWhatHangsOnALineThatIsCut:
    def world(self, production: Production, **told: Any) -> SoundWorld:
        return SoundWorld.objects.update_or_create(production=production, defaults={"plan": plan_as_json(sound_plan_of(told))})[0]

    def cut(self, call: Call, production: Production, at: int, number: int = 0) -> tuple[Line, Line, dict[str, Any]]:
        line = list(Line.objects.filter(production=production))[number]
        words = line.wordings.get(edition__language="en-GB")
        answer = call("editor", "post", f"/api/lines/{line.pk}/split/?language=en-GB", {"text": words.text, "at": at, "revision": words.revision}).json()
        return line, Line.objects.get(pk=answer["done"]), answer

    def test_sounds_stay_where_they_are_heard(self, production: Production, call: Call) -> None:
        line = Line.objects.filter(production=production)[0]
        tied = f"#{line.pk}"
        cue = {"layer": "effects", "sound": {"made": "knock"}}
        self.world(production, cues=[{**cue, "id": "a", "at": {"line": tied, "edge": "start"}, "until": {"line": tied, "edge": "end", "seconds": 1}},
                                     {**cue, "id": "b", "at": {"line": tied, "edge": "end", "seconds": 0.2}}],
                   fades=[{"line": tied, "seconds": 0.5}], deeper=[{"line": tied, "db": 6}], places=[{"line": tied, "room": "hall"}],
                   editions={"es-MX": {"cues": {"a": {"at": {"line": tied, "edge": "end"}}}}})
        _, new, _ = self.cut(call, production, 8)
        plan, other = SoundWorld.objects.get(production=production).plan, f"#{new.pk}"
        one, two = plan["cues"]
        assert (one["at"]["line"], one["until"]["line"], two["at"]["line"]) == (tied, other, other)
        assert [row["line"] for row in plan["fades"]] == [other]
        assert [[row["line"] for row in plan[name]] for name in ("deeper", "places")] == [[tied, other]] * 2
        assert plan["editions"]["es-MX"]["cues"]["a"]["at"]["line"] == other
        # Joined again, all of it is as it was; and so it is when the cut is undone.
        call("editor", "post", f"/api/lines/{new.pk}/join/")
        plan = SoundWorld.objects.get(production=production).plan
        assert {plan["cues"][0]["until"]["line"], plan["cues"][1]["at"]["line"], plan["fades"][0]["line"]} == {tied}
        assert [row["line"] for row in plan["deeper"]] == [tied]

    def test_all_sounds_go_along_with_all_the_words(self, production: Production, call: Call) -> None:
        line = Line.objects.filter(production=production)[0]
        tied = f"#{line.pk}"
        self.world(production, cues=[{"layer": "effects", "sound": {"made": "knock"}, "id": "a", "at": {"line": tied, "edge": "start"}, "until": {"line": tied, "edge": "end"}}],
                   fades=[{"line": tied, "seconds": 0.5}], deeper=[{"line": tied, "db": 6}], places=[{"line": tied, "room": "hall"}])
        _, new, _ = self.cut(call, production, 0)
        plan = SoundWorld.objects.get(production=production).plan
        assert tied not in str(plan)
        assert str(plan).count(f"#{new.pk}") == 5

    def test_undoing_the_cut_gives_the_sounds_back(self, production: Production, call: Call) -> None:
        tied = f"#{Line.objects.filter(production=production)[0].pk}"
        before = self.world(production, cues=[{"layer": "effects", "sound": {"made": "knock"}, "id": "b", "at": {"line": tied, "edge": "end"}}]).plan
        self.cut(call, production, 8)
        assert SoundWorld.objects.get(production=production).plan != before
        call("editor", "post", f"/api/productions/{production.pk}/undo/")
        assert SoundWorld.objects.get(production=production).plan == before

    def test_what_hung_on_a_part_that_ends_hangs_on_its_lines(self, production: Production, call: Call) -> None:
        Line.objects.filter(production=production).update(part=None)
        rows = list(Line.objects.filter(production=production))
        part = call("editor", "post", f"/api/productions/{production.pk}/script/parts/", {"line": rows[1].pk, "name": "Quay"}).json()["done"]
        mine = [row for row in rows[1:] if Line.objects.get(pk=row.pk).part_id == part]
        tied, cue = f"#{part}", {"layer": "effects", "sound": {"made": "gulls"}, "loop": True}
        before = self.world(
            production, cues=[{**cue, "id": "a", "at": {"part": tied, "edge": "start"}, "until": {"part": tied, "edge": "end", "seconds": 2}}],
            places=[{"part": tied, "room": "hall"}], editions={"es-MX": {"cues": {"a": {"at": {"part": tied, "edge": "end"}}}}}).plan
        assert len(mine) == len(rows) - 1 > 1
        call("editor", "delete", f"/api/parts/{part}/")
        plan = SoundWorld.objects.get(production=production).plan
        assert "'part'" not in str(plan)
        one = plan["cues"][0]
        assert (one["at"]["line"], one["until"]["line"], one["until"]["seconds"]) == (f"#{mine[0].pk}", f"#{mine[-1].pk}", 2)
        assert plan["editions"]["es-MX"]["cues"]["a"]["at"]["line"] == f"#{mine[-1].pk}"
        assert [(row["line"], row["room"]) for row in plan["places"]] == [(f"#{row.pk}", "hall") for row in mine]
        call("editor", "post", f"/api/productions/{production.pk}/undo/")
        assert SoundWorld.objects.get(production=production).plan == before

    def test_lines_of_a_part_that_ends_are_heard_from_where_they_were(self, production: Production, call: Call) -> None:
        Line.objects.filter(production=production).update(part=None)
        rows = list(Line.objects.filter(production=production))
        part = call("editor", "post", f"/api/productions/{production.pk}/script/parts/", {"line": rows[0].pk, "name": "Quay"}).json()["done"]
        one, other = list(dict.fromkeys(row.speaker_id for row in rows))[:2]
        places = [{"part": f"#{part}", "room": "hall"}, {"speaker": f"#{one}", "room": "telephone"},
                  {"speaker": f"#{other}", "room": "stairwell"}, {"speaker": f"#{other}", "part": f"#{part}", "room": "outside", "amount": 0.5},
                  {"line": f"#{rows[0].pk}", "room": "in the head"}]
        self.world(production, places=places)

        def heard_from(part: int) -> list[tuple[str, float] | None]:
            plan = sound_plan_of(SoundWorld.objects.get(production=production).plan)
            found = [plan.place_of((f"#{row.speaker_id}",), (f"#{part}",), (f"#{row.pk}",)) for row in rows]
            return [place and (place.room, place.amount) for place in found]

        before = heard_from(part)
        assert {("in the head", 1.0), ("telephone", 1.0), ("outside", 0.5)} == set(before)
        call("editor", "delete", f"/api/parts/{part}/")
        assert heard_from(0) == before
        told = [row.get("line") for row in SoundWorld.objects.get(production=production).plan["places"] if row.get("line")]
        assert len(told) == len(set(told)), "one row of each line"

    def test_what_is_guessed_of_a_translation_is_to_be_read(self, production: Production, call: Call) -> None:
        line = Line.objects.filter(production=production)[0]
        Wording.objects.filter(line=line, edition__language="en-GB").update(text="If the tide turns, nobody waits here.")
        Wording.objects.filter(line=line, edition__language="es-MX").update(text="Si la marea cambia, nadie espera aquí.", state="approved")
        _, new, _ = self.cut(call, production, len("If the tide turns,"))
        halves = [Wording.objects.get(line=one, edition__language="es-MX") for one in (line, new)]
        assert [(one.text, one.state) for one in halves] == [("Si la marea cambia,", "draft"), ("nadie espera aquí.", "draft")]

    def test_a_recording_that_says_both_is_told_of(self, production: Production, call: Call) -> None:
        line = Line.objects.filter(production=production)[0]
        LineRecording.objects.create(line=line, edition=production.editions.get(language="es-MX"), key="a.wav", said="x")
        assert self.cut(call, production, 8)[2]["recordings"] == 1
        call("editor", "post", f"/api/productions/{production.pk}/undo/")
        assert LineRecording.objects.filter(line=line).count() == 1
        assert self.cut(call, production, 8, 1)[2]["recordings"] == 0

    def test_a_recording_of_both_halves_waits_to_be_given_to_one(self, production: Production, call: Call) -> None:
        line = Line.objects.filter(production=production)[0]
        edition = production.editions.get(language="es-MX")
        LineRecording.objects.create(line=line, edition=edition, key="a.wav", name="take 3.wav", said="x", listened=True, heard="both")
        self.cut(call, production, 8)
        waiting = WaitingRecording.objects.get(edition=edition)
        assert (waiting.key, waiting.name, waiting.state, waiting.heard) == ("a.wav", "take 3.wav", "ready", "both")
        assert not LineRecording.objects.filter(edition=edition).exists()
        call("editor", "post", f"/api/productions/{production.pk}/undo/")
        assert not WaitingRecording.objects.exists() and LineRecording.objects.get(edition=edition).line_id == line.pk

    def test_a_line_cut_before_its_first_word_takes_its_recording_along(self, production: Production, call: Call) -> None:
        line = Line.objects.filter(production=production)[0]
        edition = production.editions.get(language="en-GB")
        LineRecording.objects.create(line=line, edition=edition, key="a.wav", said="x")
        _, new, told = self.cut(call, production, 0)
        assert LineRecording.objects.get(edition=edition).line_id == new.pk
        assert told["recordings"] == 0, "nothing is lost that one would have to be told of"

    def test_a_name_is_taken_as_it_was_typed(self, production: Production, call: Call) -> None:
        line = Line.objects.filter(production=production)[0]
        call("editor", "post", f"/api/productions/{production.pk}/script/give/", {"lines": [line.pk], "speaker": "Pilot (angry)"})
        line.refresh_from_db()
        assert line.speaker.name == "Pilot (angry)"
