"""Results by their keys, bounded in bytes: what has not been found or looked up for longest goes
first. The project file keeps its own."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from typing import Any

import numpy as np

MOST_BYTES = (
    2**30
)  # of all results in the window's memory: some twenty runs of 100,000 unknowns with six modes
_LEAST = 24  # results that stay in any case: those of one run with its trace, of several load cases


def size_of(result: Any) -> int:
    """Bytes of the arrays in a result and in what it holds."""
    if isinstance(result, np.ndarray):
        return int(result.nbytes)
    if is_dataclass(result) and not isinstance(result, type):
        return sum(size_of(getattr(result, field.name)) for field in fields(result))
    if isinstance(result, Mapping):
        return sum(size_of(item) for item in result.values())
    if isinstance(result, list | tuple):
        return sum(size_of(item) for item in result)
    return 0


class KeptResults(OrderedDict[str, Any]):
    """A dictionary that forgets its oldest entries beyond `most` bytes; at least the newest
    `_LEAST` stay."""

    def __init__(self, found: Mapping[str, Any] | None = None, most: int = MOST_BYTES) -> None:
        super().__init__()
        self.most, self._sizes = most, dict[str, int]()
        for key, result in (found or {}).items():
            self[key] = result

    @property
    def bytes(self) -> int:
        """Bytes of all arrays that are kept."""
        return sum(self._sizes.values())

    def __setitem__(self, key: str, result: Any) -> None:
        super().__setitem__(key, result)
        self.move_to_end(key)
        self._sizes[key] = size_of(result)
        while len(self) > _LEAST and self.bytes > self.most:
            self._sizes.pop(self.popitem(last=False)[0], None)

    def __delitem__(self, key: str) -> None:
        super().__delitem__(key)
        self._sizes.pop(key, None)

    def get(self, key: str, default: Any = None) -> Any:
        """What is kept under a key, which is looked up anew and so stays longer."""
        if key not in self:
            return default
        self.move_to_end(key)
        return self[key]
