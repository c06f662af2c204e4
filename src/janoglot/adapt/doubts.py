"""What of an edition's wordings deserves a look, word by word and line by line. Worked out afresh, nowhere stored."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from janoglot.adapt.actions.change_terms import core_terms
from janoglot.core.adapt.memory import difference
from janoglot.core.adapt.rude_words import rude_words
from janoglot.core.adapt.spelling import misspelt
from janoglot.core.adapt.termbase import uses
from janoglot.core.adapt.wording_checks import CheckedWording, check_wordings
from janoglot.core.errors import Problem
from janoglot.productions.models import Edition, Line, Speaker, Wording
from janoglot.productions.writing import source_words
from janoglot.server.faults import translated

Data = dict[str, Any]


def wording_data(wording: Wording, source: str) -> Data:
    """How a wording came to be as it is, and what the source says otherwise since."""
    changed = bool(wording.worded_from) and wording.worded_from.split() != source.split()
    return {
        "line": wording.line_id, "state": wording.state, "origin": wording.origin,
        "by": wording.changed_by.username if wording.changed_by else None, "at": wording.changed_at,
        "score": wording.doubt.get("score"), "alignment": wording.doubt.get("alignment"),
        "memory_difference": wording.doubt.get("difference", []),
        "source_difference": [list(part) for part in difference(wording.worded_from, source)] if changed else [],
    }


def doubts(edition: Edition, over: dict[int, float], only: Collection[int] | None = None) -> list[Data]:
    """Of every line with anything to doubt. ``over``: seconds that do not fit, by line. Spans are starts and lengths
    in characters of the wording; those of terms, but for forbidden ones, of the source."""
    production = edition.production
    sources, terms = source_words(production), core_terms(edition)
    names = list(Speaker.objects.filter(production=production).values_list("name", flat=True))
    wordings = Wording.objects.filter(edition=edition)
    lines = Line.objects.filter(production=production)
    if only is not None:
        wordings, lines = wordings.filter(line_id__in=only), lines.filter(pk__in=only)
    by_line = {wording.line_id: wording for wording in wordings}
    checked = [CheckedWording(line.pk, sources.get(line.pk, ""), by_line[line.pk].text if line.pk in by_line else "",
                              over.get(line.pk, 0.0), line.kind == Line.Kind.SPOKEN) for line in lines]
    known = [*names, *(term.text for term in terms if not term.forbidden)]
    told: dict[int, list[Data]] = {}
    for finding in check_wordings(checked, production.source_language, edition.language, names, terms):
        told.setdefault(finding.line, []).append(
            {"code": finding.code, "message": translated(Problem(finding.code, finding.template, finding.fields))})
    found = []
    for one in checked:
        wording = by_line.get(one.id)
        unknown = _places(one.text, (wording.doubt.get("words") or []) if wording else [])
        entry = {
            "line": one.id, "unknown": unknown,
            "misspelt": misspelt(one.text, edition.language, [*known, one.source]) if one.text else [],
            "rude": rude_words(one.text, edition.language),
            "terms": [{"at": use.at, "length": use.length, "original": use.term.source, "text": use.term.text,
                       "kept": use.kept, "forbidden": use.term.forbidden, "note": use.term.note}
                      for use in uses(one.source, one.text, terms, production.source_language, edition.language)],
            "findings": told.get(one.id, []),
        }
        if any(entry[name] for name in ("unknown", "misspelt", "rude", "terms", "findings")):
            found.append(entry)
    return found


def _places(text: str, words: list[str]) -> list[tuple[int, int]]:
    return [(text.index(word), len(word)) for word in words if word in text]
