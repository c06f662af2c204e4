"""The catalogue of what the server says to people: read out of the code, so that it can be translated.

``python -m janoglot.server.messages`` writes ``locale/janoglot.pot``; a translation is a ``django.po`` beside it, made
from it in the usual way. Needs Babel, which the tests bring.
"""

from __future__ import annotations

import io
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.extract import extract_from_file
from babel.messages.pofile import write_po

CODE = Path(__file__).resolve().parents[1]
PLACE = Path(__file__).with_name("locale") / "janoglot.pot"
# What makes a sentence for a person, and which of its arguments that is. Whatever is Counted has two.
_FIRST = ("BadInput", "UnknownLanguage", "UnknownVoice", "EngineError", "NothingToMix", "NotReady", "Conflict",
          "Approved", "StoreFull", "StoreAway", "QueueAway", "GivenUp", "FailedCheck", "MediaFault", "NoRoom",
          "RichVoicesDamaged", "PermissionDenied", "_")
KEYWORDS: dict[str, tuple[int, ...] | None] = {
    **dict.fromkeys(_FIRST, None), "Problem": (2,), "Found": (2,), "Finding": (3,), "problem": (2,), "require": (2,),
    "Counted": (1, 2), "ngettext": (1, 2),
}
_BESIDE = {"launcher", "cli", "migrations"}


def catalogue() -> Catalog:
    """Every sentence with the files that it stands in, in their order."""
    found = Catalog(project="Janoglot", charset="utf-8")
    for place in sorted(CODE.rglob("*.py")):
        if _BESIDE & set(place.relative_to(CODE).parts):
            continue
        for _, message, _, _ in extract_from_file("python", place, KEYWORDS):
            if message and (isinstance(message, tuple) or message.strip()):
                found.add(message, locations=[(place.relative_to(CODE).as_posix(), 0)])
    return found


def written() -> str:
    out = io.BytesIO()
    write_po(out, catalogue(), omit_header=True, include_lineno=False, sort_by_file=True, width=100)
    return out.getvalue().decode().strip() + "\n"


if __name__ == "__main__":
    PLACE.parent.mkdir(exist_ok=True)
    PLACE.write_text(written())
