"""Results in memory are bounded in bytes, the newest and those in use stay."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from labilis.run.results_cache import KeptResults, size_of


@dataclass
class Found:
    name: str
    shape: np.ndarray
    more: tuple[np.ndarray, ...] = ()


def test_bytes_are_counted_wherever_arrays_lie() -> None:
    assert (
        size_of(Found("a", np.zeros(10), (np.zeros(5), np.zeros(3, dtype=np.int32)))) == 8 * 15 + 12
    )
    assert size_of({"a": [np.zeros(4)], "b": 3.0}) == 32


def test_the_oldest_goes_first_and_what_is_looked_up_stays() -> None:
    kept = KeptResults(most=40 * 800)
    for number in range(40):
        kept[str(number)] = np.zeros(100)
    assert len(kept) == 40 and kept.bytes == 40 * 800
    assert kept.get("0") is not None and kept.get("none") is None
    kept["new"] = np.zeros(100)
    assert "1" not in kept and "0" in kept and "new" in kept and kept.bytes == 40 * 800
    kept["new"] = np.zeros(50)  # in its place, not beside
    assert kept.bytes == 39 * 800 + 400


def test_one_run_that_is_larger_than_all_is_kept_whole() -> None:
    kept = KeptResults(most=100)
    for number in range(30):
        kept[str(number)] = np.zeros(100)
    assert list(kept) == [str(number) for number in range(6, 30)]
    del kept["29"]
    assert kept.bytes == 23 * 800
