"""Figures made of stress fields."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def von_mises(stress: Floats) -> Floats:
    """Von Mises stress (...,) MPa of Voigt stresses (..., 6): xx yy zz xy yz zx."""
    xx, yy, zz, xy, yz, zx = np.moveaxis(stress, -1, 0)
    squared = 0.5 * ((xx - yy) ** 2 + (yy - zz) ** 2 + (zz - xx) ** 2) + 3 * (xy**2 + yz**2 + zx**2)
    return np.asarray(np.sqrt(squared))


def along(stress: Floats, direction: Floats) -> Floats:
    """Direct stress (...,) MPa along a unit vector (3,) of Voigt stresses (..., 6)."""
    xx, yy, zz, xy, yz, zx = np.moveaxis(stress, -1, 0)
    x, y, z = direction
    return np.asarray(
        xx * x * x + yy * y * y + zz * z * z + 2 * (xy * x * y + yz * y * z + zx * z * x)
    )


def first_yield(growing: Floats, held: Floats, strength: float | None) -> tuple[float, int]:
    """(least factor, node) at which held + factor × growing reaches the yield strength; inf and -1
    if it never does.

    Von Mises stress squared is a quadratic in the factor: a lambda² + b lambda + c = strength².
    """
    if strength is None:
        return float("inf"), -1
    a = von_mises(growing) ** 2
    c = von_mises(held) ** 2
    b = von_mises(growing + held) ** 2 - a - c
    discriminant = np.maximum(b**2 - 4 * a * (c - strength**2), 0.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        factor = np.where(a > 0, (-b + np.sqrt(discriminant)) / (2 * a), np.inf)
    factor = np.where(c >= strength**2, 0.0, factor)
    node = int(np.argmin(factor))
    return (float(factor[node]), node) if np.isfinite(factor[node]) else (float("inf"), -1)
