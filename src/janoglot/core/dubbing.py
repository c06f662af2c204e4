"""The whole job in one go, from a script and its castings to a finished track for each language.

Everything rests on the same model of an edition as the server: what it makes of a production that was taken out in our
own format is, to the sample, what the server makes of it. Takes are kept by the hash of their recipe, so a second run
makes only what has changed.
"""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

import soundfile

from janoglot.core.deliver.captions import caption_lines, captions
from janoglot.core.deliver.names import clip_name
from janoglot.core.edition.from_script import editions_of
from janoglot.core.edition.model import Edition
from janoglot.core.edition.plan import MixPlan, PlannedLine, plan_of
from janoglot.core.edition.standing import EditionStanding
from janoglot.core.errors import EngineError, JanoglotError
from janoglot.core.mix.programme import RATE, clip_samples, mix_to_file
from janoglot.core.script.formats.srt import write_srt
from janoglot.core.script.formats.webvtt import write_webvtt
from janoglot.core.script.model import Script
from janoglot.core.speech.lexicon import LexiconEntry
from janoglot.core.speech.takes import Quality, Take, TakeRecipe, kept_take, make_sound, read_sound
from janoglot.core.store import FolderStore, atomic_file

Progress = Callable[[str, int, int], None]
"""Told the name of the step, how much of it is done, and how much there is."""


@dataclass(slots=True)
class _Job:
    """One language, and what came of each step. ``faults`` by line."""

    edition: Edition
    faults: dict[int, str] = field(default_factory=dict)
    standing: EditionStanding | None = None
    plan: MixPlan | None = None


def dub(
    script: Script, source_language: str, languages: Sequence[str] | None, cast: Mapping[str, Mapping[str, str]],
    out: Path, store_root: Path, target: float | None = None,
    progress: Progress = lambda step, done, total: None, processes: int | None = None, quality: Quality = "finish",
    lexicon: Sequence[LexiconEntry] = (), readings: int = 0,
) -> dict[str, Any]:
    """Make every edition of ``script`` under ``out`` and return the report (also ``out/report.json``).

    ``languages`` None means every language that the script has words for; the source is always among
    them. ``cast`` gives voice ids by language and speaker; who is missing is cast automatically. ``target`` is the
    programme loudness in LUFS; None leaves it to the script, or to what is usual.
    ``lexicon``: how words are read, over what the script says. ``readings``: how many more readings of every line are
    made beside it, under ``readings``, to choose from.
    ``quality`` "sketch" has rich voices spoken by light ones, at the rich ones' exact lengths.
    Raises BadInput for a language without words, an unknown voice, or a cast that names nobody.
    """
    wanted = list(dict.fromkeys([source_language, *(languages if languages is not None else script.languages)]))
    jobs = [_Job(edition) for edition in editions_of(
        script, source_language, wanted, cast, target, lexicon)]
    pool = _Pool(store_root, processes)
    try:
        _voice(jobs, pool, quality, progress)
        _fit(jobs, pool, quality, progress)
        others = _read_otherwise(jobs, pool, quality, readings, progress)
    finally:
        pool.close()
    report: dict[str, Any] = {"source_language": source_language, "target_lufs": jobs[0].edition.target,
                              "quality": quality, "editions": {}}
    for number, job in enumerate(jobs):
        progress("mix", number, len(jobs))
        tag = job.edition.language
        report["editions"][tag] = _deliver(job, out / tag, FolderStore(store_root), quality)
        for row in report["editions"][tag]["lines"]:
            row["readings"] = _readings(others.get((tag, row["index"]), []), row, out / tag, FolderStore(store_root))
    progress("mix", len(jobs), len(jobs))
    return report


def _voice(jobs: Sequence[_Job], pool: _Pool, quality: Quality, progress: Progress) -> None:
    """Make every take that is wanted, and see how the editions stand with them."""
    bare = [EditionStanding(job.edition, {}) for job in jobs]
    recipes = {one.wanted: one.recipe for standing in bare for one in standing.lines if one.recipe}
    made: dict[str, Take | str] = pool.run(_make, recipes, "voice", progress)
    takes = {key: take for key, take in made.items() if isinstance(take, Take)}
    for job, standing in zip(jobs, bare, strict=True):
        for one in standing.lines:
            fault = made.get(one.wanted)
            if isinstance(fault, str):
                job.faults[one.id] = fault
        # What is delivered is what is finished: all of it, or, of sketches, nothing.
        job.standing = EditionStanding(job.edition, takes, lambda keys: keys if quality == "finish" else ())
        job.plan = plan_of(job.standing)


def _fit(jobs: Sequence[_Job], pool: _Pool, quality: Quality, progress: Progress) -> None:
    """Make every sound at the length that its place has."""
    lines = {f"{line.take.hash}@{line.seconds:.3f}": line for job in jobs if job.plan for line in job.plan.lines}
    # The longest first, so that no worker is left with one when the others are done.
    order = sorted(lines, key=lambda key: -lines[key].seconds)
    rich = {key: lines[key] for key in order if (recipe := lines[key].recipe) and recipe.voice.is_rich}
    light = {key: line for key, line in lines.items() if key not in rich}
    pool.run(_refit, light, "fit", progress)
    pool.run(_refit, rich, "finish" if quality == "finish" else "sketch", progress,
             at_once=1 if quality == "finish" else None)


