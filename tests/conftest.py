"""Shared fixtures: parts written as STEP by the tests, projects on them, a fresh state folder."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from hypothesis import settings

# Machines are shared: a slow example is no failure. The same examples every time, so that a change
# is judged by itself; ./test --full draws new ones (LABILIS_DRAW=new).
settings.register_profile(
    "shared", deadline=None, derandomize=os.environ.get("LABILIS_DRAW") != "new"
)
settings.load_profile("shared")

os.environ.setdefault("LIBGL_ALWAYS_SOFTWARE", "1")


@pytest.fixture(autouse=True)
def own_state(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """No test sees another's unsaved work, or the user's, or speaks in another's units."""
    from labilis.model import shown

    monkeypatch.setenv("LABILIS_STATE", str(tmp_path / "state"))
    shown.use(shown.DEFAULT)
    shown.ask(None)
