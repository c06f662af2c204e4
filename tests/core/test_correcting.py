"""Rows corrected before anything is made of them, and times that count frames."""

from __future__ import annotations

from typing import Any

import pytest

from janoglot.core.errors import BadInput
from janoglot.core.script.correcting import corrected, corrections_from
from janoglot.core.script.formats import read_script
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.times import read_time

SCRIPT = "speaker,in,out,en-GB,es-MX\nKeeper,0:01,0:05,Mind the step. It is loose.,Cuidado. Está floja.\nImka,0:06,0:07,Why?,¿Por qué?\n"


def read(corrections: Any) -> list[tuple[str, str, str, float | None]]:
    script = read_script(SCRIPT, "a.csv")
    keys = corrected(script, corrections_from(corrections))
    return [(key, line.speaker, line.words, line.start) for key, line in zip(keys, script.lines, strict=True)]


class TestRows:
    def test_nothing_said_changes_nothing(self) -> None:
        assert read(None) == [("0", "Keeper", "Mind the step. It is loose.", 1.0), ("1", "Imka", "Why?", 6.0)]

    def test_speaker_words_and_dropped(self) -> None:
        assert read({"0": {"drop": True}, "1": {"speaker": " Old  Keeper ", "words": "Why  not?"}}) == [
            ("1", "Old Keeper", "Why  not?", 6.0)]

    def test_split_with_its_time_and_its_translation_and_again(self) -> None:
        found = read({"0": {"split": 14}, "0.1": {"speaker": "Imka"}})
        assert [one[:3] for one in found] == [("0", "Keeper", "Mind the step."), ("0.1", "Imka", "It is loose."), ("1", "Imka", "Why?")]
        assert 1.0 < (found[1][3] or 0) < 5.0
        script = read_script(SCRIPT, "a.csv")
        corrected(script, corrections_from({"0": {"split": 14}}))
        assert [line.wordings["es-MX"] for line in script.lines] == ["Cuidado.", "Está floja.", "¿Por qué?"]

    @pytest.mark.parametrize("bad", [[1], {"0": 1}, {"0": {"split": True}}, {"0": {"split": -1}}, {"0": {"words": 5}}])
    def test_what_makes_no_sense_is_refused(self, bad: Any) -> None:
        with pytest.raises(BadInput):
            corrections_from(bad)


class TestFrames:
    @pytest.mark.parametrize(("text", "fps", "seconds"), [
        ("00:00:01:00", 25.0, 1.0), ("00:01:02:12", 24.0, 62.5), ("01:00:00;00", 29.97, 3600.0), ("00:01:00;02", 29.97, 60.06),
        ("00:00:01:25", 25.0, None), ("00:00:01:00", None, None), ("10:00:00:00", 29.97, 36036.036)])
    def test_at_the_pictures_rate(self, text: str, fps: float | None, seconds: float | None) -> None:
        assert read_time(text, fps) == (seconds if seconds is None else pytest.approx(seconds, abs=0.04))

    @pytest.mark.parametrize("name", ["a.csv", "a.srt"])
    def test_the_rate_is_asked_for_once(self, name: str) -> None:
        text = ("speaker,in,out,words\nKeeper,00:00:01:00,00:00:02:12,Mind it.\nImka,00:00:03:00,00:00:04:00,Why?\n" if name == "a.csv" else
                "1\n00:00:01:00 --> 00:00:02:12\nKeeper: Mind it.\n\n2\n00:00:03:00 --> 00:00:04:00\nImka: Why?\n")
        script = read_script(text, name, Hints(format=name[2:]))
        assert (script.frames, script.fps) == (True, 25.0)
        assert [p.code for p in script.problems] == ["frames"]
        assert script.lines[0].slot == (1.0, 2.48)
        told = read_script(text, name, Hints(format=name[2:], fps=24.0))
        assert told.problems == []
        assert told.lines[0].slot == (1.0, 2.5)
