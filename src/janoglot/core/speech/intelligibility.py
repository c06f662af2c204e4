"""How well a recogniser understands a voice: word error rate over sentences of our own.

A recogniser is not a listener, but it has no favourites: a voice that it cannot follow is further from speech
than one that it can. English only, by the model that comes with PocketSphinx, which only this measure needs.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import cache
from typing import Any

import numpy as np
import soxr

from janoglot.core.errors import EngineError
from janoglot.core.speech.engines.base import Samples

RATE = 16_000
SENTENCES = (
    "The old clock stands at the end of the harbour wall.",
    "Please wait here until the boat comes back.",
    "I have never seen the water so high.",
    "She left her coat on the chair by the window.",
    "Nobody has opened this door for many years.",
    "The children walked along the beach in the rain.",
    "We need another hour to finish the work.",
    "Can you hear the bells across the bay?",
    "My father built this house with his own hands.",
    "There is a small light on the other side.",
    "He wrote a long letter to the museum.",
    "The ship will leave early in the morning.",
    "It was cold, and the wind came from the north.",
    "What time does the last train go?",
    "They found an old map under the floor.",
    "The river turns to the left behind the church.",
    "I would like a cup of tea with milk.",
    "Everybody in the village knows that story.",
    "Close the gate when you go out.",
    "The doctor asked me to come again next week.",
    "Two men were standing at the corner of the street.",
    "This key does not fit the lock.",
    "We saw the first stars before it was dark.",
    "Her brother works in a bank in the city.",
    "The road to the mountain is closed in winter.",
    "Put the books back on the table, please.",
    "I think that the answer is very simple.",
    "The captain looked at the sky and said nothing.",
    "Do not forget to write down the number.",
    "It takes three days to cross the sea.",
)


def word_error_rate(said: str, heard: str) -> float:
    """Substitutions, insertions and deletions over the number of words said (Levenshtein 1965)."""
    one, other = _words(said), _words(heard)
    row = list(range(len(other) + 1))
    for i, word in enumerate(one, 1):
        last, row = row, [i, *[0] * len(other)]
        for j, found in enumerate(other, 1):
            row[j] = min(last[j] + 1, row[j - 1] + 1, last[j - 1] + (word != found))
    return row[-1] / max(1, len(one))


def _words(text: str) -> list[str]:
    # The recogniser's dictionary is American.
    plain = re.sub(r"[^a-z' ]", " ", text.lower()).replace("harbour", "harbor")
    return plain.split()


def recognised(samples: Samples, rate: int) -> str:
    """What the recogniser hears. ``samples``: mono float32. Raises EngineError where it is not installed."""
    decoder = _decoder()
    sound = soxr.resample(samples, rate, RATE, quality="HQ")
    peak = float(np.abs(sound).max()) or 1.0
    sound = np.pad(sound / peak * 0.5, round(0.3 * RATE))
    decoder.start_utt()
    decoder.process_raw((sound * 32767).astype(np.int16).tobytes(), full_utt=True)
    decoder.end_utt()
    found = decoder.hyp()
    return str(found.hypstr) if found else ""


@cache
def _decoder() -> Any:
    try:
        import pocketsphinx
    except ImportError as error:
        raise EngineError("The recogniser is missing. Install the Python package pocketsphinx.") from error
    return pocketsphinx.Decoder(samprate=RATE, loglevel="FATAL")


def mean_error(pairs: Sequence[tuple[str, str]]) -> float:
    """Word error rate over all of ``(said, heard)``, each weighted by its words."""
    words = sum(len(_words(said)) for said, _ in pairs)
    return sum(word_error_rate(said, heard) * len(_words(said)) for said, heard in pairs) / max(1, words)
