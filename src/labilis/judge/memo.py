"""Figures found once for the objects they are found from: the window judges anew at every edit,
mostly of the same results."""

from __future__ import annotations

import weakref
from collections import deque
from collections.abc import Callable
from functools import wraps
from typing import Any, TypeVar

Found = TypeVar("Found")
_KEPT = 32  # of each function: two load cases of several designs


def once_for(function: Callable[..., Found]) -> Callable[..., Found]:
    """A function of objects that never change, such as findings, that answers from memory for the
    very same ones. It keeps none of them
    alive: results are bounded elsewhere."""
    known: deque[tuple[tuple[weakref.ref[Any], ...], Found]] = deque(maxlen=_KEPT)

    @wraps(function)
    def answer(*objects: Any) -> Found:
        for asked, found in tuple(known):
            if len(asked) == len(objects) and all(
                one() is other for one, other in zip(asked, objects)
            ):
                return found
        found = function(*objects)
        known.append((tuple(weakref.ref(item) for item in objects), found))
        return found

    return answer
