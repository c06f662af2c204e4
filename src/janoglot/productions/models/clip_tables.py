"""The tables of templates: lines with variable parts, of which every row is a clip."""

from __future__ import annotations

from django.db import models

from janoglot.core.speech.templates import ClipTable as CoreTable
from janoglot.core.speech.templates import table_as_json, table_of
from janoglot.productions.belonging import belongs
from janoglot.productions.models.lines import Line


@belongs("line", of_editions_whole=True)
class ClipTable(models.Model):
    """The values of one line, for all editions: see :class:`janoglot.core.speech.templates.ClipTable`. ``rows`` are
    ``[{"name", column: value, …}, …]``, ``reference`` is one of them, or one that was, ``kinds`` by slot."""

    line = models.OneToOneField(Line, models.CASCADE, related_name="clip_table")
    rows = models.JSONField(default=list)
    reference = models.JSONField(default=dict)
    kinds = models.JSONField(default=dict)

    @property
    def core(self) -> CoreTable:
        found = table_of({"rows": self.rows, "reference": self.reference, "kinds": self.kinds})
        assert found is not None, "a table without rows is not kept"
        return found

    @classmethod
    def of(cls, line: Line, table: CoreTable) -> ClipTable:
        return cls(line=line, **table_as_json(table))