def _read_otherwise(jobs: Sequence[_Job], pool: _Pool, quality: Quality, count: int,
                    progress: Progress) -> dict[tuple[str, int], list[tuple[int, str]]]:
    """By language and line, other readings of it: their numbers, which make the same reading anywhere, and the store's
    keys of their sounds."""
    work: dict[str, tuple[TakeRecipe, Quality]] = {}
    of: dict[str, tuple[str, int, int]] = {}
    for job in jobs if count else ():
        for line in job.plan.lines if job.plan else ():
            if line.recipe is None:
                continue
            numbers = [number for number in range(count + 1) if number != line.recipe.variant][:count]
            for number in numbers:
                key = f"{job.edition.language}/{line.number}/{number}"
                work[key], of[key] = (replace(line.recipe, variant=number), quality), (
                    job.edition.language, line.number, number)
    made: dict[str, str] = pool.run(_read_so, work, "readings", progress, at_once=1)
    found: dict[tuple[str, int], list[tuple[int, str]]] = {}
    for key, sound in made.items():
        language, line_number, number = of[key]
        if sound:
            found.setdefault((language, line_number), []).append((number, sound))
    return found


def _read_so(root: str, told: tuple[TakeRecipe, Quality]) -> str:
    recipe, quality = told
    store = FolderStore(Path(root))
    try:
        take = kept_take(recipe, store)
        return make_sound(recipe, take.seconds, take.seconds, quality, store)
    except EngineError:
        return ""


def _readings(found: Sequence[tuple[int, str]], row: dict[str, Any], out: Path,
              store: FolderStore) -> list[dict[str, Any]]:
    """Write a line's other readings beside its clip."""
    told = []
    for number, key in sorted(found):
        samples, rate = read_sound(store, key)
        name = clip_name(row["index"], row["speaker"]).replace(".wav", f"_{number}.wav")
        (out / "readings").mkdir(parents=True, exist_ok=True)
        with atomic_file(out / "readings" / name) as half:
            soundfile.write(half, samples, rate, subtype="PCM_16", format="WAV")
        told.append({"number": number, "file": f"readings/{name}", "seconds": round(len(samples) / rate, 3)})
    return told


def _make(root: str, recipe: TakeRecipe) -> Take | str:
    try:
        return kept_take(recipe, FolderStore(Path(root)))
    except EngineError as error:
        return str(error)


def _refit(root: str, line: PlannedLine) -> None:
    line.make(FolderStore(Path(root)))


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


def _deliver(job: _Job, out: Path, store: FolderStore, quality: Quality) -> dict[str, Any]:
    assert job.standing is not None
    assert job.plan is not None
    (out / "clips").mkdir(parents=True, exist_ok=True)
    clips = []
    for line in job.plan.lines:
        clip = line.clip(store)
        clips.append(clip)
        with atomic_file(out / "clips" / clip_name(line.number, line.speaker)) as half:
            soundfile.write(half, clip_samples(clip, job.edition.target), RATE, subtype="PCM_24", format="WAV")
    report = mix_to_file(clips, job.plan.seconds, out / "mix.wav", job.edition.target)
    cues = captions(caption_lines(job.plan))
    for name, text in (("captions.srt", write_srt(cues)), ("captions.vtt", write_webvtt(cues))):
        with atomic_file(out / name) as half:
            half.write_text(text, encoding="utf-8", newline="\n")
    measured = {key: value for key, value in asdict(report).items() if key != "short_term"}
    return {"duration": round(report.seconds, 3), "integrated_lufs": round(report.lufs, 2),
            "true_peak_dbtp": round(report.true_peak_db, 2),
            "limited_db": round(measured["limited_db"], 2), "mix": job.plan.recipe,
            "holds": [{"at": hold.at, "seconds": round(hold.seconds, 4)} for hold in job.standing.holds],
            "lines": _rows(job, quality)}


def _rows(job: _Job, quality: Quality) -> list[dict[str, Any]]:
    assert job.standing is not None
    rows = []
    for one, placement in zip(job.standing.lines, job.standing.placements, strict=True):
        line, take, flags = one.line, one.take, list(placement.flags)
        extra = []
        if one.voice and not one.voice.speaks(job.edition.language):
            extra.append("voice_language")
        if take and one.voice and one.voice.is_rich and quality == "sketch":
            extra.append("sketch")
        if one.id in job.faults:
            extra.append("unspeakable")
        rows.append({
            "index": line.number, "speaker": line.speaker_name, "words": "" if line.on_screen else line.words,
            "voice": one.voice.id if one.voice else None,
            "slot": list(line.slot) if line.slot else None,
            "start": round(placement.start, 3) if take else None,
            "end": round(placement.end, 3) if take else None,
            "natural": round(take.seconds, 3) if take else None,
            "rate": round(placement.rate, 4) if take else None,
            "over": round(placement.over, 3), "flags": [*flags, *extra], "fault": job.faults.get(one.id),
        })
    return rows
