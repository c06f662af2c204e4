"""Making the clips of templates behind the page: only those that are not there."""

from __future__ import annotations

from django.contrib.auth.models import User

from janoglot.core.errors import BadInput, EngineError
from janoglot.core.speech.takes import kept_take, make_rendition
from janoglot.editions.clips import clips_there
from janoglot.editions.state import EditionState
from janoglot.productions.jobs import JobKind, Piece, Stopped, register, running, start
from janoglot.productions.models import Edition, Job, Line, Sound, Take
from janoglot.productions.permissions import Anyone, require_change
from janoglot.server.storage import takes
from janoglot.server.work import SOON

_AT_ONCE = 8


def begin_clips(user: Anyone, edition: Edition, line: Line) -> Job:
    """Make the clips of a template that are not made. What is made changes nothing of the production. Raises BadInput
    where nothing is to be made, saying why; QueueAway, with nothing begun."""
    require_change(user, edition.production)
    there = running("clips", edition=edition, subject=str(line.pk))
    if there:
        return there
    state = EditionState.load(edition, [line.pk])
    if not state.lines or state.lines[0].stand_in is None:
        raise BadInput("This speaker has no voice in this edition yet. Cast the speaker first.")
    wanted = [clip.name for clip, take in clips_there(state.edition, state.lines[0]) if take is None and clip.recipe]
    if not wanted:
        raise BadInput("Every row that has its values is made.")
    return start("clips", SOON, wanted, edition=edition, subject=str(line.pk),
                 user=user if isinstance(user, User) else None, piece_size=_AT_ONCE)


def make_clips(piece: Piece) -> None:
    edition = piece.job.edition
    assert edition is not None
    state = EditionState.load(edition, [int(piece.job.subject)])
    wanted = set(piece.items)
    for line in state.lines:
        for clip, there in clips_there(state.edition, line):
            if clip.name not in wanted or there is not None or clip.recipe is None:
                continue
            if not piece.wanted():
                raise Stopped
            try:
                take = kept_take(clip.recipe, takes())
                key = make_rendition(clip.recipe, take.seconds, take.seconds, takes())
            except EngineError as error:
                piece.fault(clip.name, str(error))
                continue
            Take.objects.bulk_create([Take.of(take, clip.recipe.voice.id)], ignore_conflicts=True)
            if clip.recipe.voice.is_rich:
                Sound.objects.get_or_create(key=key, defaults={
                    "take_id": take.hash, "seconds": take.seconds, "quality": "finish"})


CLIPS = register(JobKind("clips", make_clips))
