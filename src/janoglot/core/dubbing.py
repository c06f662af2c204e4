"""The whole job in one go, from a script and its castings to a finished track for each language.

Everything rests on the same parts as the server: takes are kept by the hash of their recipe, so a second
run makes only what has changed.
"""

from __future__ import annotations

import itertools
import multiprocessing
import os
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import Any

import soundfile

from janoglot.core.deliver.captions import CaptionLine, captions
from janoglot.core.deliver.names import clip_name
from janoglot.core.errors import BadInput, EngineError, JanoglotError
from janoglot.core.languages import english_name
from janoglot.core.mix.programme import RATE, TARGETS, Clip, clip_samples, mix_to_file
from janoglot.core.script.formats.srt import write_srt
from janoglot.core.script.formats.webvtt import write_webvtt
from janoglot.core.script.model import Script
from janoglot.core.speech.casting import cast_rest
from janoglot.core.speech.catalogue import voice_named
from janoglot.core.speech.takes import (
    Quality,
    Take,
    TakeRecipe,
    kept_take,
    make_sound,
    read_sound,
    scaled_words,
)
from janoglot.core.speech.voices import Voice
from janoglot.core.store import FolderStore, atomic_file
from janoglot.core.timing.placing import Placement, TimedLine, TimingSettings, place, programme_seconds

Progress = Callable[[str, int, int], None]
"""Told the name of the step, how much of it is done, and how much there is."""


@dataclass(slots=True)
class EditionJob:
    """One language of a job, and what came of each step. Lists run along the script's lines."""

    language: str
    words: list[str]
    voices: list[Voice]
    takes: list[Take | None] = field(default_factory=list)
    faults: dict[int, str] = field(default_factory=dict)
    placements: list[Placement] = field(default_factory=list)


def dub(
    script: Script, source_language: str, languages: Sequence[str] | None, cast: Mapping[str, Mapping[str, str]],
    out: Path, store_root: Path, target: float = TARGETS[0], settings: TimingSettings | None = None,
    progress: Progress = lambda step, done, total: None, processes: int | None = None, quality: Quality = "finish",
) -> dict[str, Any]:
    """Make every edition of ``script`` under ``out`` and return the report (also ``out/report.json``).

    ``languages`` None means every language that the script has words for; the source is always among
    them. ``cast`` gives voice ids by language and speaker; who is missing is cast automatically.
    ``quality`` "sketch" has rich voices spoken by light ones, at the rich ones' exact lengths.
    Raises BadInput for a language without words, an unknown voice, or a cast that names nobody.
    """
    wanted = list(dict.fromkeys([source_language, *(languages if languages is not None else script.languages)]))
    jobs = [_edition(script, source_language, language, cast, wanted) for language in wanted]
    pool = _Pool(store_root, processes)
    try:
        _voice(jobs, pool, progress)
        for job in jobs:
            lines = timed_lines(script, job)
            job.placements = place(lines, settings)
        _fit(jobs, pool, progress, quality)
    finally:
        pool.close()
    report: dict[str, Any] = {"source_language": source_language, "target_lufs": target, "quality": quality,
                              "editions": {}}
    for number, job in enumerate(jobs):
        progress("mix", number, len(jobs))
        report["editions"][job.language] = _deliver(script, job, out / job.language, FolderStore(store_root), target,
                                                    quality)
    progress("mix", len(jobs), len(jobs))
    return report


def _edition(script: Script, source: str, language: str, cast: Mapping[str, Mapping[str, str]],
             wanted: Sequence[str]) -> EditionJob:
    # What is read on the screen is not voiced.
    words = ["" if line.on_screen else script.wording(line, language, source) for line in script.lines]
    if not any(words):
        raise BadInput("The script has no words in {language} ({tag}). Add a column headed {tag}, or leave the "
                       "language out.", language=english_name(language), tag=language)
    given = dict(cast.get(language, {}))
    for speaker in given:
        if speaker not in script.speakers:
            raise BadInput("The cast names “{speaker}” for {tag}, who is not in the script. Its speakers: {all}.",
                           speaker=speaker, tag=language, all=", ".join(script.speakers))
    # Who speaks most is cast first, and so has the most to choose from.
    said = {name: sum(len(w) for line, w in zip(script.lines, words, strict=True) if line.speaker == name)
            for name in script.speakers}
    order = sorted(script.speakers, key=lambda name: -said[name])
    known = {tag: dict(voices) for tag, voices in cast.items() if tag in wanted}
    like = known.get(source, {}) if language != source else {}
    together = {frozenset((one, other)) for _, lines in itertools.groupby(script.lines, key=lambda line: line.part)
                for one, other in itertools.combinations(sorted({line.speaker for line in lines}), 2)}
    given.update(cast_rest(order, language, given, like, together=together))
    voices = {speaker: voice_named(voice_id) for speaker, voice_id in given.items()}
    return EditionJob(language, words, [voices[line.speaker] for line in script.lines])


def timed_lines(script: Script, job: EditionJob) -> list[TimedLine]:
    return [
        TimedLine(index, line.speaker, words, take.seconds if take else None, line.slot, line.part)
        for index, (line, words, take) in enumerate(zip(script.lines, job.words, job.takes, strict=True))
    ]


def _recipe(job: EditionJob, words: str, voice: Voice) -> TakeRecipe:
    return TakeRecipe(words, voice, language=job.language)


