"""The whole job in one go, from a script and its castings to a finished track for each language.

Everything rests on the same model of an edition as the server: what it makes of a production that was taken out in our
own format is, to the sample, what the server makes of it. Takes are kept by the hash of their recipe, so a second run
makes only what has changed.
"""

from __future__ import annotations

import hashlib
import json
import multiprocessing
import os
import shutil
import tempfile
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from dataclasses import asdict, dataclass, field, replace
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any

import soundfile

from janoglot.core.audio.loudness import measure
from janoglot.core.deliver.captions import caption_lines, captions
from janoglot.core.deliver.deliverable import Stores
from janoglot.core.deliver.edition_material import EditionMaterial
from janoglot.core.deliver.names import clip_name
from janoglot.core.edition.from_script import editions_of
from janoglot.core.edition.model import Edition
from janoglot.core.edition.plan import MixPlan, PlannedLine, plan_of
from janoglot.core.edition.sound_world import Sounds, mix_of_plan
from janoglot.core.edition.standing import EditionStanding, clips_standing
from janoglot.core.errors import BadInput, EngineError, JanoglotError
from janoglot.core.media.source import look_at
from janoglot.core.mix.blocks import KeptBlocks, PassingBlocks
from janoglot.core.mix.cues import SoundPlan
from janoglot.core.mix.programme import Clip, check_target, clip_samples
from janoglot.core.mix.sides import RATE
from janoglot.core.script.formats.srt import write_srt
from janoglot.core.script.formats.webvtt import write_webvtt
from janoglot.core.script.model import Script
from janoglot.core.speech.casting import CastFrom
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
    lexicon: Sequence[LexiconEntry] = (), readings: int = 0, sounds: SoundPlan | None = None,
    sounds_folder: Path | None = None, choose: CastFrom = "",
) -> dict[str, Any]:
    """Make every edition of ``script`` under ``out`` and return the report (also ``out/report.json``).

    ``languages`` None means every language that the script has words for; the source is always among
    them. ``cast`` gives voice ids by language and speaker; who is missing is cast automatically
    (``choose``: from whom, where no rich voice is at home). ``target`` is the
    programme loudness in LUFS; None leaves it to the script, or to what is usual.
    ``lexicon``: how words are read, over what the script says. ``readings``: how many more readings of every line are
    made beside it, under ``readings``, to choose from. ``sounds``: what lies under the voices, its files by their paths
    from ``sounds_folder``.
    ``quality`` "sketch" has rich voices spoken by light ones, at the rich ones' exact lengths.
    Raises BadInput for a language without words, an unknown voice, or a cast that names nobody.
    """
    jobs, others, clips = _all_made(script, source_language, languages, cast, store_root, target, progress, processes,
                                    quality, lexicon, readings, sounds, choose)
    library = Sounds(sounds_folder or Path(), FolderStore(store_root))
    report: dict[str, Any] = {"source_language": source_language, "target_lufs": jobs[0].edition.target,
                              "quality": quality, "editions": {}}
    for number, job in enumerate(jobs):
        progress("mix", number, len(jobs))
        tag = job.edition.language
        report["editions"][tag] = _deliver(job, out / tag, FolderStore(store_root), quality, library)
        for row in report["editions"][tag]["lines"]:
            row["readings"] = _readings(others.get((tag, row["index"]), []), row, out / tag, FolderStore(store_root))
            row["clips"] = _write_clips(clips.get((tag, row["index"]), []), row["index"], out / tag,
                                        FolderStore(store_root), jobs[0].edition.target)
    progress("mix", len(jobs), len(jobs))
    return report


_Found = dict[tuple[str, int], list[tuple[Any, str]]]


def _all_made(
    script: Script, source_language: str, languages: Sequence[str] | None, cast: Mapping[str, Mapping[str, str]],
    store_root: Path, target: float | None, progress: Progress, processes: int | None, quality: Quality,
    lexicon: Sequence[LexiconEntry], readings: int, sounds: SoundPlan | None, choose: CastFrom,
    source_seconds: float = 0.0,
) -> tuple[list[_Job], _Found, _Found]:
    """Every edition with all its takes and sounds made; other readings, and templates' clips, by language and line."""
    if target is not None:
        # Before anything is voiced.
        check_target(target)
    wanted = list(dict.fromkeys([source_language, *(languages if languages is not None else script.languages)]))
    jobs = [_Job(replace(edition, sounds=sounds or edition.sounds, source_seconds=source_seconds)) for edition in
            editions_of(script, source_language, wanted, cast, target, lexicon, choose)]
    pool = _Pool(store_root, processes)
    try:
        _voice(jobs, pool, quality, progress)
        _fit(jobs, pool, quality, progress)
        others: Any = _read_otherwise(jobs, pool, quality, readings, progress)
        clips: Any = _make_clips(jobs, pool, quality, progress)
    finally:
        pool.close()
    return jobs, others, clips


