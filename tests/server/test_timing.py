"""Timing an edition through its interface for programs."""

from __future__ import annotations

from typing import Any

import pytest

from janoglot.productions.models import Edition, Line, LineTiming, Part, Production
from tests.server.conftest import Call, edition_path, lines
from tests.server.test_making import cast_and_voice


@pytest.fixture
def voiced(production: Production, call: Call) -> str:
    return cast_and_voice(call, production)


def ids(production: Production) -> list[int]:
    return list(Line.objects.filter(production=production).values_list("id", flat=True))


class TestSettings:
    def test_limits_move_only_what_they_move_and_undo_puts_them_back(self, production: Production, call: Call, voiced: str) -> None:
        before = lines(call, production)
        answer = call("editor", "patch", f"{voiced}timing/", {"settings": {"comfortable_fast": 1.0, "hard_fast": 1.0, "run_on": 0, "early": 0}}).json()
        after = lines(call, production)
        moved = {line["id"] for line, old in zip(after, before, strict=True) if line["start"] != old["start"] or line["seconds"] != old["seconds"]}
        assert moved <= {line["id"] for line in answer["lines"]}
        assert answer["settings"]["hard_fast"] == 1.0
        for line in answer["lines"]:
            assert line == next(one for one in after if one["id"] == line["id"])
        call("editor", "post", f"/api/productions/{production.pk}/undo/", {})
        assert lines(call, production) == before

    def test_null_puts_one_back(self, production: Production, call: Call) -> None:
        path = f"{edition_path(production)}timing/"
        call("owner", "patch", path, {"settings": {"run_on": 3.0, "late": 0.1}})
        answer = call("owner", "patch", path, {"settings": {"run_on": None}}).json()
        assert (answer["settings"]["run_on"], answer["settings"]["late"]) == (1.5, 0.1)
        assert Edition.objects.get(production=production, language="es-MX").timing == {"late": 0.1}

    @pytest.mark.parametrize("given", [
        {"hard_fast": 9}, {"hard_fast": 1.05}, {"nonsense": 1}, {"early": "x"}, {"hard_slow": 0.95}, {"early": True},
        {"speakers": {"0": {"hard_fast": 1.2}}}, {"speakers": {"x": {"pace": 1}}},
    ])
    def test_what_makes_no_sense_is_refused_in_a_sentence(self, production: Production, call: Call, given: dict[str, Any]) -> None:
        answer = call("owner", "patch", f"{edition_path(production)}timing/", {"settings": given})
        assert answer.status_code == 400
        assert answer.json()["message"].endswith(".")

    def test_one_voice_may_have_limits_of_its_own(self, production: Production, call: Call, voiced: str) -> None:
        speaker = lines(call, production)[0]["speaker"]
        call("owner", "patch", f"{voiced}timing/", {"settings": {"run_on": 0, "early": 0}})
        answer = call("owner", "patch", f"{voiced}timing/", {"settings": {"speakers": {str(speaker): {"comfortable_fast": 1.0, "hard_fast": 1.0}}}}).json()
        assert all(line["rate"] <= 1.002 for line in lines(call, production) if line["speaker"] == speaker)
        assert answer["settings"]["speakers"] == {str(speaker): {"comfortable_fast": 1.0, "hard_fast": 1.0}}
        call("owner", "patch", f"{voiced}timing/", {"settings": {"speakers": {str(speaker): None}}})
        assert "speakers" not in Edition.objects.get(production=production, language="es-MX").timing

    def test_what_would_be_if(self, production: Production, call: Call, voiced: str) -> None:
        tight = call("reader", "get", f"{voiced}timing/what-if/?comfortable_fast=1&hard_fast=1&run_on=0&early=0&late=0").json()
        now = [line["id"] for line in lines(call, production) if line["harm"] > 0]
        assert tight["now"]["misfits"] == len(now)
        assert tight["then"]["misfits"] == len(now) + len(tight["lines"]) - len(tight["mended"])
        assert call("reader", "get", f"{voiced}timing/what-if/?hard_fast=x").status_code == 400
        assert call("reader", "get", f"{voiced}timing/what-if/?hard_fast=0.2").status_code == 400


