"""A plan of sounds that somebody sends is taken or refused in a sentence, whatever stands in it."""

from __future__ import annotations

import copy
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from janoglot.core.errors import BadInput
from janoglot.core.mix.cues import plan_as_json, sound_plan_of
from janoglot.core.mix.synthesis.composing import composition_of

PLAN: dict[str, Any] = {
    "layers": [{"name": "music", "kind": "music", "level_db": -14, "pan": 0, "mute": False, "solo": False,
                "duck": {"amount_db": 9, "lead": 0.3, "hold": 1, "release": 1}}],
    "cues": [{"id": "a", "layer": "music", "sound": {"composed": {"mood": "calm", "tempo": 90, "key": "D minor", "instruments": ["piano"]}},
              "at": {"line": "#3", "edge": "start", "seconds": 0.5}, "until": {"part": "#2", "edge": "end", "seconds": 0}, "loop": True,
              "fade_in": 1, "fade_out": 2, "curve": "power", "gain_db": 1, "pan": 0, "trim": 0, "points": [[0, -3], [2, 0]]},
             {"id": "b", "layer": "effects", "sound": {"made": "big bell", "number": 2}, "at": {"seconds": 4}}],
    "voices": {"level_db": 1}, "speakers": [{"speaker": "#1", "pan": 0.2}], "places": [{"room": "hall", "amount": 0.5, "part": "#2"}],
    "fades": [{"line": "#3", "seconds": 1}], "deeper": [{"line": "#3", "db": 3}], "bed": {"use": "keep", "level_db": 0, "parts": {"#2": "keep"}},
    "mono": False, "dialogue": False, "ceiling_db": -1, "clear_lu": 6,
    "editions": {"es-MX": {"layers": {"music": {"level_db": -10}}, "cues": {"a": {"gain_db": 2, "off": True}}, "deeper": []}}}
JUNK = st.recursive(st.one_of(st.none(), st.booleans(), st.integers(), st.floats(), st.text(max_size=5), st.sampled_from(["#3", "music", "1e999", -1, 10**40])),
                    lambda one: st.one_of(st.lists(one, max_size=3), st.dictionaries(st.text(max_size=4), one, max_size=3)), max_leaves=4)


def ways(node: Any, before: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Every place in a plan."""
    steps = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
    return [before, *(way for step, one in steps for way in ways(one, (*before, step)))]


WAYS = [way for way in ways(PLAN) if way]


@given(st.lists(st.tuples(st.sampled_from(WAYS), JUNK), min_size=1, max_size=3))
@settings(max_examples=600)
def test_whatever_stands_in_it(told: list[tuple[tuple[Any, ...], Any]]) -> None:
    plan = copy.deepcopy(PLAN)
    for way, junk in told:
        node: Any = plan
        try:
            for step in way[:-1]:
                node = node[step]
            node[way[-1]] = junk
        except (KeyError, IndexError, TypeError, AttributeError):
            continue
    try:
        made = sound_plan_of(plan)
        for tag in made.editions:
            made.in_edition(tag)
        for cue in made.cues:
            if cue.source.get("composed"):
                composition_of(cue.source["composed"])
    except BadInput as error:
        assert str(error)
    else:
        # What is taken is the same when it is written down and read again.
        assert sound_plan_of(plan_as_json(made)) == made


@pytest.mark.parametrize("points", [None, 3, "x", [[0]], [[0, "x"]], [[None, None]], [{"0": 1}], [[float("nan"), 0]], {"a": 1}])
def test_points_that_are_none(points: Any) -> None:
    plan = copy.deepcopy(PLAN)
    plan["cues"][0]["points"] = points
    try:
        sound_plan_of(plan)
    except BadInput as error:
        assert "Cue 1" in str(error)


def test_the_plan_itself_is_taken() -> None:
    assert len(sound_plan_of(PLAN).cues) == 2
