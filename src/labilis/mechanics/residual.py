"""Residual stresses that rolled sections have before anything loads them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics.cross_section import CrossSection

Floats = NDArray[np.float64]
# of the yield strength of ordinary steel, whatever the grade: they come of cooling
_OF, _STOCKY, _SLENDER, _BETWEEN = 235.0, 0.5, 0.3, 1.2


def rolled_i(section: CrossSection, width: float, height: float, flange: float) -> Floats:
    """Direct stress (f,) MPa at the fibres of a rolled I of this width, height and flange
    thickness, mm: straight from pressure at the tips of the flanges to as much tension at the web,
    and back to pressure in the middle of the web; half of 235 MPa where it is no higher than 1.2
    times its width, 0.3 of it else (ECCS 1984, publication 33). Without resultants."""
    size = _OF * (_STOCKY if height <= _BETWEEN * width else _SLENDER)
    own = section.fibres[:, :2] @ section.axes
    x, y = np.abs(own[:, 0]), np.abs(own[:, 1])
    web = 0.5 * height - flange
    stress = np.where(y > web, size * (1.0 - 4.0 * x / width), size * (2.0 * y / web - 1.0))
    # exactly in balance on these fibres
    rows = np.column_stack([np.ones(len(stress)), section.fibres[:, :3]])
    weight = section.fibres[:, 3]
    held = np.linalg.lstsq(rows.T @ (weight[:, None] * rows), rows.T @ (weight * stress), None)[0]
    return np.asarray(stress - rows @ held)
