"""Give one line a voice, a language or settings of its own, or put it back to its speaker's."""

from __future__ import annotations

from typing import Any

from janoglot.core.languages import tag_of
from janoglot.core.speech.settings import SETTINGS, checked_voice_settings
from janoglot.productions.models import Edition, Line, LineCasting
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.productions.voices import offered_voice


def set_line_casting(user: Anyone, edition: Edition, line: Line, changes: dict[str, Any]) -> LineCasting | None:
    """``changes``: any of voice, language ("" follows the casting, the edition), the settings (None follows) and
    foreign: words of the line that are in another language, all of them anew.

    A line that has nothing of its own any more has no row. Raises UnknownVoice, UnknownLanguage, BadInput.
    """
    values: dict[str, Any] = {name: changes[name] for name in SETTINGS if name in changes}
    values |= checked_voice_settings(values)
    if "voice" in changes:
        chosen = changes["voice"]
        values["voice"] = offered_voice(user, edition.production, chosen).id if chosen else ""
    if "foreign" in changes:
        values["foreign"] = [{"words": " ".join(one["words"].split()), "language": tag_of(one["language"])}
                             for one in changes["foreign"] if one["words"].strip()]
    if "language" in changes:
        tag = tag_of(changes["language"]) if changes["language"] else ""
        values["language"] = "" if tag == edition.language else tag
    with action(user, edition.production, "set_line_casting") as record:
        number = line.number
        record.summary = f"Line {number}, {edition.language}"
        record.details = {"number": number, "language": edition.language}
        row = LineCasting.objects.select_for_update().filter(edition=edition, line=line).first()
        if row is None:
            made = LineCasting(edition=edition, line=line, **values)
            return record.create(made) if made.own or made.voice or made.language or made.foreign else None
        own = {**row.own, **{name: values[name] for name in SETTINGS if name in values}}
        if not any(value is not None for value in own.values()) and not values.get("voice", row.voice) \
                and not values.get("language", row.language) and not values.get("foreign", row.foreign):
            record.delete(row)
            return None
        record.update(row, **values)
    return row
