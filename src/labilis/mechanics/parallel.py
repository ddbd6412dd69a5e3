"""Work on chunks of elements side by side: NumPy lets go of the interpreter while it computes."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from functools import lru_cache
from typing import Any, TypeVar

from threadpoolctl import ThreadpoolController

Item = TypeVar("Item")
Result = TypeVar("Result")


@lru_cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(workers(), thread_name_prefix="labilis-elements")


@lru_cache
def _libraries() -> ThreadpoolController:
    return ThreadpoolController()


def workers() -> int:
    """Cores that this process may use, eight at most: chunks are small. Fewer where LABILIS_CORES
    says so, as it does in processes that stand side by side."""
    if stated := os.environ.get("LABILIS_CORES"):
        return max(1, min(int(stated), 8))
    return min(
        len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1, 8
    )


def on_cores(call: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]:
    """Results of `call` in the order of the items, some of them computed ahead; one after the other
    on a single core, or where there is but one. Small products must not be shared out again by the
    linear algebra library, which is held to one thread meanwhile."""
    if workers() < 2 or (isinstance(items, Sequence) and len(items) < 2):
        yield from map(call, items)
        return
    ahead: deque[Future[Any]] = deque()
    with _libraries().limit(limits=1, user_api="blas"):
        for item in items:
            ahead.append(_pool().submit(call, item))
            if len(ahead) > workers():
                yield ahead.popleft().result()
        while ahead:
            yield ahead.popleft().result()
