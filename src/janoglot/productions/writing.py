"""Writing wordings the same way everywhere: with who and when, and what the source said then."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass, field
from typing import Any

from janoglot.core.errors import BadInput
from janoglot.productions.models import LONGEST, Edition, Production, Wording
from janoglot.productions.models.wordings import stamped
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import Recorder


@dataclass(frozen=True, slots=True)
class NewWords:
    """What a line is to say. ``origin`` and ``doubt`` as of :class:`janoglot.adapt.models.Wording`."""

    line: int
    text: str
    state: str = Wording.State.EDITED
    origin: str = ""
    doubt: dict[str, Any] = field(default_factory=dict)


def source_words(production: Production, lines: Collection[int] | None = None) -> dict[int, str]:
    """By line id, what the source says; of these ``lines`` alone where they are given."""
    rows = Wording.objects.filter(edition__production=production, edition__language=production.source_language)
    return dict((rows if lines is None else rows.filter(line_id__in=lines)).values_list("line_id", "text"))


def write_all(record: Recorder, user: Anyone, edition: Edition, words: Iterable[NewWords]) -> int:
    """Write them where they differ from what is there. Gives back how many did. Raises BadInput for a text that is too
    long; nothing is written then."""
    given = list(words)
    sources = source_words(edition.production, [one.line for one in given])
    have = {w.line_id: w for w in Wording.objects.select_for_update().filter(
        edition=edition, line_id__in=[one.line for one in given])}
    changes, made = [], []
    for one in given:
        text = one.text.strip()
        if len(text) > LONGEST:
            raise BadInput("One line may have {most} characters at most; this has {count}. Split the line.",
                           most=LONGEST, count=len(text))
        values = stamped(user, one.state if text else Wording.State.EMPTY, sources.get(one.line, ""), one.origin,
                         one.doubt) if text else stamped(user, Wording.State.EMPTY)
        wording = have.get(one.line)
        if wording is None:
            made.append(Wording(line_id=one.line, edition=edition, text=text, **values))
        elif wording.text != text or wording.state != values["state"]:
            changes.append((wording, {"text": text, "revision": wording.revision + 1, **values}))
    record.create_all(made)
    return record.update_all(changes) + len(made)