def materials_of(
    script: Script, source_language: str, languages: Sequence[str] | None, cast: Mapping[str, Mapping[str, str]],
    production: str, store_root: Path, *, target: float | None = None,
    progress: Progress = lambda step, done, total: None, processes: int | None = None, quality: Quality = "finish",
    lexicon: Sequence[LexiconEntry] = (), sounds: SoundPlan | None = None, sounds_folder: Path | None = None,
    picture: Path | None = None, choose: CastFrom = "",
) -> tuple[list[EditionMaterial], Stores]:
    """The editions in ``languages`` (all of the script's without it), each with its finished mix, as packages are made
    of them. ``picture``: the source's video. What was made before is not made again. Raises BadInput as :func:`dub`."""
    chosen = list(languages) if languages is not None else [source_language, *script.languages]
    store = FolderStore(store_root)
    recording = _picture_in(picture, store) if picture else None
    jobs, _, _ = _all_made(script, source_language, chosen, cast, store_root, target, progress, processes, quality,
                           lexicon, 0, sounds, choose, recording["seconds"] if recording else 0.0)
    library = Sounds(sounds_folder or Path(), store)
    materials = []
    source = {line.id: line.words for line in jobs[0].edition.lines}
    for number, job in enumerate(job for job in jobs if job.edition.language in chosen):
        progress("mix", number, len(chosen))
        assert job.standing is not None
        assert job.plan is not None
        key = f"{job.plan.recipe}.mix"
        if not store.has(key):
            made = mix_of_plan(job.plan, store, library, lambda channels: KeptBlocks(store, channels))[0]
            store.write(key, partial(_write_text, json.dumps(made.as_json())))
        when = datetime.fromtimestamp(store.path(key).stat().st_mtime, UTC).strftime("%Y-%m-%dT%H:%M:%S")
        materials.append(EditionMaterial(job.standing, job.plan, key, store, production, source_language, script,
                                         source, recording, when))
    return materials, Stores(store, store, store, store, lambda: library)


def _picture_in(place: Path, store: FolderStore) -> dict[str, Any]:
    """A video in the store, by what is in it. Raises BadInput for one without a picture."""
    facts = look_at(place)
    if not facts.has_picture:
        raise BadInput("There is no picture in {place}.", place=place.name)
    with place.open("rb") as file:
        key = f"{hashlib.file_digest(file, 'sha256').hexdigest()[:40]}{place.suffix.lower() or '.mp4'}"
    if not store.has(key):
        store.write(key, partial(_copied, place))
    return {"key": key, "name": place.name, "seconds": facts.seconds, "fps": facts.fps or 25.0,
            "has_sound": facts.has_sound}


def _write_text(text: str, place: Path) -> None:
    place.write_text(text)


def _copied(source: Path, place: Path) -> None:
    shutil.copyfile(source, place)


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


def _make_clips(jobs: Sequence[_Job], pool: _Pool, quality: Quality,
                progress: Progress) -> dict[tuple[str, int], list[tuple[str, str]]]:
    """By language and line, the clips of templates: their names, and the store's keys of their sounds."""
    work: dict[str, tuple[TakeRecipe, Quality]] = {}
    of: dict[str, tuple[str, int, str]] = {}
    for job in jobs:
        for one in job.standing.lines if job.standing else ():
            for clip in clips_standing(job.edition, one):
                if clip.recipe is None:
                    job.faults[one.id] = f"{clip.name}: {', '.join(clip.missing)}"
                    continue
                key = f"{job.edition.language}/{one.line.number}/{clip.name}"
                work[key], of[key] = (clip.recipe, quality), (job.edition.language, one.line.number, clip.name)
    made: dict[str, str] = pool.run(_read_so, work, "clips", progress, at_once=1)
    found: dict[tuple[str, int], list[tuple[str, str]]] = {}
    for key in work:
        language, number, name = of[key]
        if made.get(key):
            found.setdefault((language, number), []).append((name, made[key]))
    return found


