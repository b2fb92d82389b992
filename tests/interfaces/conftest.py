"""For the tests of the screens: one worker process is enough, and starts in half the time; three
pictures a second are."""

from __future__ import annotations

from collections.abc import Iterator

import pytest


@pytest.fixture(autouse=True)
def one_worker(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """Tests that need two at work at the same time are marked."""
    if request.node.get_closest_marker("two_workers") is None:
        monkeypatch.setattr("embrix.tui.desk.WORKERS", 1)


@pytest.fixture(autouse=True, scope="session")
def draw_seldom() -> Iterator[None]:
    """Screens are drawn in this process three times a second at most."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("textual.screen.UPDATE_PERIOD", 0.3)
        yield
