"""Where things are in a checkout."""

from __future__ import annotations

import os
from pathlib import Path

HOME = Path(os.environ.get("JANOGLOT_HOME") or Path(__file__).resolve().parents[3])
VENV = HOME / ".venv"
PYTHON = VENV / "bin" / "python"
WEB = HOME / "web"
CACHE = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "janoglot"
"""Of this user, for all checkouts: what tests may take from one run to the next. Nothing is lost with it."""
VAR = Path(os.environ.get("JANOGLOT_VAR") or HOME / "var")
CHROMIUM = "/usr/bin/chromium-headless-shell"
"""Debian's build of Chromium without windows: the same engine, and a third less for a processor to do."""


class Trouble(Exception):
    """Something that a person must read before it can go on; one or two plain sentences."""
