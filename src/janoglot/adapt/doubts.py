"""What of an edition's wordings deserves a look, word by word and line by line. Worked out afresh, nowhere stored."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from janoglot.adapt.actions.change_terms import core_terms
from janoglot.core.adapt.memory import difference
from janoglot.core.adapt.rude_words import rude_words
from janoglot.core.adapt.spelling import misspelt
from janoglot.core.adapt.termbase import TermPair, uses
from janoglot.core.adapt.wording_checks import CheckedWording, check_wordings
from janoglot.core.errors import Problem
from janoglot.core.graph import recipe_hash
from janoglot.core.speech.heard import is_heard_right
from janoglot.editions.state import EditionState
from janoglot.productions.models import Edition, HeardBack, Speaker, Wording
from janoglot.productions.writing import source_words
from janoglot.server.faults import translated

Data = dict[str, Any]


def wording_data(wording: Wording, source: str) -> Data:
    """How a wording came to be as it is, and what the source says otherwise since."""
    changed = bool(wording.worded_from) and wording.worded_from.split() != source.split()
    return {
        "line": wording.line_id, "state": wording.state, "origin": wording.origin,
        "by": wording.changed_by.username if wording.changed_by else None, "at": wording.changed_at,
        "score": wording.doubt.get("score"),
        "drafted_by": wording.doubt.get("by") or [], "alignment": wording.doubt.get("alignment"),
        "memory_difference": wording.doubt.get("difference", []),
        "source_difference": [list(part) for part in difference(wording.worded_from, source)] if changed else [],
    }


@dataclass(frozen=True, slots=True)
class Ground:
    """What the doubts of a line go by beside its own texts."""

    source_language: str
    language: str
    names: tuple[str, ...]
    terms: tuple[TermPair, ...]

    @classmethod
    def of(cls, edition: Edition) -> Ground:
        names = Speaker.objects.filter(production=edition.production_id).values_list("name", flat=True)
        return cls(edition.production.source_language, edition.language, tuple(sorted(names)),
                   tuple(sorted(core_terms(edition), key=str)))

    @property
    def mark(self) -> str:
        """Names the terms and names: with others every line is to be looked at again."""
        return recipe_hash("doubts", names=self.names, terms=self.terms)[:12]


def doubts(state: EditionState, ground: Ground, only: Collection[int] | None = None) -> list[Data]:
    """Of every line of an edition, or of ``only`` some, with anything to doubt. Spans are starts and lengths in
    characters of the wording; those of terms, but for forbidden ones, of the source. The source itself is as it was
    written: of it there is only what was not heard right."""
    if state.row.is_source:
        return [{"line": line, **_NOTHING, "heard": heard} for line, heard in not_heard_right(state, only).items()]
    sources = source_words(state.row.production, only)
    rows = Wording.objects.filter(edition=state.row).exclude(doubt={})
    unsure = {line: tuple(doubt.get("words") or ()) for line, doubt in (
        rows if only is None else rows.filter(line_id__in=only)).values_list("line_id", "doubt")}
    misheard = not_heard_right(state, only)
    found = []
    looked_at = zip(state.lines, state.placements, strict=True) if only is None else (
        state.by_id[line] for line in sorted(only) if line in state.by_id)
    for one, placement in looked_at:
        entry = _of_line(ground, CheckedWording(0, sources.get(one.id, ""), one.words, max(0.0, placement.over),
                                                not one.line.on_screen), unsure.get(one.id, ()))
        heard = misheard.get(one.id)
        if entry or heard:
            found.append({"line": one.id, **(entry or _NOTHING), "heard": heard})
    return found


_NOTHING: Data = {"unknown": [], "misspelt": [], "rude": [], "terms": [], "findings": []}


def not_heard_right(state: EditionState, only: Collection[int] | None = None) -> dict[int, Data]:
    """By line, what the recogniser heard of those finished sounds that it did not hear right, and that nobody has said
    are right."""
    keys = {key: line for line, key in state.finish_keys.items()
            if line in state.finished and (only is None or line in only)}
    if not keys:
        return {}
    language = state.row.language
    rows = HeardBack.objects.filter(key__in=keys, right_by=None).exclude(error=0.0)
    return {keys[row.key]: {"text": row.text, "error": round(row.error, 3), "otherwise": row.otherwise}
            for row in rows if not is_heard_right(row.error, row.otherwise, language)}


@lru_cache(maxsize=120_000)
def _of_line(ground: Ground, line: CheckedWording, unsure: tuple[str, ...]) -> Data | None:
    """What there is to doubt about one line, kept by all that it was worked out from; None for nothing."""
    terms = uses(line.source, line.text, ground.terms, ground.source_language, ground.language)
    known = [*ground.names, *(term.text for term in ground.terms if not term.forbidden), line.source]
    entry = {
        "unknown": [(line.text.index(word), len(word)) for word in unsure if word in line.text],
        "misspelt": misspelt(line.text, ground.language, known) if line.text else [],
        "rude": rude_words(line.text, ground.language),
        "terms": [{"at": use.at, "length": use.length, "original": use.term.source, "text": use.term.text,
                   "kept": use.kept, "forbidden": use.term.forbidden, "note": use.term.note} for use in terms],
        "findings": [{"code": one.code, "message": translated(Problem(one.code, one.template, one.fields))}
                     for one in check_wordings([line], ground.source_language, ground.language, ground.names,
                                               ground.terms)],
    }
    return entry if any(entry.values()) else None
