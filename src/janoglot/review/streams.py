"""Mixes as reviewers hear them: small enough for a telephone on a slow line, made with the mix, behind the page; and as
a file to keep, where a link allows that.

Until the small one is made the mix itself is heard, so that nobody waits for it; from then on no link gives it.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any

from django.utils import timezone

from janoglot.core.audio.adts import piece
from janoglot.core.deliver.encoding import AudioFormat, encode
from janoglot.core.edition.plan import MixPlan
from janoglot.core.graph import recipe_hash
from janoglot.core.media.ffmpeg import ffmpeg, recording
from janoglot.core.mix.blocks import KeptBlocks
from janoglot.mix.block_files import block_mix, is_kept
from janoglot.mix.models import Mix
from janoglot.productions.jobs import JobKind, Piece, behind, register, running, start_behind
from janoglot.productions.keeping import needs
from janoglot.productions.models import Job
from janoglot.review.models import ReviewLink
from janoglot.server.storage import handed, mixes
from janoglot.server.work import SOON

FORM = AudioFormat("aac", kbps=64)
"""AAC, which every browser plays, in MP4 with its index first: a line is heard before the rest has come."""
TRACK = AudioFormat("mp3")
ENDING = ".heard.m4a"
FRAMES_ENDING = ".heard.aac"
"""The same in single frames, of which lines are cut."""


def stream_key(mix: Mix) -> str:
    return f"{recipe_hash('as reviewers hear it', mix=mix.key, form=FORM.as_json())}{ENDING}"


def frames_key(mix: Mix) -> str:
    return stream_key(mix).removesuffix(ENDING) + FRAMES_ENDING


def track_key(mix: Mix) -> str:
    """Of the file to keep."""
    return f"{recipe_hash('encoded', mix=mix.key, form=TRACK.as_json())}.mp3"


def _keys(mix: Mix) -> list[str]:
    """Of everything that links want of a mix."""
    wanted = [stream_key(mix), frames_key(mix)]
    kept = any(one.download and mix.edition.language in one.languages
               for one in _open_links(mix.edition.production_id))
    return [*wanted, track_key(mix)] if kept else wanted


def begin_stream(mix: Mix, user: Any = None) -> Job | None:
    """Begin to make what reviewers hear of a mix; None where all of it is there, or on its way."""
    there = all(handed().has(key) for key in _keys(mix))
    if not mix.report or there or running("stream", edition=mix.edition, subject=mix.recipe):
        return None
    return start_behind("stream", SOON, [mix.recipe], edition=mix.edition, subject=mix.recipe, user=user,
                        weights=[float(mix.report.get("seconds", 1.0))])


def begin_streams(link: ReviewLink) -> None:
    """… of the newest mixes of every edition that a link opens."""
    for edition in link.production.editions.filter(language__in=link.languages):
        newest = Mix.objects.filter(edition=edition).exclude(report={}).first()
        if newest is not None:
            begin_stream(newest)


def _make(work: Piece) -> None:
    for mix in Mix.objects.filter(edition=work.job.edition, recipe__in=work.items).exclude(report={}):
        missing = {key for key in _keys(mix) if not handed().has(key)}
        if not missing or not is_kept(mix, mixes()):
            continue
        lufs = float(mix.report["lufs"])
        with tempfile.TemporaryDirectory() as folder:
            whole = Path(folder) / "mix.wav"
            made = block_mix(mix, mixes())
            made.write(whole, KeptBlocks(mixes(), made.channels))
            if missing & {stream_key(mix), frames_key(mix)}:
                small = handed().write(stream_key(mix), partial(_encoded, whole, FORM, lufs))
                handed().write(frames_key(mix), partial(_in_frames, small))
            if track_key(mix) in missing:
                handed().write(track_key(mix), partial(_encoded, whole, TRACK, lufs))


def _encoded(whole: Path, form: AudioFormat, lufs: float, place: Path) -> None:
    encode(whole, place, form, lufs)


def _in_frames(small: Path, place: Path) -> None:
    ffmpeg(*recording(small), "-map", "0:a:0", "-c:a", "copy", "-f", "adts", f"file:{place}")


def heard_line(mix: Mix, line: int) -> bytes:
    """One line of a mix as a file of its own: a few kilobytes. Raises KeyError where it has none of that id."""
    said = next((one for one in MixPlan.read(mixes().path(mix.plan_key)).lines if one.line == line), None)
    if said is None:
        raise KeyError(line)
    return piece(handed().path(frames_key(mix)).read_bytes(), said.start, said.end)


def _open_links(production: int) -> list[ReviewLink]:
    return list(ReviewLink.objects.filter(production=production, withdrawn=None, expires__gt=timezone.now()))


def _mixed(job: Job) -> None:
    """A mix is made: where links open its edition, what they hear is made behind it."""
    if job.edition is None:
        return
    language = job.edition.language
    if not any(language in one.languages for one in _open_links(job.edition.production_id)):
        return
    mix = Mix.objects.filter(edition=job.edition, recipe=job.subject).exclude(report={}).first()
    if mix is not None:
        begin_stream(mix, job.user)


@needs("handed")
def streams() -> Iterator[str]:
    """As long as a link opens the edition and its mix is kept."""
    links = ReviewLink.objects.filter(withdrawn=None, expires__gt=timezone.now())
    opened = {(one.production_id, language) for one in links for language in one.languages}
    to_keep = {(one.production_id, language) for one in links if one.download for language in one.languages}
    for mix in Mix.objects.exclude(report={}).select_related("edition"):
        of = mix.edition.production_id, mix.edition.language
        if of in opened:
            yield stream_key(mix)
            yield frames_key(mix)
        if of in to_keep:
            yield track_key(mix)


behind("mix", _mixed)
STREAMS = register(JobKind("stream", _make))
