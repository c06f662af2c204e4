"""Giving voices to speakers: who still needs one, and which suits."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

import numpy as np

from janoglot.core.errors import BadInput
from janoglot.core.languages import distance, english_name
from janoglot.core.speech.acoustics import VoiceMeasure
from janoglot.core.speech.catalogue import catalogue, voices_for
from janoglot.core.speech.match import CastingProblem, Distance, far, pair_price, solve
from janoglot.core.speech.measures import measure_or_estimate
from janoglot.core.speech.rich_voices import HOME
from janoglot.core.speech.understanding import heard_speaking
from janoglot.core.speech.voices import AGES, Voice

_NEAREST = 6
_HEARD, _MISHEARD, _TAKEN = 3.0, 60.0, 6.0
"""What an accent costs that was measured, and more for all of the sounds misheard, and for not being taken for it."""
_ACCENT = 25.0
"""More than any one voice that is hard to tell from another: as long as there are natives, they are cast."""


def cast_rest(
    speakers: Sequence[str], language: str, taken: Mapping[str, str], like: Mapping[str, str] | None = None,
    avoid: Collection[str] = (), together: Collection[frozenset[str]] | None = None, by: Distance = far,
    kept: Mapping[str, Voice] | None = None, recorded: Mapping[str, VoiceMeasure] | None = None,
) -> dict[str, str]:
    """A voice id for every speaker of ``speakers`` that ``taken`` gives none, all chosen at once.

    ``speakers`` come with the one who speaks most first. ``like`` gives each speaker's voice in another
    edition: the choice keeps near it as it is measured, and in age, so that a deep Keeper stays deep; near to how
    the speaker sounds in the source recording where that is known (``recorded``). Those who share a part
    (``together``; None: everybody) are kept apart in sound. Voices already used are taken again only where the language
    has no more. Children's voices go only to who has one elsewhere, or when nothing else is left. Rich voices go before
    light ones: they are what is delivered; those who are at home in the language before others, and where nobody is,
    those who were understood best. Nobody is given one of the voices that people keep (``kept``, by id): they are what
    ``taken`` and ``like`` may name. ``by`` says how far apart two voices sound. Deterministic, and of all choices the
    one that costs least: see
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
    candidates = _likely(candidates, used, len(rest), language, models, by)
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
            cost[i, v] = weight * suits + 100.0 * (voice.id in used) + \
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
    cost = (0.0 if voice.is_rich else 60.0) + 1.5 * min(home, 10 if voice.is_rich else home)
    # Of two that suit alike, whose own language it is; of others who is understood best.
    heard = heard_speaking(voice.base, language)
    accent = _ACCENT if heard is None else min(_ACCENT, _HEARD + _MISHEARD * heard.sounds + _TAKEN * (1 - heard.native))
    cost += 0.0 if voice.is_native(language) else accent
    if model:
        cost += by(measure, recorded or measure_or_estimate(model))
        return cost + abs(AGES.index(voice.age) - AGES.index(model.age))
    if recorded:
        return cost + by(measure, recorded)
    return cost + 30.0 * (voice.age == "child") + 4.0 * (voice.age in ("teen", "70s"))


def _likely(candidates: Sequence[Voice], used: Collection[str], count: int, language: str, models: Sequence[Voice],
            by: Distance) -> list[Voice]:
    """Those of the candidates that can come into question: with enough natives nobody else; else with enough rich ones
    no light one, and of a language that nobody is at home in, those of one home, which lie apart, and whoever is near
    to a ``model``."""
    rich = [voice for voice in candidates if voice.is_rich and voice.id not in used]
    if len(rich) < 2 * count + 8:
        return list(candidates)
    natives = [voice for voice in rich if voice.is_native(language)]
    if len(natives) > count:
        return natives
    heard = [voice for voice in rich if heard_speaking(voice.base, language)]
    if not natives and len(heard) > count:
        return heard
    near = {voice.id for model in models for voice in sorted(
        rich, key=lambda one: by(measure_or_estimate(one), measure_or_estimate(model)))[:_NEAREST]}
    return [voice for voice in rich if voice.is_native(language) or voice.locale == HOME or voice.id in near]
