"""Voice lines of an edition: some of them, or all that are unvoiced or out of date."""

from __future__ import annotations

from collections.abc import Collection

from django.contrib.auth.models import User

from janoglot.core.errors import BadInput
from janoglot.direct.tasks import ASKED_NOW, chunk_of, finish_sketches
from janoglot.editions.kept import kept_sound
from janoglot.editions.state import EditionState
from janoglot.productions.jobs import running, start
from janoglot.productions.models import Edition, Job
from janoglot.productions.permissions import Anyone, require_change
from janoglot.server.storage import takes
from janoglot.server.work import NOW, SKETCH, require_queue


def voice(user: Anyone, edition: Edition, line_ids: Collection[int] | None = None) -> Job:
    """Start a job for the lines that need a take. Asking twice makes nothing twice.

    Takes are made things, so this changes nothing of the production and leaves no record to undo. Raises
    BadInput where nothing needs a take, saying why; QueueAway, with nothing begun.
    """
    require_change(user, edition.production)
    require_queue()
    state = EditionState.load(edition)
    wanted = [s for s in state.unfinished() if line_ids is None or s.id in line_ids]
    # Asked for what is there already: whose sound a failing disk has lost is made again.
    wanted = wanted or [s for s in state.lines if s.state == "current" and s.recipe and s.take
                        and (line_ids is None or s.id in line_ids) and kept_sound(s, takes()) is None]
    if not wanted:
        uncast = any(s.state == "uncast" for s in state.lines)
        if uncast and line_ids is None:
            raise BadInput("Nothing can be voiced yet: the speakers with words have no voice. Cast them first.")
        if uncast and any(s.state == "uncast" for s in state.lines if s.id in (line_ids or ())):
            raise BadInput("This speaker has no voice in this edition yet. Cast the speaker first.")
        raise BadInput("Nothing needs a take: every line with words is voiced, and its take is current.")
    urgent = line_ids is not None and len(wanted) <= ASKED_NOW
    return start("take", NOW if urgent else SKETCH, [s.id for s in wanted], edition=edition, user=user,
                 weights=[len(s.words) for s in wanted], piece_size=1 if urgent else chunk_of(len(wanted)))


def finish(user: Anyone, edition: Edition, line_ids: Collection[int] | None = None) -> Job:
    """Start a job that makes the finished sound of what is sketched. Raises BadInput where nothing is."""
    require_change(user, edition.production)
    require_queue()
    there = running("finish", edition=edition)
    if there and line_ids is None:
        return there
    now = line_ids is not None and len(line_ids) <= ASKED_NOW
    job = finish_sketches(edition, user if isinstance(user, User) else None, line_ids, now=now)
    if job is None:
        raise BadInput("Nothing is left to finish: no line is heard as a sketch.")
    return job
