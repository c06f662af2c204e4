"""Reading XML, JSON, spreadsheets' rows and numbers from files that anybody may have made.

The libraries' readers stop at no depth, no declared size and no number of digits; here is where that is bounded, so
that whatever is in a file ends as a sentence for a person, soon and in little memory.
"""

from __future__ import annotations

import itertools
import json
import re
from collections.abc import Iterable, Iterator
from typing import Any
from xml.etree import ElementTree

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring

from janoglot.core.errors import BadInput

DEEPEST = 60
"""Elements, lists or objects within each other. What people exchange has about ten."""
_MOST_DIGITS = 18
_NEW_ROW = re.compile("[\x0b\x0c\x1c-\x1e\x85\u2028\u2029]")
"""What programs write for the end of a row inside a cell, a paragraph or a record."""
_NO_TEXT = re.compile("[\x00-\x08\x0e-\x1b\x1f\x7f-\x84\x86-\x9f\ufffe\uffff]")
_EITHER = re.compile(f"{_NEW_ROW.pattern}|{_NO_TEXT.pattern}")


def plain_text(text: str) -> str:
    """``text`` without control characters: XML cannot hold them (XML 1.0, 2.2), a spreadsheet refuses them, no voice
    can say them. Those that end a row do so."""
    return _NO_TEXT.sub("", _NEW_ROW.sub("\n", text)) if _EITHER.search(text) else text


def plain_value(value: Any) -> Any:
    """What JSON holds, all its texts as :func:`plain_text` has them. Raises RecursionError for what nests too deep."""
    if isinstance(value, str):
        return plain_text(value)
    if isinstance(value, dict):
        return {plain_text(key): plain_value(one) for key, one in value.items()}
    if isinstance(value, list):
        return [plain_value(one) for one in value]
    return value



def read_xml(content: str | bytes, what: str) -> ElementTree.Element:
    """The outermost element. Raises BadInput, naming ``what`` it should be, for what is broken, refers to other
    things, or is nested beyond :data:`DEEPEST`."""
    try:
        root: ElementTree.Element = fromstring(content)
    except ElementTree.ParseError as error:
        raise BadInput("This is no {what} that can be read: its XML is broken in row {row}.", what=what,
                       row=error.position[0]) from error
    except (DefusedXmlException, ValueError, LookupError, RecursionError) as error:
        raise BadInput("This is no {what} that can be read: its XML is broken, or refers to other things.",
                       what=what) from error
    level, depth = [root], 1
    while level:
        if depth > DEEPEST:
            raise BadInput("This {what} nests its elements over {most} deep, which is not read.", what=what,
                           most=DEEPEST)
        level, depth = [child for element in level for child in element], depth + 1
    return root


def read_json(text: str | bytes, what: str = "JSON") -> Any:
    """What ``text`` holds. Raises BadInput for what is broken, nested beyond :data:`DEEPEST`, or no text at all
    (half a surrogate pair)."""
    try:
        found = json.loads(text)
    except json.JSONDecodeError as error:
        raise BadInput("Row {row}: this is no {what} ({why}).", row=error.lineno, what=what, why=error.msg) from error
    except (RecursionError, ValueError) as error:
        raise BadInput("This {what} cannot be read: {why}.", what=what, why=str(error)[:80]) from error
    check_value(found, what)
    return plain_value(found)


def check_value(value: Any, what: str = "JSON") -> None:
    """Raises BadInput where ``value`` nests too deep or holds text that no encoding can write."""
    level: list[Any] = [value]
    for _ in range(DEEPEST + 1):
        if not level:
            return
        following: list[Any] = []
        for one in level:
            if isinstance(one, dict):
                following += itertools.chain(one.keys(), one.values())
            elif isinstance(one, list):
                following += one
            elif isinstance(one, str) and not one.isascii():
                try:
                    one.encode()
                except UnicodeEncodeError as error:
                    raise BadInput("This {what} holds half a character (a lone surrogate), which is no text.",
                                   what=what) from error
        level = following
    if level:
        raise BadInput("This {what} nests its lists over {most} deep, which is not read.", what=what, most=DEEPEST)


def sheet_rows(sheet: Any, most_rows: int, most_columns: int) -> Iterator[tuple[Any, ...]]:
    """The rows of a worksheet that openpyxl has opened to read, as far as they really go.

    A sheet's declared size may be a million rows of sixteen thousand columns with nothing in them. Raises BadInput
    beyond ``most_rows``.
    """
    if hasattr(sheet, "reset_dimensions"):
        sheet.reset_dimensions()
    for number, cells in enumerate(sheet.iter_rows(max_row=most_rows + 1, max_col=most_columns, values_only=True), 1):
        if number > most_rows:
            raise BadInput("The sheet has over {most} rows. Split it into several.", most=most_rows)
        yield cells


def whole_number(text: str) -> int | None:
    """A whole number in plain digits; None for anything else, and for more digits than any number here has."""
    return int(text) if text.isascii() and text.isdecimal() and len(text) <= _MOST_DIGITS else None


def whole_numbers(texts: Iterable[str]) -> list[int]:
    """Those of ``texts`` that are whole numbers."""
    return [number for text in texts if (number := whole_number(text)) is not None]
