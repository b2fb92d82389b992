"""A pytest plugin: coverage notes for each line which test comes to it."""

from __future__ import annotations

from collections.abc import Iterator

import coverage
import pytest


@pytest.hookimpl(wrapper=True)
def pytest_runtest_protocol(item: pytest.Item) -> Iterator[None]:
    """Asked once a test, not at each call: that would take ten times as long."""
    current = coverage.Coverage.current()
    assert current is not None
    current.switch_context(item.nodeid.partition("[")[0])
    yield
