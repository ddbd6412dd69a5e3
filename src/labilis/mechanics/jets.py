"""Numbers that carry their first and second derivatives, many at a time: what is written once as a
formula has its exact slope and curvature (forward accumulation; Griewank and Walther 2008, ch. 3).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Jet:
    """value (m,), slope (m, n) and curvature (m, n, n) of m numbers that hang on n others."""

    value: Floats
    slope: Floats
    curvature: Floats

    def __add__(self, other: Jet) -> Jet:
        return Jet(
            self.value + other.value, self.slope + other.slope, self.curvature + other.curvature
        )

    def __sub__(self, other: Jet) -> Jet:
        return Jet(
            self.value - other.value, self.slope - other.slope, self.curvature - other.curvature
        )

    def __mul__(self, other: Jet) -> Jet:
        a, b = self.value[:, None], other.value[:, None]
        mixed = self.slope[:, :, None] * other.slope[:, None, :]
        return Jet(
            self.value * other.value,
            a * other.slope + b * self.slope,
            a[..., None] * other.curvature
            + b[..., None] * self.curvature
            + mixed
            + np.swapaxes(mixed, 1, 2),
        )

    def through(self, value: Floats, first: Floats, second: Floats) -> Jet:
        """A function of it, given by its value (m,) there and its derivatives."""
        return Jet(
            value,
            first[:, None] * self.slope,
            first[:, None, None] * self.curvature
            + second[:, None, None] * self.slope[:, :, None] * self.slope[:, None, :],
        )


def dot(a: Sequence[Jet], b: Sequence[Jet]) -> Jet:
    """a · b in space."""
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


def cross(a: Sequence[Jet], b: Sequence[Jet]) -> list[Jet]:
    """a × b in space."""
    return [a[i] * b[j] - a[j] * b[i] for i, j in ((1, 2), (2, 0), (0, 1))]


def length(a: Sequence[Jet]) -> Jet:
    """|a|, above zero."""
    square = dot(a, a)
    root = np.sqrt(square.value)
    return square.through(root, 0.5 / root, -0.25 / (root * square.value))


def unit(a: Sequence[Jet]) -> list[Jet]:
    """a / |a|."""
    long = length(a)
    inverse = long.through(1.0 / long.value, -1.0 / long.value**2, 2.0 / long.value**3)
    return [part * inverse for part in a]
