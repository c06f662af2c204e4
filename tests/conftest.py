"""What all tests share."""

from __future__ import annotations

import pytest
from hypothesis import settings

from janoglot.core.answers import FOLDER

# How long an example takes is the machine's affair: what must be quick is measured where it is promised.
settings.register_profile("janoglot", deadline=None)
settings.load_profile("janoglot")


@pytest.fixture(autouse=True)
def networks_are_asked_afresh(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Tests *of* what runs a network are marked so, and take none of the answers that are kept between runs."""
    if request.node.get_closest_marker("afresh"):
        monkeypatch.delenv(FOLDER, raising=False)
