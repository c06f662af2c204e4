"""Placing run by run gives what placing all at once gives."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest

from janoglot.core.timing import runs
from janoglot.core.timing.placing import TimedLine, _solved, place
from janoglot.core.timing.settings import OwnTiming, TimingSettings


def programme(count: int, seed: int, silences: tuple[float, ...]) -> list[TimedLine]:
    chance = random.Random(seed)
    lines, at = [], 0.0
    for number in range(1, count + 1):
        long = chance.uniform(0.6, 5.0)
        timing = OwnTiming(mode=chance.choice(("within",) * 12 + ("hold", "run"))) if chance.random() < 0.3 else OwnTiming()
        lines.append(TimedLine(number, f"S{chance.randrange(4)}", "Words.", long * chance.uniform(0.6, 1.45),
                               (round(at, 3), round(at + long, 3)), str(number // 60), chance.choice((None, True, False)),
                               timing=timing))
        at += long + chance.choice(silences)
    return lines


@pytest.fixture(autouse=True)
def forgotten(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(runs, "_memory", runs._Memory())


@pytest.mark.parametrize("silences", [(0.4, 1.0, 2.0), (0.0, 0.0, 0.1, 0.3, 1.0, 3.0), (0.0, 0.05), (-0.6, 0.4, 1.5)])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_after_every_edit_it_is_what_it_would_be_afresh(silences: tuple[float, ...], seed: int,
                                                          monkeypatch: pytest.MonkeyPatch) -> None:
    chance, settings = random.Random(seed), TimingSettings()
    lines = programme(400, seed, silences)
    place(lines, settings)
    for _ in range(6):
        at = chance.randrange(len(lines))
        what = chance.choice(("natural", "slot", "gone", "timing"))
        line = lines[at]
        if what == "natural":
            lines[at] = replace(line, natural=(line.natural or 1.0) * chance.uniform(0.5, 2.5))
        elif what == "slot" and line.slot:
            lines[at] = replace(line, slot=(line.slot[0], line.slot[1] + chance.uniform(-0.3, 2.0)))
        elif what == "gone":
            lines[at] = replace(line, natural=None)
        else:
            lines[at] = replace(line, timing=OwnTiming(run_on=4.0, late=1.0))
        kept = [one for one in place(lines, settings) if "no_take" not in one.flags]
        runs.forget_runs()
        assert kept == [one for one in place(lines, settings) if "no_take" not in one.flags]


@pytest.mark.parametrize("silences", [(0.4, 1.0, 2.0), (0.0, 0.1, 0.3, 1.0, 3.0)])
def test_it_is_what_placing_all_at_once_gives(silences: tuple[float, ...]) -> None:
    """As near as one problem of everything is solved."""
    lines, settings = programme(300, 4, silences), TimingSettings()
    for mine, whole in zip(place(lines, settings), _solved([lines], settings)[0], strict=True):
        assert mine.start == pytest.approx(whole.start, abs=0.03)
        assert mine.seconds == pytest.approx(whole.seconds, abs=0.03)


def test_only_what_has_changed_is_placed_again(monkeypatch: pytest.MonkeyPatch) -> None:
    settings, asked = TimingSettings(), []
    lines = programme(600, 5, (0.5, 1.0))
    place(lines, settings)
    real = runs.in_runs
    monkeypatch.setattr("janoglot.core.timing.placing.in_runs", lambda some, limits, solve: real(
        some, limits, lambda few, given: asked.append(sum(map(len, few))) or solve(few, given)))
    place(lines, settings)
    assert asked == []
    lines[300] = replace(lines[300], natural=1.234)
    place(lines, settings)
    assert 0 < sum(asked) < 150
    asked.clear()
    # The same again, though every line is another object.
    place([replace(line) for line in lines], settings)
    assert asked == []
