"""Hearing finished lines back, behind the page and behind everything else: each sound once."""

from __future__ import annotations

from collections.abc import Collection

from django.conf import settings
from django.contrib.auth.models import User

from janoglot.core.errors import EngineError
from janoglot.core.speech.heard import VERSION, compare_said
from janoglot.core.speech.recogniser import hearable, recognise, recogniser_missing, recogniser_version
from janoglot.core.speech.takes import read_sound
from janoglot.editions.state import EditionState
from janoglot.productions.jobs import JobKind, Piece, Stopped, register, running, start_behind
from janoglot.productions.made import note_made
from janoglot.productions.models import Edition, HeardBack, Job
from janoglot.server.storage import takes
from janoglot.server.work import HEAR

_AT_ONCE = 6
"""Lines in one task."""


def heard_version() -> str:
    return f"{recogniser_version()}/{VERSION}"


def unheard(state: EditionState) -> list[int]:
    """Lines whose finished sound nobody has heard yet. Light voices are left out: a recogniser follows them too badly
    to say anything of a line."""
    keys = {line: key for line, key in state.finish_keys.items() if line in state.finished}
    known = set(HeardBack.objects.filter(key__in=keys.values(), version=heard_version()).values_list("key", flat=True))
    return [line for line, key in keys.items() if key not in known]


def hear_back(edition: Edition, user: User | None, tried: Collection[str] = ()) -> Job | None:
    """Begin to hear what is finished and unheard; None where that is nothing, is begun, or cannot be done here."""
    if not settings.HEAR_BACK or recogniser_missing() or not hearable(edition.language):
        return None
    if running("hear", edition=edition):
        return None
    lines = [line for line in unheard(EditionState.load(edition)) if str(line) not in tried]
    return start_behind("hear", HEAR, lines, edition=edition, user=user, piece_size=_AT_ONCE) if lines else None


def hear_lines(piece: Piece) -> None:
    """Hear some lines at the places that they have now."""
    edition = piece.job.edition
    assert edition is not None
    state = EditionState.load(edition)
    heard: list[int] = []
    try:
        for line_id in set(unheard(state)) & set(piece.items):
            if not piece.wanted(now=True):
                raise Stopped
            line, _ = state.by_id[line_id]
            key = state.finish_keys[line_id]
            assert line.take is not None
            try:
                samples, rate = read_sound(takes(), key)
                found = compare_said(line.recipe.respelled if line.recipe else None, line.words,
                                     recognise(samples, rate, edition.language), edition.language)
            except (EngineError, OSError) as error:
                piece.fault(line_id, str(error))
                continue
            HeardBack.objects.update_or_create(key=key, defaults={
                "take_id": line.take.hash, "language": edition.language, "text": found.text, "error": found.error,
                "otherwise": [[one.at, one.length, one.heard] for one in found.otherwise], "version": heard_version()})
            heard.append(line_id)
    finally:
        note_made(edition, heard)


def _heard(job: Job) -> None:
    """What was finished meanwhile is heard next."""
    if job.edition is not None:
        hear_back(job.edition, job.user, job.faults)


HEARING = register(JobKind("hear", hear_lines, _heard))
