"""Mixes as reviewers hear them: small enough for a telephone on a slow line, made with the mix, behind the page.

Until the small one is made the mix itself is heard, so that nobody waits for it; from then on no link
gives it.
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
ENDING = ".heard.m4a"
FRAMES_ENDING = ".heard.aac"
"""The same in single frames, of which lines are cut."""


def stream_key(mix: Mix) -> str:
    return f"{recipe_hash('as reviewers hear it', mix=mix.key, form=FORM.as_json())}{ENDING}"


def frames_key(mix: Mix) -> str:
    return stream_key(mix).removesuffix(ENDING) + FRAMES_ENDING


def begin_stream(mix: Mix, user: Any = None) -> Job | None:
    """Begin to make what reviewers hear of a mix; None where it is there, or on its way."""
    if not mix.report or handed().has(stream_key(mix)) or running("stream", edition=mix.edition, subject=mix.recipe):
        return None
    return start_behind("stream", SOON, [mix.recipe], edition=mix.edition, subject=mix.recipe, user=user,
                        weights=[float(mix.report.get("seconds", 1.0))])


def begin_streams(link: ReviewLink) -> None:
    """… of the newest mixes of every edition that a link opens."""
    for edition in link.production.editions.filter(language__in=link.languages):
        newest = Mix.objects.filter(edition=edition).exclude(report={}).first()
        if newest is not None:
            begin_stream(newest)


def _make(piece: Piece) -> None:
    for mix in Mix.objects.filter(edition=piece.job.edition, recipe__in=piece.items).exclude(report={}):
        key = stream_key(mix)
        if (handed().has(key) and handed().has(frames_key(mix))) or not is_kept(mix, mixes()):
            continue
        with tempfile.TemporaryDirectory() as folder:
            whole = Path(folder) / "mix.wav"
            made = block_mix(mix, mixes())
            made.write(whole, KeptBlocks(mixes(), made.channels))
            small = handed().write(key, partial(_encoded, whole, float(mix.report["lufs"])))
            handed().write(frames_key(mix), partial(_in_frames, small))


def _encoded(whole: Path, lufs: float, place: Path) -> None:
    encode(whole, place, FORM, lufs)


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
    opened = {(one.production_id, language) for one in ReviewLink.objects.filter(
        withdrawn=None, expires__gt=timezone.now()) for language in one.languages}
    for mix in Mix.objects.exclude(report={}).select_related("edition"):
        if (mix.edition.production_id, mix.edition.language) in opened:
            yield stream_key(mix)
            yield frames_key(mix)


behind("mix", _mixed)
STREAMS = register(JobKind("stream", _make))
