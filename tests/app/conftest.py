"""A session without a window, in which no listener may fail."""

from __future__ import annotations

import sys
from collections.abc import Iterator

import pytest

from labilis.app import Session


@pytest.fixture
def session(monkeypatch: pytest.MonkeyPatch) -> Iterator[Session]:
    failed: list[BaseException] = []
    monkeypatch.setattr(sys, "excepthook", lambda _kind, error, _trail: failed.append(error))
    made = Session()
    yield made
    made.close()
    assert not failed, failed
