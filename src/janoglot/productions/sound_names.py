"""What sounds are tied to: lines, parts and speakers by their ids, as they are kept here, and by numbers and names, as
files have them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from janoglot.productions.models import Line, Part, Production, Speaker

Told = dict[str, Any]


def with_ids(told: Mapping[str, Any], production: Production) -> Told:
    """A sound plan as JSON with whatever goes by a number or a name going by its id."""
    lines = Line.objects.filter(production=production).values_list("pk", flat=True)
    return _renamed(
        told,
        {str(number): f"#{pk}" for number, pk in enumerate(lines, 1)},
        {name: f"#{pk}" for pk, name in Part.objects.filter(production=production).values_list("pk", "name")},
        {name: f"#{pk}" for pk, name in Speaker.objects.filter(production=production).values_list("pk", "name")},
    )


def with_names(told: Mapping[str, Any], production: Production) -> Told:
    """… and the other way round, as another production can take it."""
    lines = Line.objects.filter(production=production).values_list("pk", flat=True)
    return _renamed(
        told,
        {f"#{pk}": str(number) for number, pk in enumerate(lines, 1)},
        {f"#{pk}": name for pk, name in Part.objects.filter(production=production).values_list("pk", "name")},
        {f"#{pk}": name for pk, name in Speaker.objects.filter(production=production).values_list("pk", "name")},
    )


def _renamed(
    told: Mapping[str, Any], lines: Mapping[str, str], parts: Mapping[str, str], speakers: Mapping[str, str]
) -> Told:
    tables = {"line": lines, "part": parts, "speaker": speakers}

    def row(one: Any) -> Any:
        if not isinstance(one, dict):
            return one
        return {
            name: tables[name].get(str(value), value)
            if name in tables and value
            else row(value)
            if name in ("at", "until")
            else value
            for name, value in one.items()
        }

    made = {name: [row(one) for one in value] if isinstance(value, list) else value for name, value in told.items()}
    bed = made.get("bed")
    if isinstance(bed, dict) and isinstance(bed.get("parts"), dict):
        made["bed"] = {**bed, "parts": {parts.get(name, name): use for name, use in bed["parts"].items()}}
    editions = made.get("editions")
    if isinstance(editions, dict):
        made["editions"] = {tag: _of_edition(one, speakers, lines) for tag, one in editions.items()}
    return made


def _of_edition(told: Any, speakers: Mapping[str, str], lines: Mapping[str, str]) -> Any:
    if not isinstance(told, dict):
        return told
    made = dict(told)
    if isinstance(made.get("speakers"), dict):
        made["speakers"] = {speakers.get(name, name): one for name, one in made["speakers"].items()}
    if isinstance(made.get("deeper"), list):
        made["deeper"] = [
            {**one, "line": lines.get(str(one.get("line")), one.get("line"))}
            for one in made["deeper"]
            if isinstance(one, dict)
        ]
    return made