def _voice(jobs: Sequence[EditionJob], pool: _Pool, progress: Progress) -> None:
    recipes: dict[str, TakeRecipe] = {}
    for job in jobs:
        for words, voice in zip(job.words, job.voices, strict=True):
            if words:
                recipe = _recipe(job, words, voice)
                recipes.setdefault(recipe.hash, recipe)
    made: dict[str, Take | str] = pool.run(_make, recipes, "voice", progress)
    for job in jobs:
        for index, (words, voice) in enumerate(zip(job.words, job.voices, strict=True)):
            result = made[_recipe(job, words, voice).hash] if words else None
            job.takes.append(result if isinstance(result, Take) else None)
            if isinstance(result, str):
                job.faults[index] = result


def _fit(jobs: Sequence[EditionJob], pool: _Pool, progress: Progress, quality: Quality) -> None:
    work: dict[str, tuple[TakeRecipe, float, float, Quality]] = {}
    for job in jobs:
        for words, voice, take, placement in zip(job.words, job.voices, job.takes, job.placements, strict=True):
            if take:
                work[f"{take.hash}@{placement.seconds:.3f}"] = (_recipe(job, words, voice), placement.seconds,
                                                               take.seconds, quality)
    # The longest first, so that no worker is left with one when the others are done.
    rich = {key: work[key] for key in sorted(work, key=lambda key: -work[key][1]) if work[key][0].voice.is_rich}
    light = {key: item for key, item in work.items() if key not in rich}
    pool.run(_refit, light, "fit", progress)
    pool.run(_refit, rich, "finish" if quality == "finish" else "sketch", progress,
             at_once=1 if quality == "finish" else None)


def _make(root: str, recipe: TakeRecipe) -> Take | str:
    try:
        return kept_take(recipe, FolderStore(Path(root)))
    except EngineError as error:
        return str(error)


def _refit(root: str, work: tuple[TakeRecipe, float, float, Quality]) -> str:
    recipe, seconds, natural, quality = work
    return make_sound(recipe, seconds, natural, quality, FolderStore(Path(root)))


class _Pool:
    """Speech engines are C libraries with state of their own: each worker is a process."""

    def __init__(self, root: Path, processes: int | None) -> None:
        self._root = str(root)
        self._pool = ProcessPoolExecutor(processes or os.cpu_count(), mp_context=multiprocessing.get_context("spawn"))

    def run(self, function: Callable[[str, Any], Any], work: Mapping[str, Any], step: str,
            progress: Progress, at_once: int | None = None) -> dict[str, Any]:
        results: dict[str, Any] = {}
        keys = list(work)
        if not keys:
            return results
        size = at_once or max(1, min(16, len(keys) // 16))
        chunks = [keys[at: at + size] for at in range(0, len(keys), size)]
        futures = {self._pool.submit(_each, function, self._root, [work[key] for key in chunk]): chunk
                   for chunk in chunks}
        progress(step, 0, len(keys))
        try:
            for future in as_completed(futures):
                results.update(zip(futures[future], future.result(), strict=True))
                progress(step, len(results), len(keys))
        except BrokenProcessPool as error:
            raise JanoglotError("A worker stopped while speaking. Run the same command again: what is done "
                                "is kept.") from error
        return results

    def close(self) -> None:
        self._pool.shutdown(cancel_futures=True)


def _each(function: Callable[[str, Any], Any], root: str, items: Sequence[Any]) -> list[Any]:
    return [function(root, item) for item in items]


def _deliver(script: Script, job: EditionJob, out: Path, store: FolderStore, target: float,
             quality: Quality) -> dict[str, Any]:
    out.mkdir(parents=True, exist_ok=True)
    (out / "clips").mkdir(exist_ok=True)
    clips: list[Clip] = []
    caption_lines: list[CaptionLine] = []
    rows = []
    for index, (line, words, voice, take, placement) in enumerate(
        zip(script.lines, job.words, job.voices, job.takes, job.placements, strict=True)
    ):
        flags: list[str] = list(placement.flags)
        if take:
            key = make_sound(_recipe(job, words, voice), placement.seconds, take.seconds, quality, store)
            clip = Clip(placement.start, placement.seconds, take.lufs, lambda key=key: read_sound(store, key))  # type: ignore[misc]
            clips.append(clip)
            with atomic_file(out / "clips" / clip_name(index + 1, line.speaker)) as half:
                soundfile.write(half, clip_samples(clip, target), RATE, subtype="PCM_24", format="WAV")
            marks = scaled_words(take.words, take.seconds, placement.seconds)
            caption_lines.append(CaptionLine(line.speaker, " ".join(words.split()), placement.start, placement.end,
                                             marks))
        if not voice.speaks(job.language):
            flags.append("voice_language")
        if take and voice.is_rich and quality == "sketch":
            flags.append("sketch")
        if index in job.faults:
            flags.append("unspeakable")
        rows.append({
            "index": index + 1, "speaker": line.speaker, "words": words, "voice": voice.id,
            "slot": list(line.slot) if line.slot else None,
            "start": round(placement.start, 3) if take else None,
            "end": round(placement.end, 3) if take else None,
            "natural": round(take.seconds, 3) if take else None,
            "rate": round(placement.rate, 4) if take else None,
            "over": round(placement.over, 3), "flags": flags, "fault": job.faults.get(index),
        })
    seconds = programme_seconds(timed_lines(script, job), job.placements)
    report = mix_to_file(clips, seconds, out / "mix.wav", target)
    cues = captions(caption_lines)
    for name, text in (("captions.srt", write_srt(cues)), ("captions.vtt", write_webvtt(cues))):
        with atomic_file(out / name) as half:
            half.write_text(text, encoding="utf-8", newline="\n")
    measured = {key: value for key, value in asdict(report).items() if key != "short_term"}
    return {"duration": round(report.seconds, 3), "integrated_lufs": round(report.lufs, 2),
            "true_peak_dbtp": round(report.true_peak_db, 2),
            "limited_db": round(measured["limited_db"], 2), "lines": rows}