class TestLines:
    def test_pinned_held_and_let_run(self, production: Production, call: Call, voiced: str) -> None:
        first, second, third = ids(production)
        path = f"{voiced}timing/lines/"
        answer = call("editor", "patch", path, {"lines": [second], "own": {"mode": "pinned", "at": 3.62}}).json()
        assert next(line for line in answer["lines"] if line["id"] == second)["start"] == pytest.approx(3.62, abs=0.002)
        call("editor", "patch", path, {"lines": [third], "own": {"mode": "hold"}})
        held = lines(call, production)[2]
        if "short" not in held["flags"]:
            assert held["start"] + held["seconds"] == pytest.approx(8.0, abs=0.011)
        call("editor", "patch", path, {"lines": [first], "own": {"mode": "run"}})
        assert lines(call, production)[0]["rate"] == 1.0
        assert lines(call, production)[0]["timing"] == {"mode": "run"}
        call("editor", "patch", path, {"lines": [first, second, third], "own": None})
        assert LineTiming.objects.count() == 0

    def test_what_a_line_has_of_its_own_is_undone_with_it(self, production: Production, call: Call, voiced: str) -> None:
        line = ids(production)[0]
        call("editor", "patch", f"{voiced}timing/lines/", {"lines": [line], "own": {"hard_fast": 1.5}})
        call("editor", "post", f"/api/productions/{production.pk}/script/remove/", {"lines": [line]})
        assert LineTiming.objects.count() == 0
        call("editor", "post", f"/api/productions/{production.pk}/undo/", {})
        assert LineTiming.objects.get(line=line).own == {"hard_fast": 1.5}

    @pytest.mark.parametrize("own", [{"mode": "pinned"}, {"mode": "x"}, {"at": -1}, {"overlap": 99}])
    def test_what_makes_no_sense_is_refused(self, production: Production, call: Call, own: dict[str, Any]) -> None:
        path = f"{edition_path(production)}timing/lines/"
        assert call("owner", "patch", path, {"lines": ids(production)[:1], "own": own}).status_code == 400
        assert call("owner", "patch", path, {"lines": [0], "own": {"mode": "run"}}).status_code == 400

    def test_cures_say_what_they_gain_and_gain_it(self, production: Production, call: Call, voiced: str) -> None:
        call("owner", "patch", f"{voiced}timing/", {"settings": {"comfortable_fast": 1.0, "hard_fast": 1.0, "run_on": 0, "early": 0, "late": 0}})
        Line.objects.filter(pk=ids(production)[0]).update(end_ms=1_900)
        bad = next(line for line in lines(call, production) if line["harm"] > 0)
        found = call("reader", "get", f"{voiced}timing/lines/{bad['id']}/cures/").json()
        assert {cure["kind"] for cure in found} >= {"faster", "trim"}
        faster = next(cure for cure in found if cure["kind"] == "faster")
        before = sum(line["harm"] for line in lines(call, production))
        call("owner", "patch", f"{voiced}timing/lines/", {"lines": [bad["id"]], "own": faster["own"]})
        assert sum(line["harm"] for line in lines(call, production)) <= before - faster["gain"] + 0.05

    def test_a_line_that_fits_has_no_cures_and_one_that_is_not_there_none_at_all(self, production: Production, call: Call, voiced: str) -> None:
        good = next(line for line in lines(call, production) if line["harm"] == 0)
        assert call("owner", "get", f"{voiced}timing/lines/{good['id']}/cures/").json() == []
        assert call("owner", "get", f"{voiced}timing/lines/0/cures/").status_code == 404


class TestHolds:
    def test_a_part_that_may_grow_is_held_and_all_after_it_come_later(self, production: Production, call: Call, voiced: str) -> None:
        part = Part.objects.filter(production=production).first()
        assert part
        call("owner", "patch", f"{voiced}timing/", {"settings": {"comfortable_fast": 1.0, "hard_fast": 1.0}})
        Line.objects.filter(pk=ids(production)[0]).update(start_ms=500, end_ms=900)
        Line.objects.filter(pk=ids(production)[1]).update(start_ms=1_000, end_ms=1_500)
        call("owner", "patch", f"/api/parts/{part.pk}/", {"end": 2.0, "may_grow": True})
        found = call("owner", "get", voiced).json()
        (hold,) = found["holds"]
        assert hold["part"] == part.pk
        assert hold["seconds"] == pytest.approx(hold["frames"] / 25)
        assert found["lines"][2]["slot"][0] == pytest.approx(6.0 + hold["seconds"], abs=0.002)
        assert found["lines"][1]["start"] + found["lines"][1]["seconds"] <= 2.0 + hold["seconds"] + 0.01
        source = call("owner", "get", edition_path(production, "en-GB")).json()
        assert source["holds"] == []


