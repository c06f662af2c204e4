"""Finding the stressed words of the source recording, behind the page: each line once for the words that it has."""

from __future__ import annotations

import json
import logging
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path

import numpy as np
import soundfile

from janoglot.core.adapt.word_alignment import align_words
from janoglot.core.edition.standing import LineStanding
from janoglot.core.errors import BadInput, EngineError
from janoglot.core.graph import recipe_hash
from janoglot.core.speech.engines.base import Samples
from janoglot.core.speech.source_acting import spans_of
from janoglot.core.speech.source_stress import VERSION, StressedWord, stressed_words
from janoglot.editions.state import EditionState
from janoglot.productions.jobs import JobKind, Piece, Stopped, register, running, start
from janoglot.productions.models import Edition, Job, Media, Production
from janoglot.productions.permissions import Anyone
from janoglot.server.storage import media, takes
from janoglot.server.work import BULK

log = logging.getLogger(__name__)
_AT_ONCE = 4
MOST_LINES = 2_000


def sound_of(production: Production) -> str | None:
    """The store's key of the source recording's sound; None where there is none."""
    recording = Media.objects.filter(production=production, played=True, purpose=Media.Purpose.SOURCE).first()
    key = recording.copies.get("sound") if recording else None
    return key if key and media().has(key) else None


def _source(production: Production) -> EditionState | None:
    row = Edition.objects.filter(production=production, language=production.source_language).first()
    return EditionState.load(row) if row else None


def _to_listen(state: EditionState) -> list[LineStanding]:
    return [one for one in state.lines if one.line.slot and one.words.strip() and one.stand_in][:MOST_LINES]


def _key(sound: str, line: LineStanding) -> str:
    name = recipe_hash("source stress", sound=sound, slot=line.line.slot, words=" ".join(line.words.split()),
                       version=VERSION)
    return f"{name}.stress.json"


def known_stresses(production: Production) -> tuple[dict[int, tuple[StressedWord, ...]], int]:
    """By line, the stressed words of the source that were found; and how many lines nobody has listened to yet."""
    sound, state = sound_of(production), _source(production)
    if sound is None or state is None:
        return {}, 0
    found: dict[int, tuple[StressedWord, ...]] = {}
    unheard = 0
    for line in _to_listen(state):
        key = _key(sound, line)
        if takes().has(key):
            found[line.id] = tuple(StressedWord(**row) for row in json.loads(takes().path(key).read_text()))
        else:
            unheard += 1
    return found, unheard


def begin_finding(user: Anyone, production: Production) -> Job:
    """Raises BadInput where there is nothing to listen to, QueueAway with nothing begun."""
    sound, state = sound_of(production), _source(production)
    if sound is None or state is None:
        raise BadInput("There is no source recording with times to go by.")
    there = running("stress", edition=state.row)
    if there:
        return there
    lines = [line.id for line in _to_listen(state) if not takes().has(_key(sound, line))]
    if not lines:
        raise BadInput("Every line of the recording has been listened to.")
    return start("stress", BULK, lines, edition=state.row, user=user, piece_size=_AT_ONCE)


def find(piece: Piece) -> None:
    edition = piece.job.edition
    assert edition is not None
    sound, state = sound_of(edition.production), EditionState.load(edition)
    if sound is None:
        return
    wanted = set(piece.items)
    with soundfile.SoundFile(media().path(sound)) as file:
        for line in state.lines:
            if line.id not in wanted or line.stand_in is None or line.line.slot is None:
                continue
            if not piece.wanted():
                raise Stopped
            key = _key(sound, line)
            if takes().has(key):
                continue
            first, count = spans_of(file.samplerate, line.line.slot)
            samples = np.zeros(0, np.float32)
            if first < file.frames:
                file.seek(first)
                samples = file.read(count, dtype="float32", always_2d=True)[:, 0]
            rows = json.dumps([asdict(one) for one in _stresses(samples, file.samplerate, line)])
            takes().write(key, lambda place, rows=rows: _write(place, rows))  # type: ignore[misc]


def _stresses(samples: Samples, rate: int, line: LineStanding) -> tuple[StressedWord, ...]:
    assert line.stand_in is not None
    try:
        return stressed_words(samples, rate, line.stand_in)
    except (BadInput, EngineError) as error:
        log.info("no stress was found", extra={"line": line.id, "why": str(error)})
        return ()


def _write(place: Path, text: str) -> None:
    place.write_text(text)


def carried_over(edition: Edition, stresses: dict[int, tuple[StressedWord, ...]]) -> dict[
        int, list[tuple[int, int, float]]]:
    """By line, the words of ``edition`` that say what is stressed in the source: the word, the source's word, and how
    much. In the source itself they are the same."""
    state = EditionState.load(edition)
    if edition.is_source:
        return {line: [(one.word, one.word, one.amount) for one in words] for line, words in stresses.items() if words}
    source = _source(edition.production)
    if source is None:
        return {}
    said: Sequence[tuple[int, str, str]] = [
        (one.id, source.by_id[one.id][0].words, one.words) for one in state.lines
        if one.words.strip() and one.id in source.by_id and source.by_id[one.id][0].words.strip()]
    pairs = align_words([(theirs, ours) for _, theirs, ours in said])
    found: dict[int, list[tuple[int, int, float]]] = {}
    for (line, _, _), words in zip(said, pairs, strict=True):
        here = {pair.source: pair.target for pair in words}
        rows = [(here[one.word], one.word, one.amount) for one in stresses.get(line, ()) if one.word in here]
        if rows:
            found[line] = rows
    return found


STRESSES = register(JobKind("stress", find))
