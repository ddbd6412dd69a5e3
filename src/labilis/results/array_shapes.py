"""Shapes of the arrays in findings, said in the types of the fields and checked when findings
are made or read from a file."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, get_args, get_origin, get_type_hints

import numpy as np


@dataclass(frozen=True)
class Dims:
    """Size of an array along each of its axes: a number, several that are allowed, or a letter that
    means the same size everywhere in the findings. An array without entries stands for what was not
    looked for."""

    axes: tuple[int | str | tuple[int, ...], ...]

    def __init__(self, *axes: int | str | tuple[int, ...]) -> None:
        object.__setattr__(self, "axes", axes)

    def words(self) -> str:
        """'(n, 3)'."""
        return f"({', '.join(str(axis) for axis in self.axes)})"


class Findings:
    """Base of findings: frozen dataclasses whose arrays have the shapes that their types say."""

    def __post_init__(self) -> None:
        """Raises TypeError where an array has another shape than its type says, or than another
        array gives a letter."""
        sizes: dict[str, tuple[int, str]] = {}
        for name, dims in _dims_of(type(self)):  # type: ignore[arg-type]
            array = getattr(self, name)
            if not isinstance(array, np.ndarray):
                raise TypeError(f"{type(self).__name__}.{name} is no array")
            if array.size == 0:
                continue
            if array.ndim != len(dims.axes):
                raise TypeError(
                    f"{type(self).__name__}.{name} is {array.shape}, not {dims.words()}"
                )
            for size, axis in zip(array.shape, dims.axes):
                if isinstance(axis, str):
                    known, other = sizes.setdefault(axis, (size, name))
                    if known != size:
                        raise TypeError(
                            f"{type(self).__name__}.{name} is {array.shape}, not {dims.words()}: "
                            f"{other} has {known} "
                            f"along {axis}"
                        )
                elif size != axis if isinstance(axis, int) else size not in axis:
                    raise TypeError(
                        f"{type(self).__name__}.{name} is {array.shape}, not {dims.words()}"
                    )


@cache
def _dims_of(kind: type[Findings]) -> tuple[tuple[str, Dims], ...]:
    found = []
    for name, hint in get_type_hints(kind, include_extras=True).items():
        if get_origin(hint) is Annotated:
            found += [(name, mark) for mark in get_args(hint)[1:] if isinstance(mark, Dims)]
    return tuple(found)


def described(kind: Any) -> dict[str, str]:
    """Name and shape of each array of a kind of findings."""
    return {name: dims.words() for name, dims in _dims_of(kind)}
