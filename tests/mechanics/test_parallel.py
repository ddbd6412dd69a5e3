"""Work side by side: in order, one error is everybody's, and the linear algebra library gets its
threads back."""

import time

import numpy as np
import pytest
from threadpoolctl import threadpool_info

from labilis.mechanics import parallel


@pytest.mark.parametrize("cores", [1, 3])
def test_results_come_in_order(cores: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(parallel, "workers", lambda: cores)

    def slow(k: int) -> int:
        time.sleep(0.002 * ((7 * k) % 5))
        return k * k

    assert list(parallel.on_cores(slow, iter(range(20)))) == [k * k for k in range(20)]
    assert list(parallel.on_cores(slow, [3])) == [9] and list(parallel.on_cores(slow, [])) == []


def test_an_error_reaches_the_caller_and_threads_are_given_back(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(parallel, "workers", lambda: 2)
    np.ones((4, 4)) @ np.ones((4, 4))
    before = [(item["filepath"], item["num_threads"]) for item in threadpool_info()]

    def fails(k: int) -> int:
        if k == 2:
            raise ValueError("inside out")
        return k

    with pytest.raises(ValueError, match="inside out"):
        list(parallel.on_cores(fails, range(6)))
    assert [(item["filepath"], item["num_threads"]) for item in threadpool_info()] == before
