"""Where weights come from and where what is made of them is kept: packages of Python whose own code is not run."""

from __future__ import annotations

import importlib.util
import os
from pathlib import Path


def weights_root() -> Path:
    """Where what is made of weights is kept. ``JANOGLOT_RICH_ROOT`` lets several data folders share it."""
    for name in ("JANOGLOT_RICH_ROOT", "JANOGLOT_VAR"):
        if os.environ.get(name):
            return Path(os.environ[name])
    return Path.home() / ".cache" / "janoglot"


def package_folder(name: str) -> Path | None:
    """The folder of an installed package: found, not imported. None where it is not installed."""
    spec = importlib.util.find_spec(name)
    found = list(spec.submodule_search_locations or ()) if spec else []
    return Path(found[0]) if found else None
