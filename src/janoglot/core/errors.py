"""Errors and problems that carry what a person needs: what happened, where, and what to do.

Messages are templates with named fields, so that the server can translate the template and fill it in
afterwards; ``str()`` gives the English sentence.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

Severity = Literal["error", "warning", "note"]


@dataclass(frozen=True, slots=True)
class Counted:
    """A sentence about a number of things: which of its two wordings holds is decided by the field ``count``.

    Languages with more than two are served by their catalogue.
    """

    one: str
    many: str

    def of(self, count: int) -> str:
        """In English."""
        return self.one if count == 1 else self.many


Template = str | Counted


def said(template: Template, fields: dict[str, Any]) -> str:
    """The English sentence."""
    text = template.of(fields["count"]) if isinstance(template, Counted) else template
    return text.format(**fields)


class JanoglotError(Exception):
    """Base of every error that a person is meant to read.

    ``code`` is stable and machine-readable; ``template`` and ``fields`` make the sentence.
    """

    code = "error"
    hint = ""
    """What whoever runs the program can do, for the command line alone: in a browser nobody can."""

    def __init__(self, template: Template, **fields: Any) -> None:
        self.template = template
        self.fields = fields
        super().__init__(said(template, fields))


class BadInput(JanoglotError):
    """A file, a text or a setting that cannot be used as it is."""

    code = "bad_input"


class UnknownLanguage(BadInput):
    code = "unknown_language"


class UnknownVoice(BadInput):
    code = "unknown_voice"
    hint = "“./janoglot voices” lists them all."


class EngineError(JanoglotError):
    """A speech engine is missing or refused an utterance."""

    code = "engine"


class NothingToMix(JanoglotError):
    code = "nothing_to_mix"


@dataclass(frozen=True, slots=True)
class Problem:
    """Something found while reading a file that did not stop the reading.

    ``row`` counts from 1 in the file as a person sees it (a line of text, a row of a table).
    """

    code: str
    template: Template
    fields: dict[str, Any] = field(default_factory=dict)
    row: int | None = None
    severity: Severity = "warning"

    @property
    def message(self) -> str:
        return said(self.template, self.fields)

    def __str__(self) -> str:
        return f"row {self.row}: {self.message}" if self.row else self.message
