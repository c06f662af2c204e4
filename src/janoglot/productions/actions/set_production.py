"""Change a production's name, its programme loudness, or whether it is for commercial use."""

from __future__ import annotations

from typing import Any

from janoglot.core.errors import BadInput
from janoglot.core.mix.programme import check_target
from janoglot.productions.models import Production
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action


def set_production(user: Anyone, production: Production, changes: dict[str, Any]) -> Production:
    """``changes``: any of name, target_lufs, commercial, archived, fps.

    Raises BadInput for a loudness that no programme has."""
    if "target_lufs" in changes:
        check_target(changes["target_lufs"])
    if "fps" in changes and not 1 <= changes["fps"] <= 240:
        raise BadInput("A picture has between 1 and 240 frames a second.")
    if "name" in changes and not changes["name"].strip():
        raise BadInput("Give the production a name.")
    with action(user, production, "set_production") as record:
        record.summary = ", ".join(f"{name}: {value}" for name, value in changes.items())
        record.update(production, **changes)
    return production
