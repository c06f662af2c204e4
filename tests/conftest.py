"""What all tests share."""

from __future__ import annotations

import pytest

from janoglot.core.answers import FOLDER


@pytest.fixture(autouse=True)
def networks_are_asked_afresh(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Tests *of* what runs a network are marked so, and take none of the answers that are kept between runs."""
    if request.node.get_closest_marker("afresh"):
        monkeypatch.delenv(FOLDER, raising=False)
