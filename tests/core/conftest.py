from __future__ import annotations

from pathlib import Path

import pytest

from janoglot.core.store import FolderStore

DEMO = Path(__file__).resolve().parents[2] / "demo"


@pytest.fixture
def store(tmp_path: Path) -> FolderStore:
    return FolderStore(tmp_path / "made")
