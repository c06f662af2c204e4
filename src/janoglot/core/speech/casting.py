"""Giving voices to speakers: who still needs one, and which suits."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from janoglot.core.errors import BadInput
from janoglot.core.languages import distance, english_name, primary, territory
from janoglot.core.speech.acoustics import VoiceMeasure
from janoglot.core.speech.catalogue import catalogue, voices_for
from janoglot.core.speech.match import TAKEN_TWICE, CastingProblem, Distance, far, pair_price, solve
from janoglot.core.speech.measures import measure_or_estimate
from janoglot.core.speech.rich_voices import HOME
from janoglot.core.speech.understanding import (
    FEWEST_CAST,
    Heard,
    best_heard,
    heard_speaking,
    heard_well,
    natives_heard,
)
from janoglot.core.speech.voices import AGES, Voice

_NEAREST = 6
_HEARD, _MISHEARD, _TAKEN = 3.0, 60.0, 6.0
"""What an accent costs that was measured, and more for all of the sounds misheard, and for not being taken for it."""
_ELSEWHERE = 25.0
"""What it costs to be at home in another place than everybody else of an edition."""
_ACCENT = 80.0
"""More than to be hard to tell from several others: as long as there are natives, they are cast."""
_NO_CHILD = 100.0
"""What it costs to give a child's part to somebody who is none: a child from elsewhere goes before."""
_CHILD = 200.0
"""What it costs to give a grown-up's part to a child: anybody else goes before."""
_LIGHT = 150.0

CastFrom = Literal["", "natives", "rich"]
"""Whom to cast in a language that no rich voice is at home in: its natives though they are light, or rich voices though
they bring an accent; "" leaves it to what was measured."""


@dataclass(frozen=True, slots=True)
class NoRichNatives:
    """Of a language that rich voices speak though none is at home there: how many natives there are among the light
    voices, and how they were understood (None: not measured); how many rich ones are understood about as well as the
    best of them, where these are at home, and how the best was understood; and who is cast where nobody has chosen."""

    natives: int
    natives_heard: Heard | None
    rich: int
    homes: tuple[str, ...]
    rich_heard: Heard | None
    usual: CastFrom


def no_rich_natives(language: str) -> NoRichNatives | None:
    """What there is to choose from where no rich voice is at home; None where some are, or where nobody rich speaks it.
    """
    voices = voices_for(language)
    rich = [voice for voice in voices if voice.is_rich]
    natives = [voice for voice in voices if not voice.is_rich and voice.is_native(language)]
    if not rich or any(voice.is_native(language) for voice in rich):
        return None
    well = [voice for voice in rich if voice.base in heard_well(language)]
    best, light = best_heard(language), natives_heard(language)
    clearer = best is not None and (light is None or best.sounds <= light.sounds)
    return NoRichNatives(
        len(natives), light, len(well), tuple(dict.fromkeys(primary(voice.locale) for voice in well)), best,
        "rich" if not natives or (len(well) >= FEWEST_CAST and clearer) else "natives")


def cast_rest(
    speakers: Sequence[str], language: str, taken: Mapping[str, str], like: Mapping[str, str] | None = None,
    avoid: Collection[str] = (), together: Collection[frozenset[str]] | None = None, by: Distance = far,
    kept: Mapping[str, Voice] | None = None, recorded: Mapping[str, VoiceMeasure] | None = None,
    choose: CastFrom = "",
) -> dict[str, str]:
    """A voice id for every speaker of ``speakers`` that ``taken`` gives none, all chosen at once.

    ``speakers`` come with the one who speaks most first. ``like`` gives each speaker's voice in another
    edition: the choice keeps near it as it is measured, and in age, so that a deep Keeper stays deep; near to how
    the speaker sounds in the source recording where that is known (``recorded``). Those who share a part
    (``together``; None: everybody) are kept apart in sound. Voices already used are taken again only where the language
    has no more. Children's voices go only to who has one elsewhere, or when nothing else is left. Rich voices go before
    light ones: they are what is delivered; those who are at home in the language before others, and all of one place
    of it: the edition's, or that of who is cast already. Where none is at home, those are cast who were understood
    about as well as the best, or the natives among the light ones (``choose``, see :func:`no_rich_natives`). Nobody is
    given one of the voices that people keep (``kept``, by id): they are what ``taken`` and ``like`` may name. ``by``
    says how far apart two voices sound. Deterministic, and of all choices the one that costs least: see
    :func:`janoglot.core.speech.match.solve`.

    Raises BadInput where no voice on this machine speaks the language.
    """
    candidates = voices_for(language)
    if not candidates:
        raise BadInput("No voice here speaks {language}.", language=english_name(language))
    voices = {**catalogue(), **(kept or {})}
    rest = [speaker for speaker in speakers if not taken.get(speaker)]
    used = set(taken.values()) | set(avoid)
    models = [voices[like[speaker]] for speaker in rest if like and like.get(speaker) in voices]
    strangers = no_rich_natives(language)
    light = strangers is not None and (choose or strangers.usual) == "natives"
    places = _places(language, candidates, [voices[voice] for voice in taken.values() if voice in voices])
    candidates = _likely(candidates, used, len(rest), language, models, by, light)
    measures = [measure_or_estimate(voice) for voice in candidates]
    cost = np.zeros((len(rest), len(candidates)))
    for i, speaker in enumerate(rest):
        model = voices.get((like or {}).get(speaker, ""))
        beside = [measure_or_estimate(voices[v]) for other, v in taken.items() if v in voices and other != speaker
                  and (together is None or frozenset((speaker, other)) in together)]
        # Who speaks most is suited first where two want the same voice.
        weight = 1.0 - 0.4 * i / max(1, len(rest) - 1)
        for v, voice in enumerate(candidates):
            suits = _suits(voice, measures[v], model, (recorded or {}).get(speaker), language, by)
            suits += _ELSEWHERE * (voice.is_native(language) and territory(voice.locale) != places.get(voice.is_rich))
            # Where light ones are chosen they go first.
            suits += (-2 * _LIGHT if not voice.is_rich else 0.0) if light else 0.0
            cost[i, v] = weight * suits + TAKEN_TWICE * (voice.id in used) + \
                sum(float(pair_price(by(measures[v], m))) for m in beside) + 1e-6 * v
    pairs = [(i, j) for i in range(len(rest)) for j in range(i + 1, len(rest))
             if together is None or frozenset((rest[i], rest[j])) in together]
    chosen = solve(CastingProblem(cost, measures, pairs, by))
    return {speaker: candidates[v].id for speaker, v in zip(rest, chosen, strict=True)}


