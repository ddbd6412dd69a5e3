"""Material laws. Voigt order xx yy zz xy yz zx with engineering shear strains."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def isotropic(youngs_modulus: float, poisson_ratio: float) -> Floats:
    """Elasticity matrix (6, 6), MPa, of the linear isotropic law (any textbook on elasticity)."""
    if youngs_modulus <= 0 or not -1 < poisson_ratio < 0.5:
        raise ValueError("needs a positive modulus and a Poisson ratio above -1 and under 0.5")
    shear = youngs_modulus / (2 * (1 + poisson_ratio))
    lame = youngs_modulus * poisson_ratio / ((1 + poisson_ratio) * (1 - 2 * poisson_ratio))
    matrix = np.diag([2 * shear] * 3 + [shear] * 3)
    matrix[:3, :3] += lame
    return matrix
