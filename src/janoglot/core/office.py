"""Office files of ours, which say of themselves whose they are and when they were made."""

from __future__ import annotations

from datetime import UTC, datetime

import docx
import openpyxl
from docx.document import Document

MAKER = "Janoglot"


def new_document(title: str = "") -> Document:
    """An empty DOCX, with nothing of the library's template about it."""
    document = docx.Document()
    about = document.core_properties
    now = datetime.now(UTC).replace(microsecond=0)
    about.author = about.last_modified_by = MAKER
    about.created = about.modified = now
    about.title, about.comments, about.revision = title[:255], "", 1
    return document


def new_workbook(title: str = "", write_only: bool = False) -> openpyxl.Workbook:
    """An empty XLSX."""
    book = openpyxl.Workbook(write_only=write_only)
    book.properties.creator = MAKER
    book.properties.title = title[:255] or None
    return book
