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

    def bed(one: Any) -> Any:
        if not isinstance(one, dict) or not isinstance(one.get("parts"), dict):
            return one
        return {**one, "parts": {parts.get(name, name): use for name, use in one["parts"].items()}}

    def of_edition(one: Any) -> Any:
        """What is otherwise in one edition: cues by their ids, tied to what they are tied to there."""
        if not isinstance(one, dict):
            return one
        made: Told = {name: [row(each) for each in value] if isinstance(value, list) else value
                      for name, value in one.items()}
        if isinstance(made.get("speakers"), dict):
            made["speakers"] = {speakers.get(name, name): each for name, each in made["speakers"].items()}
        if isinstance(made.get("cues"), dict):
            made["cues"] = {name: row(each) for name, each in made["cues"].items()}
        if "bed" in made:
            made["bed"] = bed(made["bed"])
        return made

    made = {name: [row(one) for one in value] if isinstance(value, list) else value for name, value in told.items()}
    if "bed" in made:
        made["bed"] = bed(made["bed"])
    editions = made.get("editions")
    if isinstance(editions, dict):
        made["editions"] = {tag: of_edition(one) for tag, one in editions.items()}
    return made