def _suits(voice: Voice, measure: VoiceMeasure, model: Voice | None, recorded: VoiceMeasure | None, language: str,
           by: Distance) -> float:
    """What a voice costs for one speaker alone."""
    # A rich voice takes the accent of whichever place the words are from; a reader of that very place sounds like it.
    home = distance(language, voice.locale) if not voice.is_rich or voice.is_native(language) else 0
    cost = (0.0 if voice.is_rich else _LIGHT) + 1.5 * min(home, 10 if voice.is_rich else home)
    # Of two that suit alike, whose own language it is; of others who is understood best.
    heard = heard_speaking(voice.base, language)
    accent = _ACCENT if heard is None else min(_ACCENT, _HEARD + _MISHEARD * heard.sounds + _TAKEN * (1 - heard.native))
    cost += 0.0 if voice.is_native(language) else accent
    if model:
        cost += by(measure, recorded or measure_or_estimate(model))
        cost += _NO_CHILD * (model.age == "child" and voice.age != "child")
        cost += _CHILD * (voice.age == "child" and model.age not in ("child", "teen"))
        return cost + abs(AGES.index(voice.age) - AGES.index(model.age))
    if recorded:
        return cost + by(measure, recorded)
    return cost + _CHILD * (voice.age == "child") + 4.0 * (voice.age in ("teen", "70s"))


def _places(language: str, candidates: Sequence[Voice], taken: Sequence[Voice]) -> dict[bool, str]:
    """The territory whose voices an edition's are, of rich ones (True) and of light ones: the edition's own, or the
    nearest that has voices; of a language without a place, that of who has been cast already."""
    cast = Counter(voice.locale for voice in taken if voice.is_native(language))
    wanted = cast.most_common(1)[0][0] if cast and primary(language) == language else language
    homes = {rich: [voice.locale for voice in candidates if voice.is_rich == rich and voice.is_native(language)]
             for rich in (True, False)}
    return {rich: territory(min(some, key=lambda home: distance(wanted, home))) for rich, some in homes.items() if some}


def _likely(candidates: Sequence[Voice], used: Collection[str], count: int, language: str, models: Sequence[Voice],
            by: Distance, light: bool) -> list[Voice]:
    """Those of the candidates that can come into question: with enough natives nobody else; else with enough rich ones
    no light one. Of a language that no rich one is at home in: its light natives where these are chosen (``light``),
    else those who were understood well, and where they are too few the others who were measured, and light natives.
    Else those of one home, which lie apart, and whoever is near to a ``model``."""
    free = [voice for voice in candidates if voice.id not in used]
    natives = [voice for voice in free if voice.is_native(language)]
    rich = [voice for voice in free if voice.is_rich]
    well = [voice for voice in rich if voice.base in heard_well(language)]
    if light:
        return next((some for some in (natives, [*natives, *well]) if len(some) >= count), list(candidates))
    rich_natives = [voice for voice in rich if voice.is_native(language)]
    if not rich_natives:
        if len(well) >= count:
            return well
        heard = [voice for voice in rich if heard_speaking(voice.base, language)]
        if heard and len(natives) + len(heard) >= count:
            return [*heard, *natives]
    if len(rich) < 2 * count + 8:
        return list(candidates)
    if len(rich_natives) > count:
        return rich_natives
    near = {voice.id for model in models for voice in sorted(
        rich, key=lambda one: by(measure_or_estimate(one), measure_or_estimate(model)))[:_NEAREST]}
    return [voice for voice in rich if voice.is_native(language) or voice.locale == HOME or voice.id in near]
