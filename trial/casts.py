"""Six scripts cast without help in every offered language that can be heard, and every edition heard back.

Scripts have from two to ten speakers, some with names that say something of them; each speaker says six sentences. What is
compared is the mean of each edition with the best voice that was measured in that language: errors (in some languages by
their sounds), and how surely it is taken for the language.
"""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Sequence
from pathlib import Path

from janoglot.core.errors import BadInput
from janoglot.core.languages import primary
from janoglot.core.speech.casting import cast_rest
from janoglot.core.speech.catalogue import catalogue, voice_named
from janoglot.core.speech.intelligibility import sentences
from janoglot.core.speech.recogniser import hearable
from janoglot.core.speech.understanding import Heard, best_heard, hear, spoken_without_home

HERE = Path(__file__).resolve().parents[1]
SCRIPTS = (("Keeper", "Imka"), ("Narrator", "Oda", "Pilot"), ("Mara", "Tomas", "The Harbour Clock", "Child"),
           tuple(f"Sailor {n}" for n in range(1, 6)), ("Narrator", *(f"Guest {n}" for n in range(1, 8))),
           tuple(f"Voice {n}" for n in range(1, 11)))
EACH = 6
"""Sentences that each voice says, the same for all: of fewer, one word that is misheard tells more of the ear than of the
voice."""
NEAR = 0.05
BY_SOUNDS = ("hi", "zh", "ja")
"""Written in more ways than one: in two alphabets, or in characters that sound the same."""


def offered() -> list[str]:
    """A tag of each language that is offered with rich voices, can be heard, and has sentences of ours."""
    at_home = {primary(voice.locale): voice.locale for voice in catalogue().values() if voice.is_rich}
    found = []
    for tag in [*at_home.values(), *(one for one in spoken_without_home() if one not in at_home)]:
        try:
            sentences(tag)
        except BadInput:
            continue
        if hearable(tag):
            found.append(tag)
    return sorted(found)


def error_of(heard: Heard, language: str) -> float:
    return heard.sounds if primary(language) in BY_SOUNDS else heard.error


class Ears:
    """What was heard of each voice of a language: the same sentences for the same voice, and heard once."""

    def __init__(self, language: str) -> None:
        self.language = language
        self.texts = sentences(language)
        self.heard: dict[str, Heard] = {}

    def of(self, voice: str) -> Heard:
        if voice not in self.heard:
            self.heard[voice] = hear(voice_named(voice), self.language, self.texts[:EACH])
        return self.heard[voice]


def tried(language: str) -> dict[str, object]:
    """The worst and the mean of the six editions, beside the best voice's."""
    ears, best = Ears(language), best_heard(language)
    editions = []
    for speakers in SCRIPTS:
        cast = cast_rest(list(speakers), language, {})
        rows = [ears.of(voice) for voice in cast.values()]
        editions.append((sum(error_of(row, language) for row in rows) / len(rows),
                         sum(row.native for row in rows) / len(rows), sum(row.sounds for row in rows) / len(rows)))
    every = list(ears.heard.values())
    # Where rich voices are at home nothing was measured of them one by one: the best of those that were heard here.
    near = min(error_of(row, language) for row in every), max(row.native for row in every)
    error, native = (error_of(best, language), best.native) if best else near
    worst = max(one for one, _, _ in editions), min(one for _, one, _ in editions)
    return {"language": language, "voices": len(every), "rich": sum(voice_named(one).is_rich for one in ears.heard),
            "best_error": round(error, 3), "worst_error": round(worst[0], 3), "best_native": round(native, 3),
            "worst_native": round(worst[1], 3), "worst_sounds": round(max(one for _, _, one in editions), 3),
            "holds": worst[0] <= error + NEAR and worst[1] >= native - NEAR}


def main(only: Sequence[str]) -> int:
    rows = []
    for language in [one for one in offered() if not only or primary(one) in {primary(name) for name in only}]:
        began = time.monotonic()
        rows.append(tried(language))
        print(f"{language:8} {time.monotonic() - began:5.0f} s  " + "  ".join(
            f"{name} {value}" for name, value in rows[-1].items() if name != "language"), flush=True)
    place = HERE / "var" / "casts.json"
    place.parent.mkdir(exist_ok=True)
    place.write_text(json.dumps(rows, indent=1) + "\n", "utf-8")
    missed = [row["language"] for row in rows if not row["holds"]]
    print(f"{len(rows)} languages, {len(SCRIPTS)} scripts in each; further than {NEAR} from the best: {missed or 'none'}")
    return 1 if missed or not rows else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
