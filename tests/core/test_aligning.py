from __future__ import annotations

import random
from pathlib import Path

import pytest

from janoglot.core.adapt.aligning import DRIFTS, TimedText, align, find_clock, shared_out
from janoglot.core.script.formats import read_script

DEMO = Path(__file__).parents[2] / "demo" / "tidewater-clock.csv"
SCRIPT = read_script(DEMO.read_bytes(), DEMO.name)
SLOTS = [line.slot for line in SCRIPT.lines]
WORDS = [line.words for line in SCRIPT.lines]


def variant(chance: random.Random, language: str, changes: set[str]) -> tuple[list[str], list[TimedText], float, float]:
    """The demo's translation as somebody else might have cut it: what each line says then, the cues, offset and drift."""
    lines = [(line.start or 0.0, line.end or 0.0, line.wordings[language]) for line in SCRIPT.lines]
    truth = [text for *_, text in lines]
    cues: list[tuple[float, float, str]] = []
    at = 0
    while at < len(lines):
        start, end, text = lines[at]
        lot = chance.random()
        if "missing" in changes and lot < 0.06:
            truth[at] = ""
        elif "merged" in changes and 0.06 < lot < 0.26 and at + 1 < len(lines):
            at += 1
            cues.append((start, lines[at][1], f"{text} {lines[at][2]}"))
        elif "split" in changes and 0.26 < lot < 0.46 and len(text.split()) >= 4:
            words = text.split()
            first = chance.randint(2, len(words) - 2)
            middle = start + (end - start) * len(" ".join(words[:first])) / len(text)
            cues += [(start, middle - 0.02, " ".join(words[:first])), (middle, end, " ".join(words[first:]))]
        else:
            cues.append((start, end, text))
        at += 1
    if "jitter" in changes:
        cues = [(a + chance.uniform(-0.3, 0.3), b + chance.uniform(-0.3, 0.5), text) for a, b, text in cues]
    drift = chance.choice(DRIFTS) if "drift" in changes else 1.0
    offset = chance.uniform(-7, 70) if "shifted" in changes else 0.0
    made = [TimedText((a - offset) / drift, (b - offset) / drift, text) for a, b, text in cues]
    if "shuffled" in changes:
        chance.shuffle(made)
    return truth, made, offset, drift


@pytest.mark.parametrize("changes", [
    {"shuffled"}, {"merged"}, {"split"}, {"shifted"}, {"drift", "shifted"}, {"missing"}, {"jitter"},
    {"merged", "split", "missing", "jitter", "drift", "shifted", "shuffled"},
], ids=lambda changes: "+".join(sorted(changes)))
def test_at_least_98_of_100_lines_get_their_words(changes: set[str]) -> None:
    right = clocks = total = 0
    runs = [(seed, language) for seed in range(6) for language in ("es-MX", "de-DE", "fr-FR")]
    for seed, language in runs:
        truth, cues, offset, drift = variant(random.Random(seed), language, changes)
        found = align(SLOTS, WORDS, cues)
        right += sum(a.split() == b.split() for a, b in zip(truth, found.texts, strict=True))
        total += len(truth)
        clocks += abs(found.clock.offset - offset) < 0.3 and abs(found.clock.drift - drift) < 0.002
    assert right / total >= 0.98
    assert clocks == len(runs)


def test_what_was_cut_otherwise_is_marked_and_what_was_not_is_not() -> None:
    wrong = missed = doubted = total = 0
    for seed in range(12):
        truth, cues, *_ = variant(random.Random(seed), "es-MX", {"merged", "split", "missing", "jitter", "shifted"})
        found = align(SLOTS, WORDS, cues)
        for text, said, doubt in zip(truth, found.texts, found.doubts, strict=True):
            total += 1
            wrong += text.split() != said.split()
            missed += text.split() != said.split() and doubt < 0.5
            doubted += doubt >= 0.5
    # Who looks at what is marked has seen nearly all that is wrong, and not much besides.
    assert missed <= 0.002 * total
    assert doubted < 0.1 * total


def test_every_cue_is_used_once_or_told_to_be_left() -> None:
    _, cues, *_ = variant(random.Random(5), "de-DE", {"merged", "split", "missing", "shuffled"})
    cues.append(TimedText(9_000.0, 9_002.0, "Somewhere else altogether."))
    found = align(SLOTS, WORDS, cues)
    used = [k for bead in found.beads for k in bead.cues]
    assert sorted(used) == list(range(len(cues)))
    assert len(cues) - 1 in found.left


def test_without_times_lengths_alone_decide() -> None:
    cues = [TimedText(None, None, line.wordings["es-MX"]) for line in SCRIPT.lines]
    found = align([None] * len(WORDS), WORDS, cues)
    assert found.texts == [cue.text for cue in cues]


def test_nothing_to_align_is_no_trouble() -> None:
    assert align(SLOTS[:2], WORDS[:2], []).texts == ["", ""]
    assert align([], [], [TimedText(0.0, 1.0, "x")]).left == [0]
    assert find_clock([], []).drift == 1.0


def test_a_text_is_shared_out_between_sentences_else_between_words_and_then_told() -> None:
    assert shared_out("Uno. Dos tres cuatro cinco.", ["One.", "Two three four five."]) == (["Uno.", "Dos tres cuatro cinco."], True)
    pieces, sure = shared_out("uno dos tres cuatro", ["one two", "three four"])
    assert (pieces, sure) == (["uno dos", "tres cuatro"], False)
    assert shared_out("uno", ["one", "two"]) == (["uno", ""], False)
