"""The benchmark itself, small: it measures what it says and its two routes agree."""

import pytest

from benchmarks.__main__ import measure


@pytest.mark.parametrize("kind", [pytest.param("solid", marks=pytest.mark.full), "shell"])
def test_both_routes_agree(kind: str) -> None:
    found = measure(3000, True, kind)
    assert found["agrees"] and found["complete"] and found["multiple"] > 0
