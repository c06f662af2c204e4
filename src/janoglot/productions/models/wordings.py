"""Wordings: one line's text in one edition."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, ClassVar

from django.contrib.auth.models import User
from django.db import models
from django.utils import timezone

from janoglot.core.errors import BadInput
from janoglot.core.languages import primary
from janoglot.core.script.cutting import ends_sentence, joined, split_like
from janoglot.productions.belonging import Cut, Joint, belongs
from janoglot.productions.models.lines import Line
from janoglot.productions.models.production import Edition

if TYPE_CHECKING:
    from janoglot.productions.recorder import Recorder

LONGEST = 4000
ORIGINS = [("", "a person"), ("memory", "translation memory"), ("engine", "drafting engine"), ("captions", "captions"),
           ("file", "a file"), ("edition", "another edition")]


@belongs("line", "edition", free=("take_id", "revision", "made"), unvoiced={"take_id": ""})
class Wording(models.Model):
    """``text`` as it is spoken; ``state`` says how far it is (empty text is state *empty*).

    ``take`` is the hash of the take chosen last. Whether that still matches is never stored: it is a
    comparison with the hash of what the take would be made from now. ``revision`` counts the edits, so
    that the second of two people is told.

    ``worded_from`` is what the source said when these words were written or approved last. ``origin`` says where they
    came from before anybody touched them. ``doubt`` is what their origin was unsure of: ``words`` that the drafting
    engine did not know, ``score`` of a memory match, ``alignment`` of translated captions.
    ``changed_by`` and ``changed_at``: who gave the wording its present state, and when.
    """

    class State(models.TextChoices):
        EMPTY = "empty", "empty"
        DRAFT = "draft", "draft"
        EDITED = "edited", "edited"
        APPROVED = "approved", "approved"

    SCRIPT_JSON_KEY: ClassVar[str] = "wording"

    line = models.ForeignKey(Line, models.CASCADE, related_name="wordings")
    edition = models.ForeignKey(Edition, models.CASCADE, related_name="wordings")
    text = models.TextField(blank=True, max_length=LONGEST)
    state = models.CharField(max_length=10, choices=State.choices, default=State.EMPTY)
    revision = models.PositiveIntegerField(default=1)
    take_id = models.CharField(max_length=40, blank=True, default="")
    made = models.PositiveBigIntegerField(default=0)
    """The edition's count when something was last made for this line."""
    worded_from = models.TextField(blank=True, default="")
    origin = models.CharField(max_length=10, blank=True, default="", choices=ORIGINS)
    doubt = models.JSONField(default=dict)
    changed_by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    changed_at = models.DateTimeField(null=True)

    class Meta:
        db_table = "adapt_wording"
        constraints = [models.UniqueConstraint(fields=["line", "edition"], name="one_wording_each")]
        indexes = [models.Index(fields=["edition", "line"])]

    @classmethod
    def when_split(cls, record: Recorder, rows: Sequence[Wording], cut: Cut) -> None:
        """Each half says its part, in every edition; where that is a guess, both are to be read."""
        found = {w.edition_id: _halves(w, cut) for w in rows}
        halves = {edition: (first, second) for edition, (first, second, _) in found.items()}
        guessed = {edition for edition, (_, second, sure) in found.items() if second and not sure}
        source = next((w for w in rows if w.edition.is_source), None)
        source_was = source.text if source else ""
        source_now = halves[source.edition_id] if source else ("", "")
        added = []
        for wording in rows:
            first, second = halves[wording.edition_id]
            state = cls.State.DRAFT if wording.edition_id in guessed else wording.state
            # Asked for before the row is changed.
            behind = cls(line=cut.new, edition_id=wording.edition_id,
                         **cut_or_joined(cut.user, second, state, wording, source_now[1], source_was))
            if wording.text != first:
                record.update(wording, revision=wording.revision + 1,
                              **cut_or_joined(cut.user, first, state, wording, source_now[0], source_was))
            added.append(behind)
        if cut.edition.pk not in halves:
            state = cls.State.EDITED if cut.right else cls.State.EMPTY
            added.append(cls(line=cut.new, edition=cut.edition, text=cut.right, **stamped(cut.user, state)))
        record.create_all(added)

    @classmethod
    def when_joined(cls, record: Recorder, rows: Sequence[Wording], joint: Joint) -> None:
        """The line before says both, in every edition. Raises BadInput where that is too long."""
        have = {w.edition_id: w for w in cls.objects.select_for_update().select_related("edition").filter(
            line=joint.before)}
        source_was = next((w.text for w in have.values() if w.edition.is_source), "")
        source_behind = next((w.text for w in rows if w.edition.is_source), "")
        source_now = joined(source_was, source_behind)
        for wording in rows:
            mine = have.get(wording.edition_id)
            text = joined(mine.text if mine else "", wording.text)
            if len(text) > LONGEST:
                raise BadInput("The two together have {count} characters; a line may have {most} at most.",
                               count=len(text), most=LONGEST)
            first, was = (mine, source_was) if mine and mine.text else (wording, source_behind)
            values = cut_or_joined(joint.user, text, cls.State.EDITED, first, source_now, was)
            if mine is None:
                record.create(cls(line=joint.before, edition_id=wording.edition_id, **values))
            elif mine.text != text:
                record.update(mine, revision=mine.revision + 1, **values)
        record.delete_all(rows)

    def script_json(self) -> dict[str, Any] | None:
        """As it is taken out with its production, beside the words: what nobody has read yet, what is approved."""
        return {"state": self.state} if self.state in (self.State.DRAFT, self.State.APPROVED) else None

    def for_other_edition(self, language: str) -> Wording:
        """Words of the same language are a draft there until somebody has read them; others are left behind."""
        text = self.text if primary(language) == primary(self.edition.language) else ""
        return Wording(line_id=self.line_id, text=text, origin="edition" if text else "",
                       worded_from=self.worded_from if text else "",
                       state=self.State.DRAFT if text else self.State.EMPTY)


def _halves(wording: Wording, cut: Cut) -> tuple[str, str, bool]:
    """What each of the two lines says of ``wording``, and whether that is sure."""
    if wording.edition_id == cut.edition.pk:
        return cut.left, cut.right, True
    if not cut.left:
        return "", wording.text, True
    if not cut.right:
        return wording.text, "", True
    return split_like(wording.text, cut.share, not ends_sentence(cut.left))


def stamped(user: Any, state: str, worded_from: str = "", origin: str = "",
            doubt: dict[str, Any] | None = None) -> dict[str, Any]:
    """The columns that say how a wording came to be as it is."""
    return {"state": state, "worded_from": worded_from, "origin": origin, "doubt": doubt or {},
            "changed_by": user if isinstance(user, User) else None, "changed_at": timezone.now()}


def cut_or_joined(user: Any, text: str, state: str, was: Wording, source: str, source_was: str) -> dict[str, Any]:
    """The columns of a wording whose line was cut or joined: what was known of its source holds for what that is now.

    ``source`` is what the source says of the line now, ``source_was`` what it said before.
    """
    if not text:
        return {"text": "", **stamped(user, Wording.State.EMPTY)}
    knew = " ".join(was.worded_from.split()) == " ".join(source_was.split())
    return {"text": text, **stamped(user, state, source if knew and was.worded_from else was.worded_from, was.origin,
                                    was.doubt)}
