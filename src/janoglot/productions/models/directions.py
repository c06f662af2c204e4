"""What was directed: of single lines which take is chosen, marks on their words and moods; of speakers in parts; and
the lexicon of all."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import asdict
from typing import Any, ClassVar, cast

from django.contrib.auth.models import User
from django.db import models

from janoglot.core.edition.from_script import variant_of
from janoglot.core.edition.model import PartDirection as CorePartDirection
from janoglot.core.errors import BadInput
from janoglot.core.speech.directing import DirectionMark, marks_of
from janoglot.core.speech.lexicon import LexiconEntry as CoreEntry
from janoglot.core.speech.moods import checked_moods, moods_of
from janoglot.core.speech.readings import READING_KINDS, ReadingKind
from janoglot.productions.belonging import belongs
from janoglot.productions.models.lines import Line, Part, Speaker
from janoglot.productions.models.production import Edition, Production

MOST_TAKES = 60


def checked_takes(told: Iterable[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Readings that are kept, by number. Raises BadInput."""
    found: dict[int, dict[str, Any]] = {}
    for one in told:
        number = one.get("number")
        if not isinstance(number, int) or isinstance(number, bool) or not 1 <= number <= 999:
            raise BadInput("Takes of a line are numbered from 0 to 999.")
        found[number] = {"number": number, **({"thrown": True} if one.get("thrown") is True else {})}
    if len(found) > MOST_TAKES:
        raise BadInput("At most {most} takes of a line are kept.", most=MOST_TAKES)
    return [found[number] for number in sorted(found)]


@belongs("line", "edition")
class LineDirection(models.Model):
    """``variant`` is the take that the producer has chosen of those that the words could have; ``names`` what they
    call takes, by number. ``marks`` are those of :mod:`janoglot.core.speech.directing`, on the words of ``said``: they
    follow their words from there to whatever the line says now. ``moods``: ``[[name, strength], …]``.
    ``takes``: the readings that are kept to choose from, ``[{"number", "thrown"}, …]``.
    """

    SCRIPT_JSON_KEY: ClassVar[str] = "direction"

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="line_directions")
    line = models.ForeignKey(Line, models.CASCADE, related_name="directions")
    variant = models.PositiveIntegerField(default=0)
    names = models.JSONField(default=dict)
    marks = models.JSONField(default=list)
    said = models.TextField(blank=True, default="")
    moods = models.JSONField(default=list)
    takes = models.JSONField(default=list)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["edition", "line"], name="one_direction_each")]

    @property
    def core_marks(self) -> tuple[DirectionMark, ...]:
        return tuple(DirectionMark(**mark) for mark in self.marks)

    @property
    def empty(self) -> bool:
        return not (self.variant or self.names or self.marks or self.moods or self.takes)

    def script_json(self) -> dict[str, Any] | None:
        """As it is taken out with its production; None where there is nothing to tell."""
        found = {"variant": self.variant, "names": self.names, "marks": self.marks, "said": self.said,
                 "moods": dict(self.moods), "takes": self.takes}
        return {name: value for name, value in found.items() if value} or None

    @classmethod
    def from_script_json(cls, told: dict[str, Any]) -> LineDirection | None:
        """Raises BadInput."""
        said = str(told.get("said", ""))
        marks = marks_of(told.get("marks", []), said)
        names = {str(number): str(name)[:60] for number, name in dict(told.get("names", {})).items()}
        row = cls(variant=variant_of({"direction": told}), names=names, said=said,
                  takes=checked_takes(told.get("takes", [])),
                  marks=[one.as_json() for one in marks], moods=[list(one) for one in checked_moods(told.get("moods"))])
        return None if row.empty else row

    def for_other_edition(self, language: str) -> LineDirection | None:
        """Words of another language have takes and marks of their own; how they should sound is the same."""
        return LineDirection(line_id=self.line_id, moods=self.moods) if self.moods else None


@belongs("edition", "speaker", of_editions_whole=True)
class PartDirection(models.Model):
    """What is directed of one speaker in one part, over the casting. ``settings`` by name, as of
    :class:`janoglot.core.speech.settings.VoiceSettings`; ``moods``: ``[[name, strength], …]``."""

    edition = models.ForeignKey(Edition, models.CASCADE, related_name="part_directions")
    part = models.ForeignKey(Part, models.CASCADE, related_name="directions")
    speaker = models.ForeignKey(Speaker, models.CASCADE, related_name="part_directions")
    settings = models.JSONField(default=dict)
    moods = models.JSONField(default=list)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["edition", "part", "speaker"], name="one_part_direction_each")]

    @property
    def core(self) -> CorePartDirection:
        return CorePartDirection(tuple(sorted(self.settings.items())), moods_of(self.moods))


@belongs("production", of_editions_whole=True)
class LexiconEntry(models.Model):
    """How a word or phrase is read wherever it stands: in a ``production``, or, without one, in all that its ``owner``
    has made. See :class:`janoglot.core.speech.lexicon.LexiconEntry`."""

    production = models.ForeignKey(Production, models.CASCADE, null=True, related_name="lexicon")
    owner = models.ForeignKey(User, models.CASCADE, null=True, related_name="lexicon")
    language = models.CharField(max_length=35, blank=True, default="")
    phrase = models.CharField(max_length=100, db_collation="utf8mb4_bin")
    kind = models.CharField(max_length=12, choices=[(kind, kind) for kind in READING_KINDS])
    said = models.CharField(max_length=200, blank=True, default="")
    case_matters = models.BooleanField(default=False)
    exact = models.BooleanField(default=False)
    note = models.CharField(max_length=300, blank=True, default="")

    class Meta:
        ordering = ["phrase", "id"]
        indexes = [models.Index(fields=["production", "language"])]

    @property
    def core(self) -> CoreEntry:
        return CoreEntry(self.phrase, cast(ReadingKind, self.kind), self.said, self.language, self.case_matters,
                         self.exact, self.note)

    @classmethod
    def of(cls, entry: CoreEntry, production: Production | None, owner: User | None) -> LexiconEntry:
        return cls(production=production, owner=owner, **asdict(entry))


def lexicon_for(edition: Edition) -> list[LexiconEntry]:
    """The entries that hold in an edition: the production's own first, then those that its maker has everywhere."""
    own = LexiconEntry.objects.filter(production=edition.production_id)
    shared = LexiconEntry.objects.filter(production=None, owner=edition.production.created_by_id) \
        if edition.production.created_by_id else []
    return [row for row in (*own, *shared) if row.core.holds_in(edition.language)]
