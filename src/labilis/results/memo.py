"""Figures found once for the objects they are found from: the window judges anew at every edit,
mostly of the same results."""

from __future__ import annotations

import weakref
from collections import deque
from collections.abc import Callable
from functools import wraps
from typing import Any, TypeVar

Found = TypeVar("Found")
_KEPT = 32


def keeping(most: int) -> Callable[[Callable[..., Found]], Callable[..., Found]]:
    """Makes of a function of objects that never change, such as findings, one that answers from
    memory for the very same ones, of the last `most`. It keeps none of the objects alive, but what
    it answered: let it be few where that is large."""

    def remember(function: Callable[..., Found]) -> Callable[..., Found]:
        known: deque[tuple[tuple[weakref.ref[Any], ...], Found]] = deque(maxlen=most)

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

    return remember


def once_for(function: Callable[..., Found]) -> Callable[..., Found]:
    """`keeping` as many as two load cases of several designs need."""
    return keeping(_KEPT)(function)
