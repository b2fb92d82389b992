"""For the tests of the screens: one worker process is enough, and starts in half the time."""

from __future__ import annotations

import pytest


@pytest.fixture(autouse=True)
def one_worker(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Tests that need two at work at the same time are marked."""
    if request.node.get_closest_marker("two_workers") is None:
        monkeypatch.setattr("embrix.tui.desk.WORKERS", 1)