def _write_clips(found: Sequence[tuple[str, str]], number: int, out: Path, store: FolderStore,
                 target: float) -> list[dict[str, Any]]:
    """Write a template's clips, in a folder of the line's number."""
    told = []
    for name, key in found:
        samples, rate = read_sound(store, key)
        lufs = measure(samples, rate, peaks=False).integrated
        clip = Clip(0.0, len(samples) / rate, lufs, partial(read_sound, store, key))
        place = out / "template-clips" / f"{number:03}" / f"{name}.wav"
        place.parent.mkdir(parents=True, exist_ok=True)
        with atomic_file(place) as half:
            soundfile.write(half, clip_samples(clip, target), RATE, subtype="PCM_24", format="WAV")
        told.append({"name": name, "file": str(place.relative_to(out)), "seconds": round(len(samples) / rate, 3)})
    return told


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


_LITTLE = 12
"""Lines that one process has spoken before others are ready."""


class _Pool:
    """Speech engines are C libraries with state of their own: each worker is a process. They are begun when there is
    enough to do: what is little is done here in less time than it takes them to be ready."""

    def __init__(self, root: Path, processes: int | None) -> None:
        self._root = str(root)
        self._processes = processes or os.cpu_count()
        self._pool: ProcessPoolExecutor | None = None

    def _workers(self) -> ProcessPoolExecutor:
        if self._pool is None:
            self._pool = ProcessPoolExecutor(self._processes, mp_context=multiprocessing.get_context("spawn"))
        return self._pool

    def run(self, function: Callable[[str, Any], Any], work: Mapping[str, Any], step: str,
            progress: Progress, at_once: int | None = None) -> dict[str, Any]:
        results: dict[str, Any] = {}
        keys = list(work)
        if not keys:
            return results
        if len(keys) <= _LITTLE and self._pool is None:
            for key in keys:
                progress(step, len(results), len(keys))
                results[key] = function(self._root, work[key])
            progress(step, len(keys), len(keys))
            return results
        workers = self._workers()
        size = at_once or max(1, min(16, len(keys) // 16))
        chunks = [keys[at: at + size] for at in range(0, len(keys), size)]
        futures = {workers.submit(_each, function, self._root, [work[key] for key in chunk]): chunk
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
        if self._pool is not None:
            self._pool.shutdown(cancel_futures=True)


def _each(function: Callable[[str, Any], Any], root: str, items: Sequence[Any]) -> list[Any]:
    return [function(root, item) for item in items]


def _deliver(job: _Job, out: Path, store: FolderStore, quality: Quality,
             library: Sounds) -> dict[str, Any]:
    assert job.standing is not None
    assert job.plan is not None
    (out / "clips").mkdir(parents=True, exist_ok=True)
    for line in job.plan.lines:
        clip = line.clip(store)
        with atomic_file(out / "clips" / clip_name(line.number, line.speaker)) as half:
            soundfile.write(half, clip_samples(clip, job.edition.target), RATE, subtype="PCM_24", format="WAV")
    with tempfile.TemporaryFile(dir=out) as raw:
        mix, blocks, _ = mix_of_plan(job.plan, store, library, lambda channels: PassingBlocks(raw, channels))
        mix.write(out / "mix.wav", blocks)
    report = mix.report
    lost = job.standing.placed_cues[1]
    cues = captions(caption_lines(job.plan))
    for name, text in (("captions.srt", write_srt(cues)), ("captions.vtt", write_webvtt(cues))):
        with atomic_file(out / name) as half:
            half.write_text(text, encoding="utf-8", newline="\n")
    return {"duration": round(report.seconds, 3), "integrated_lufs": round(report.lufs, 2),
            "true_peak_dbtp": round(report.true_peak_db, 2),
            "limited_db": round(report.limited_db, 2), "range_lu": round(report.range_lu, 1),
            "most_short_term_lufs": round(report.most_short_term, 1), "voices_lufs": round(report.voices, 2),
            "layers_lufs": report.layers, "unclear_lines": report.unclear, "mix": job.plan.recipe,
            "holds": [{"at": hold.at, "seconds": round(hold.seconds, 4)} for hold in job.standing.holds],
            **({"cues_left_out": [asdict(cue.at) for cue in lost]} if lost else {}), "lines": _rows(job, quality)}


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
