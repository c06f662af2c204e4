"""Templates: every row a clip, its fixed words read exactly as in all others."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import parselmouth
import pytest

from janoglot.core.errors import BadInput
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.directing import marks_of
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Delivery, Spoken
from janoglot.core.speech.lexicon import Lexicon, checked_entry
from janoglot.core.speech.recipe_json import recipe_as_json, recipe_from_json
from janoglot.core.speech.takes import TakeRecipe, kept_take, make_rendition, read_sound
from janoglot.core.speech.templates import (
    ClipRow,
    ClipTable,
    checked_kinds,
    checked_rows,
    clip_recipe,
    filled,
    slots_of,
)
from janoglot.core.store import FolderStore

TEMPLATE = "The next tide is at {time} on {weekday}, so mind the third step."
ROWS = checked_rows([{"name": "one", "time": "7:15", "weekday": "Monday"}, {"name": "two", "time": "twenty to eleven", "weekday": "Wednesday"},
                     {"name": "three", "time": "noon", "weekday": "Friday"}])
TABLE = ClipTable(ROWS, ROWS[0])


def plain(voice: str = "blackcap", language: str = "en-GB") -> TakeRecipe:
    return TakeRecipe("", voice_named(voice), Delivery(), language)


def recipes(voice: str = "blackcap", table: ClipTable = TABLE) -> list[TakeRecipe]:
    return [clip_recipe(plain(voice), TEMPLATE, row, table, Lexicon()) for row in table.rows]


class TestWords:
    def test_slots_and_what_stands_in_them(self) -> None:
        assert slots_of("At {time} on {Week day}, at {time}") == ["time", "week day"]
        assert slots_of("no {} and { 1 } and {a") == []
        said = filled(TEMPLATE, ROWS[1], "en-GB")
        assert said.words == "The next tide is at twenty to eleven on Wednesday, so mind the third step."
        assert [said.words[at: at + length] for at, length in said.fixed] == [
            "The next tide is at ", " on ", ", so mind the third step."]
        assert [said.words[at: at + length] for _, at, length in said.inside] == ["twenty to eleven", "Wednesday"]

    def test_a_column_for_a_language_goes_before_the_plain_one(self) -> None:
        [row] = checked_rows([{"name": "x", "Weekday": "Monday", "weekday es-MX": "lunes", "weekday pt": "segunda"}])
        assert [row.value("weekday", tag) for tag in ("es-MX", "es-ES", "pt-BR", "de-DE", "en-GB")] == [
            "lunes", "lunes", "segunda", "Monday", "Monday"]
        [other] = checked_rows([{"name": "x", "week day": "Monday", "week": "12"}])
        assert other.value("week day", "dai") == "Monday" and other.value("week", "en-GB") == "12", "a part's own name is no language"

    def test_rows_get_names_none_twice_and_safe_ones(self) -> None:
        rows = checked_rows([{"time": "7:15", "weekday": "Monday"}, {"name": "a/../b"}, {"name": "A-..-b", "time": "x"}, {"name": "a-..-b"}, {}])
        assert [row.name for row in rows] == ["7-15-Monday", "a-..-b", "A-..-b-2", "a-..-b-3"]

    def test_a_row_without_a_value_says_which(self) -> None:
        with pytest.raises(BadInput, match="weekday"):
            clip_recipe(plain(), TEMPLATE, ClipRow("x", (("time", "noon"),)), TABLE, Lexicon())

    def test_what_is_too_much_is_refused(self) -> None:
        for rows in ([{"time": "x" * 201}], [{str(k): "x" for k in range(25)}], [{"a": "b"}] * 5_001):
            with pytest.raises(BadInput):
                checked_rows(rows)
        with pytest.raises(BadInput):
            checked_kinds({"time": "alias"})

    def test_values_are_read_as_what_they_are_and_the_lexicon_holds_for_the_rest(self) -> None:
        table = replace(TABLE, kinds=checked_kinds({"Time": "time"}))
        lexicon = Lexicon([checked_entry("tide", "alias", "tyde", "en-GB")])
        said = clip_recipe(plain(), TEMPLATE, ROWS[0], table, lexicon).respelled.words
        assert said == "The next tyde is at seven fifteen on Monday, so mind the third step."

    def test_marks_follow_the_template_s_words(self) -> None:
        marks = marks_of([{"kind": "lift", "word": 9, "amount": 2.0}], TEMPLATE)
        assert TEMPLATE.split()[9] == "mind"
        recipe = clip_recipe(plain(), TEMPLATE, ROWS[1], TABLE, Lexicon(), marks)
        [mark] = recipe.delivery.marks
        assert recipe.words[mark.at: mark.at + mark.length] == "mind"


class TestTakes:
    def test_the_reference_is_itself_and_every_other_names_it(self) -> None:
        first, second, third = recipes()
        assert first.like is None and second.like is not None and second.like.hash == first.hash
        assert len({first.hash, second.hash, third.hash}) == 3
        assert second.hash != replace(second, like=None, like_spans=()).hash

    def test_a_row_that_is_added_changes_no_other(self) -> None:
        before = [one.hash for one in recipes()]
        more = ClipTable((*checked_rows([{"name": "new", "time": "dawn", "weekday": "Sunday"}]), *ROWS), TABLE.reference)
        assert [one.hash for one in recipes(table=more)][1:] == before

    def test_written_down_and_read_again(self) -> None:
        for one in recipes():
            assert recipe_from_json(recipe_as_json(one)) == one

    def test_a_light_voice_says_them_too(self) -> None:
        spoken = [engine_named("formant").speak(one.utterance) for one in recipes("curlew")]
        assert len({round(one.seconds, 2) for one in spoken}) == 3


@pytest.fixture(scope="module", params=["blackcap", "hawfinch"])
def clips(request: pytest.FixtureRequest) -> list[tuple[TakeRecipe, Spoken]]:
    """A voice as it is, and one whose vocal tract is another."""
    return [(one, engine_named("rich").speak(one.utterance)) for one in recipes(request.param)]


def words(recipe: TakeRecipe, spoken: Spoken) -> dict[str, tuple[float, float]]:
    said = recipe.respelled.words
    return {said[mark.at: mark.at + mark.length]: (mark.start, mark.end) for mark in spoken.words}


FIXED = ("next", "tide", "so", "mind", "third")


class TestTheSound:
    def test_fixed_words_last_exactly_as_long(self, clips: list[tuple[TakeRecipe, Spoken]]) -> None:
        lengths = [[words(*clip)[word][1] - words(*clip)[word][0] for word in FIXED] for clip in clips]
        assert np.allclose(lengths, lengths[0], atol=1e-6)
        free = engine_named("rich").speak(replace(clips[1][0], like=None, like_spans=()).utterance)
        own = [words(clips[1][0], free)[word][1] - words(clips[1][0], free)[word][0] for word in FIXED]
        assert not np.allclose(own, lengths[0], atol=1e-6), "they would differ by themselves, or this proves nothing"

    def test_their_melody_is_the_same_to_the_sample_of_it(self, clips: list[tuple[TakeRecipe, Spoken]]) -> None:
        engine = engine_named("rich")
        sung = [(engine.melody(recipe.utterance), words(recipe, spoken)) for recipe, spoken in clips]  # type: ignore[attr-defined]
        for word in FIXED:
            tracks = [melody.hz[round(places[word][0] / melody.step) + 2: round(places[word][1] / melody.step) - 2] for melody, places in sung]
            assert all(np.allclose(track, tracks[0]) for track in tracks[1:]), word

    def test_it_is_heard_so(self, clips: list[tuple[TakeRecipe, Spoken]]) -> None:
        heights = []
        for recipe, spoken in clips:
            pitch = parselmouth.Sound(spoken.samples.astype(np.float64), spoken.rate).to_pitch_ac(
                time_step=0.01, pitch_floor=75, pitch_ceiling=600)
            track = []
            for word in FIXED:
                start, end = words(recipe, spoken)[word]
                track.append(np.nanmedian([pitch.get_value_at_time(at) for at in np.linspace(start + 0.02, end - 0.02, 30)]))
            heights.append(12 * np.log2(np.array(track)))
        assert np.abs(np.array(heights) - heights[0]).max() < 0.5, "semitones"

    def test_what_is_kept_and_handed_over_is_that_very_sound(self, clips: list[tuple[TakeRecipe, Spoken]], tmp_path: Path) -> None:
        store = FolderStore(tmp_path)
        for recipe, spoken in clips[1:]:
            take = kept_take(recipe, store)
            samples, _ = read_sound(store, make_rendition(recipe, take.seconds, take.seconds, store))
            assert len(samples) == len(spoken.samples) and np.abs(samples - spoken.samples).max() < 1e-4

    def test_nothing_leaps_where_they_meet(self, clips: list[tuple[TakeRecipe, Spoken]]) -> None:
        engine = engine_named("rich")
        for recipe, _ in clips[1:]:
            hz = engine.melody(recipe.utterance).hz  # type: ignore[attr-defined]
            free = engine.melody(replace(recipe, like=None, like_spans=()).utterance).hz  # type: ignore[attr-defined]
            both = [np.abs(np.diff(12 * np.log2(track)))[(track[1:] > 0) & (track[:-1] > 0)] for track in
                    (np.where(track > 0, track, 1.0) for track in (hz, free))]
            assert np.percentile(both[0], 99) < np.percentile(both[1], 99) + 1.0
