"""Drafting in the background."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import AnonymousUser
from rest_framework.exceptions import PermissionDenied

from janoglot.adapt.actions.write_wordings import write_wordings
from janoglot.adapt.remembering import memory_for
from janoglot.core.adapt.drafting import drafting_engine
from janoglot.core.adapt.memory import Memory
from janoglot.core.errors import EngineError, JanoglotError, Problem
from janoglot.core.languages import english_name
from janoglot.productions.jobs import JobKind, Piece, Stopped, register
from janoglot.productions.models import Edition, Job, Speaker, Wording
from janoglot.productions.writing import NewWords, source_words
from janoglot.server.faults import translated

CHUNK = 60
"""Lines that are drafted and kept together: what is done stays done when the job is stopped."""


def draft_lines(piece: Piece) -> None:
    """Fill lines that are still empty, or still a machine's draft. Raises JanoglotError."""
    edition, user = piece.job.edition, piece.job.user or AnonymousUser()
    assert edition is not None
    if not piece.wanted(now=True):
        raise Stopped
    touched = set(Wording.objects.filter(edition=edition, line_id__in=piece.items).exclude(
        state__in=(Wording.State.EMPTY, Wording.State.DRAFT)).values_list("line_id", flat=True))
    sources = source_words(edition.production, piece.items)
    names = list(Speaker.objects.filter(production=edition.production).values_list("name", flat=True))
    texts = {pk: sources.get(pk, "") for pk in piece.items if pk not in touched}
    words = _drafted(texts, memory_for(user, edition), names, edition, piece)
    try:
        write_wordings(user, edition, words, "draft_lines")
    except PermissionDenied as error:
        raise NotAllowed(str(error.detail)) from error


class NotAllowed(JanoglotError):
    """Who asked for it may not change the production any more."""

    code = "not_allowed"


def _ended(job: Job) -> None:
    """Say what could not be drafted at all."""
    if job.edition is not None and job.report.get("no_engine"):
        told = Problem("no_engine", "There is no drafting engine from {source} to {language} here, and the memory has "
                       "nothing like them.", {"source": english_name(job.edition.production.source_language),
                                              "language": english_name(job.edition.language)})
        Job.objects.filter(pk=job.pk).update(fault=translated(told)[:400])


DRAFTING = register(JobKind("draft", draft_lines, _ended))


def _drafted(texts: dict[int, str], memory: Memory, names: list[str], edition: Edition,
             piece: Piece) -> list[NewWords]:
    """First the very same from the memory, then the nearly same, then the engine. ``piece`` counts how."""
    found: list[NewWords] = []
    left: list[int] = []
    for line, text in texts.items():
        matches = memory.find(text, most=1)
        if not text.strip():
            continue
        if matches:
            match = matches[0]
            doubt: dict[str, Any] = {"score": match.score}
            if match.score < 1:
                doubt["difference"] = [list(part) for part in match.difference]
            found.append(NewWords(line, match.unit.text, Wording.State.DRAFT, "memory", doubt))
            piece.count("exact" if match.score == 1 else "fuzzy")
        else:
            left.append(line)
    engine, source = drafting_engine(), edition.production.source_language
    if not left:
        return found
    if engine.route(source, edition.language) is None:
        piece.count("no_engine", len(left))
        return found
    try:
        drafts = engine.draft([texts[line] for line in left], source, edition.language, names)
    except EngineError:
        piece.count("failed", len(left))
        return found
    for line, draft in zip(left, drafts, strict=True):
        doubt = {"by": list(draft.by)}
        if draft.unknown:
            doubt["words"] = list(draft.unknown)
        if draft.lost:
            doubt["lost"] = list(draft.lost)
        found.append(NewWords(line, draft.text, Wording.State.DRAFT, "engine", doubt))
        piece.count("drafted")
    return found
