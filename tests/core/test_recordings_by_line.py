"""Recordings given to their lines by number, by name and by what is heard; and each prepared for its place."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from janoglot.core.audio.loudness import measure
from janoglot.core.edition.model import Edition, EditionCasting, EditionLine, RecordedTake
from janoglot.core.edition.plan import plan_of
from janoglot.core.edition.standing import EditionStanding
from janoglot.core.errors import BadInput
from janoglot.core.mix.cues import sound_plan_of
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import KEPT_LUFS, Delivery, Samples
from janoglot.core.speech.recorded_take import prepared_take, spoken_span
from janoglot.core.speech.recordings_by_line import (
    LineToRecord,
    NamedRecording,
    RecordingMatch,
    match_recordings,
)
from janoglot.core.speech.takes import Take, TakeRecipe, read_sound
from janoglot.core.store import FolderStore
from janoglot.core.timing.settings import OwnTiming, TimingSettings

WORDS = ["The tide is turning.", "Then the soup must wait.", "Everything waits for the tide.", "Mind the third step.",
         "Who wound the clock?", "Nobody has, not since spring."]
LINES = [LineToRecord(100 + k, k + 1, "Keeper" if k % 2 == 0 else "Old Wren", words) for k, words in enumerate(WORDS)]


def given(*names: str, heard: dict[int, str] | None = None, language: str = "en-GB") -> list[RecordingMatch]:
    told = heard or {}
    return match_recordings([NamedRecording(k, name, told.get(k)) for k, name in enumerate(names)], LINES, language)


def numbers(found: list[RecordingMatch]) -> list[int | None]:
    return [one.line - 99 if one.line is not None else None for one in found]


class TestByName:
    @pytest.mark.parametrize(("names", "wanted"), [
        (["001.wav", "002.wav", "6.flac"], [1, 2, 6]),
        (["clock_s01_L002_t3.wav", "clock_s01_L003_t1.wav", "clock_s01_L004_t1.wav"], [2, 3, 4]),
        (["003_Keeper_es-419.wav", "004_Old-Wren_es-419.wav"], [3, 4]),
        (["session 7 line 1.wav", "session 7 line 5.wav"], [1, 5]),
        (["takes/day1/005.wav", "takes\\day1\\006.wav"], [5, 6]),
    ])
    def test_by_the_number_that_is_a_line_s(self, names: list[str], wanted: list[int]) -> None:
        found = given(*names)
        assert numbers(found) == wanted
        assert all(one.by == "number" and one.verdict == "matched" and one.error is None for one in found)

    def test_by_each_speaker_s_own_count(self) -> None:
        found = given("Old Wren 1.wav", "Old Wren 2.wav", "Old Wren 3.wav", "Keeper 2.wav", "Keeper_3.wav")
        assert numbers(found) == [2, 4, 6, 3, 5]

    def test_a_number_of_another_speaker_s_line_is_not_taken(self) -> None:
        assert given("002_Keeper.wav", "001_Keeper.wav", "005_Keeper.wav")[0].line is None

    def test_counted_through_is_left_only_for_clearly_more(self) -> None:
        # One has another's number: each speaker's own count would find a line for every file, and the wrong one.
        lines = [*LINES, *(LineToRecord(106 + k, 7 + k, "Keeper" if k % 2 == 0 else "Old Wren", f"More words {k}.") for k in range(6))]
        found = match_recordings([NamedRecording(k, name, None) for k, name in enumerate(
            ("001_Keeper.wav", "002_Old-Wren.wav", "003_Keeper.wav", "004_Keeper.wav"))], lines, "en-GB")
        assert [one.line for one in found] == [100, 101, 102, None]

    def test_by_its_words(self) -> None:
        found = given("Mind the third step.wav", "Who_wound-the CLOCK (final).wav", "hum.wav")
        assert numbers(found) == [4, 5, None] and found[0].by == "name" and found[2].verdict == "left_over"


class TestByWhatIsHeard:
    def test_the_number_and_the_words_agree(self) -> None:
        [one] = given("004.wav", heard={0: "Mind the 3rd step"})
        assert (one.line, one.verdict, one.by) == (103, "matched", "number") and one.error is not None and one.error < 0.1

    def test_its_name_says_one_line_and_its_words_another(self) -> None:
        one, other = given("001.wav", "002.wav", heard={0: "Who wound the clock", 1: "Then the soup must wait"})
        assert (one.line, one.verdict, one.why, one.named, one.by) == (104, "doubtful", "said_elsewhere", 100, "heard")
        assert other.verdict == "matched"

    def test_other_words(self) -> None:
        [one] = given("004.wav", heard={0: "I would like a cup of coffee, please, and some bread"})
        assert (one.line, one.verdict) == (103, "other_words")

    def test_without_a_name_by_its_words_alone(self) -> None:
        found = given("a.wav", "b.wav", "c.wav", heard={0: "nobody has not since spring", 1: "La la la", 2: ""})
        assert numbers(found) == [6, None, None] and found[0].by == "heard"
        assert [one.verdict for one in found] == ["matched", "left_over", "left_over"]

    def test_of_two_of_a_line_the_clearer_is_taken_and_the_other_is_in_doubt(self) -> None:
        one, other = given("004_a.wav", "004_b.wav", heard={0: "Mind the bird stop", 1: "Mind the third step"})
        assert other.verdict == "matched" and (one.verdict, one.line) != ("matched", 103)

    def test_two_lines_that_say_the_same_are_told_apart_by_nobody(self) -> None:
        twice = [*LINES, LineToRecord(200, 7, "Keeper", "The tide is turning.")]
        [one] = match_recordings([NamedRecording(0, "x.wav", "The tide is turning")], twice, "en-GB")
        assert (one.verdict, one.why, one.line) == ("doubtful", "unclear", 100)

    def test_a_faulty_one_and_one_for_a_line_that_has_one_are_in_doubt(self) -> None:
        lines = [replace(LINES[0], has_one=True), *LINES[1:]]
        one, other = match_recordings([NamedRecording(0, "001.wav", None), NamedRecording(1, "002.wav", None, faulty=True)],
                                      lines, "en-GB")
        assert (one.verdict, one.why) == ("doubtful", "has_one") and (other.verdict, other.why) == ("doubtful", "fault")

    def test_forty_files_among_two_thousand_lines(self) -> None:
        many = [LineToRecord(k, k, "Keeper", f"{WORDS[k % 6]} And then {k} gulls came.") for k in range(1, 2001)]
        for named in (True, False):
            found = match_recordings([NamedRecording(k, f"{k:04}.wav" if named else "x.wav", f"{WORDS[k % 6]} and then {k} gulls came")
                                      for k in range(50, 90)], many, "en-GB")
            assert [one.line for one in found] == list(range(50, 90))


def spoken(words: str) -> tuple[Samples, int]:
    sound = engine_named("formant").speak(recipe(words).utterance)
    return sound.samples, sound.rate


def recipe(words: str) -> TakeRecipe:
    return TakeRecipe(words, voice_named("azor"), Delivery(), "es-MX")


def in_a_room(samples: Samples, rate: int, before: float = 0.8, after: float = 1.1, noise_db: float = -62) -> Samples:
    pad = np.concatenate([np.zeros(round(before * rate)), samples, np.zeros(round(after * rate))])
    return (pad + np.random.default_rng(4).normal(0, 10 ** (noise_db / 20), len(pad))).astype(np.float32)


class TestPrepared:
    @pytest.mark.parametrize("noise_db", [-90, -62, -50])
    def test_the_room_around_it_is_cut(self, noise_db: float) -> None:
        samples, rate = spoken("La marea está cambiando.")
        start, end = spoken_span(in_a_room(samples, rate, noise_db=noise_db), rate)
        assert 0.6 < start / rate < 0.85 and abs((end - start) / rate - len(samples) / rate) < 0.3

    def test_a_click_before_it_is_no_speech(self) -> None:
        samples, rate = spoken("La marea está cambiando.")
        room = in_a_room(samples, rate)
        room[round(0.1 * rate): round(0.1 * rate) + 40] = 0.5
        assert spoken_span(room, rate)[0] / rate > 0.6

    def test_silence_is_nobody_s_take(self, tmp_path: Path) -> None:
        with pytest.raises(BadInput):
            prepared_take(np.zeros(48_000, np.float32), 48_000, "Nothing", None, FolderStore(tmp_path))

    def test_levelled_its_words_found_and_otherwise_as_it_was(self, tmp_path: Path) -> None:
        words = "La marea está cambiando, y nadie espera."
        samples, rate = spoken(words)
        known = engine_named("formant").speak(recipe(words).utterance).words
        store = FolderStore(tmp_path)
        take = prepared_take(0.2 * in_a_room(samples, rate, noise_db=-70), rate, words, recipe(words), store)
        kept, kept_rate = read_sound(store, f"{take.hash}.wav")
        assert kept_rate == rate and abs(measure(kept, rate).integrated - KEPT_LUFS) < 0.5
        assert len(take.words) == len(known) == 7
        first = known[0].start - take.words[0].start
        assert np.mean([abs(one.start + first - mark.start) < 0.06 for one, mark in zip(take.words, known, strict=True)]) > 0.8
        assert take == prepared_take(0.2 * in_a_room(samples, rate, noise_db=-70), rate, words, recipe(words), store)
        assert take.hash != prepared_take(samples, rate, words, None, store).hash


def standing(recorded: RecordedTake | None, words: str = "The tide is turning.", by_person: bool = True,
             slot: tuple[float, float] = (1.0, 2.0), seconds: float = 1.6, **timing: float) -> EditionStanding:
    lines = [EditionLine(1, 1, 1, "Keeper", words, slot=slot, recorded=recorded, timing=OwnTiming(**timing)),
             EditionLine(2, 2, 1, "Keeper", "Mind the step.", slot=(8.0, 9.0))]
    edition = Edition("en-GB", False, lines, {1: EditionCasting("azor", by_person=by_person)}, TimingSettings())
    return EditionStanding(edition, {"a" * 40: Take("a" * 40, seconds, 48_000, -24.0, ())})


class TestInAnEdition:
    def test_a_line_of_a_person_is_unvoiced_until_it_is_recorded(self) -> None:
        state = standing(None)
        assert [one.state for one in state.lines] == ["unvoiced", "unvoiced"] and state.unfinished() == []
        assert [one.id for one in state.unrecorded()] == [1, 2] and state.counts()["unrecorded"] == 2

    def test_one_recording_in_an_edition_of_voices(self) -> None:
        state = standing(RecordedTake("a" * 40, "The tide is turning."), by_person=False)
        assert [one.state for one in state.lines] == ["current", "unvoiced"]
        assert [one.id for one in state.unfinished()] == [2] and state.lines[0].wanted == "a" * 40

    def test_other_words_make_it_out_of_date_and_no_voice_takes_its_place(self) -> None:
        state = standing(RecordedTake("a" * 40, "The tide has turned."), by_person=False)
        assert state.lines[0].state == "out_of_date" and state.unfinished() == [state.lines[1]]
        assert [line.kept for line in plan_of(state).lines] == [f"{'a' * 40}.wav"]

    def test_it_is_never_stretched_unless_somebody_asks(self) -> None:
        state = standing(RecordedTake("a" * 40, "The tide is turning."), slot=(1.0, 2.0), seconds=3.9)
        assert state.placements[0].rate == pytest.approx(1.0) and state.placements[0].seconds == pytest.approx(3.9)
        asked = standing(RecordedTake("a" * 40, "The tide is turning.", stretch=True), slot=(1.0, 2.0), seconds=3.9)
        assert asked.placements[0].rate > 1.1

    def test_not_even_where_lines_have_no_times(self) -> None:
        lines = [EditionLine(1, 1, 1, "Keeper", "Words.", recorded=RecordedTake("a" * 40, "Words."))]
        edition = Edition("en-GB", True, lines, {}, TimingSettings(untimed_rate=1.3))
        state = EditionStanding(edition, {"a" * 40: Take("a" * 40, 1.6, 48_000, -24.0, ())})
        assert state.placements[0].rate == 1.0 and state.lines[0].state == "current"

    def test_the_mix_is_of_it(self) -> None:
        one = standing(RecordedTake("a" * 40, "The tide is turning."))
        assert one.mix_recipe != standing(None).mix_recipe
        [line] = plan_of(one).lines
        assert line.recipe is None and line.kept == f"{'a' * 40}.wav" and line.seconds == pytest.approx(1.6)


class TestHowLongAProgrammeIs:
    """The picture may go on after the last word."""

    def of(self, source_seconds: float, ends: str = "picture", **plan: Any) -> EditionStanding:
        edition = standing(RecordedTake("a" * 40, "The tide is turning.")).edition
        edition = replace(edition, source_seconds=source_seconds, sounds=sound_plan_of({"ends": ends, **plan}))
        return EditionStanding(edition, {"a" * 40: Take("a" * 40, 1.6, 48_000, -24.0, ())})

    def test_it_is_at_least_as_long_as_the_picture(self) -> None:
        state = self.of(76.0)
        assert state.seconds < 20 and state.mix_seconds == 76.0 and plan_of(state).seconds == 76.0
        assert self.of(0.5).mix_seconds == self.of(0.0).mix_seconds == state.seconds

    def test_or_it_ends_with_the_last_word_where_that_is_chosen(self) -> None:
        assert self.of(76.0, "words").mix_seconds == self.of(0.0).seconds

    def test_what_goes_on_to_the_end_goes_on_to_that(self) -> None:
        cue = {"id": "c1", "layer": "ambience", "sound": {"made": "rain"}, "at": 0, "loop": True}
        placed = self.of(76.0, cues=[cue]).placed_cues[0]
        assert placed[0].start + (placed[0].lasts or 0.0) == pytest.approx(76.0)