class TestPeaks:
    def test_of_voiced_lines_as_loud_as_they_are(self, production: Production, call: Call, voiced: str) -> None:
        import base64

        found = call("reader", "get", f"{voiced}peaks/?lines={','.join(map(str, ids(production)))},0,x").json()
        assert [one["line"] for one in found] == ids(production)
        for one, line in zip(found, lines(call, production), strict=True):
            peaks = base64.b64decode(one["peaks"])
            assert len(peaks) == pytest.approx(50 * line["natural"], abs=3)
            assert max(peaks) > 40
        assert call("reader", "get", f"{edition_path(production, 'fr-FR')}peaks/?lines={ids(production)[0]}").json() == []


def test_a_script_without_times_is_aimed_at_a_length(call: Call, production: Production) -> None:
    Line.objects.filter(production=production).update(start_ms=None, end_ms=None)
    path = cast_and_voice(call, production)
    natural = call("owner", "get", path).json()["seconds"]
    found = call("reader", "get", f"{path}timing/aim/?seconds={natural + 0.5}").json()
    assert found["seconds"] == pytest.approx(natural + 0.5, abs=0.05)
    assert found["pace"] < 1
    call("owner", "patch", f"{path}timing/", {"settings": {"pace": found["pace"], "untimed_rate": found["untimed_rate"]}})
    assert call("owner", "get", path).json()["seconds"] == pytest.approx(natural + 0.5, abs=0.05)
    second = ids(production)[1]
    call("owner", "patch", f"{path}timing/lines/", {"lines": [second], "own": {"pause": -0.3}})
    first, then, _ = lines(call, production)
    assert then["start"] == pytest.approx(first["start"] + first["seconds"] - 0.3, abs=0.002)


class TestLips:
    def test_are_told_for_voiced_lines_in_sight_alone(self, production: Production, call: Call, voiced: str) -> None:
        path = f"{voiced}timing/lips/"
        assert call("reader", "get", path).json() == []
        last = ids(production)[-1]
        call("editor", "post", f"/api/productions/{production.pk}/script/mark/", {"lines": [last], "in_sight": True})
        (told,) = call("reader", "get", path).json()
        assert told["line"] == last
        assert 0 < told["score"] <= told["nudged"] <= 1
        line = next(one for one in lines(call, production) if one["id"] == last)
        # “Everything waits for the tide.” against “Todo espera a la marea.”: p and m close; f and v would meet the teeth.
        assert {shape["shape"] for shape in told["dub"]} == {"closed", "open"}
        assert {shape["shape"] for shape in told["original"]} >= {"teeth"}
        assert all(0 <= shape["at"] <= line["seconds"] for shape in told["dub"])
        assert call("reader", "get", f"{edition_path(production, 'en-GB')}timing/lips/").json() == []

    def test_rank_wordings_before_any_is_voiced(self, production: Production, call: Call, voiced: str) -> None:
        last = ids(production)[-1]
        texts = ["Todo espera a la marea.", "Papá, mamá, papá, mamá, papá.", ""]
        scores = call("reader", "post", f"{voiced}wordings/{last}/lips/", {"texts": texts}).json()["scores"]
        # The wording that stands there agrees as its take does, where that lies at its slot's beginning.
        call("editor", "post", f"/api/productions/{production.pk}/script/mark/", {"lines": [last], "in_sight": True})
        call("owner", "patch", f"{voiced}timing/lines/", {"lines": [last], "own": {"mode": "pinned", "at": 6.0}})
        (told,) = call("reader", "get", f"{voiced}timing/lips/").json()
        assert told["score"] == pytest.approx(scores[0], abs=0.1)
        # Nothing agrees with a mouth like the words that it says.
        own = cast_and_voice(call, production, "en-GB")
        answer = call("reader", "post", f"{own}wordings/{last}/lips/", {"texts": [*texts[1:], "Everything waits for the tide."]}).json()
        assert answer["best_first"][0] == 2
        assert answer["scores"][1] == 0
        # (It is over before the slot is: that costs it most of its marks.)
        assert answer["scores"][2] > 0.2 > answer["scores"][0]

    def test_nothing_is_told_of_a_line_without_a_slot(self, production: Production, call: Call, voiced: str) -> None:
        last = ids(production)[-1]
        Line.objects.filter(pk=last).update(start_ms=None, end_ms=None)
        answer = call("reader", "post", f"{voiced}wordings/{last}/lips/", {"texts": ["Hola.", "Mapa."]}).json()
        assert answer == {"scores": [None, None], "best_first": [0, 1]}
        assert call("reader", "post", f"{voiced}wordings/{last}/lips/", {"texts": ["x"] * 13}).status_code == 400
