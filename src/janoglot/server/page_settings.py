"""What the page must know of settings: how far each runs, and what is usual. Written from where they are declared.

``python -m janoglot.server.page_settings`` writes ``web/src/shared/settings.generated.ts``.
"""

from __future__ import annotations

import json
from dataclasses import fields
from typing import Any

from django.conf import settings

from janoglot.core.settings import bounds_of
from janoglot.core.speech.settings import VoiceSettings
from janoglot.core.timing.settings import TimingSettings

PLACE = settings.HOME / "web" / "src" / "shared" / "settings.generated.ts"
_TOLD: tuple[tuple[str, type], ...] = (("VOICE_SETTINGS", VoiceSettings), ("TIMING_SETTINGS", TimingSettings))


def written() -> str:
    rows = ["// Written by ./janoglot api, from where settings are declared. Not for editing."]
    for name, declared in _TOLD:
        usual = {one.name: one.default for one in fields(declared)}
        rows.append(f"export const {name} = {{")
        rows += [f"  {setting}: {{ min: {_number(low)}, max: {_number(high)}, usual: {_number(usual[setting])} }},"
                 for setting, (low, high) in bounds_of(declared).items()]
        rows.append("} as const;")
    return "\n".join(rows) + "\n"


def _number(value: Any) -> str:
    return json.dumps(int(value) if float(value).is_integer() else value)


if __name__ == "__main__":
    PLACE.write_text(written())
