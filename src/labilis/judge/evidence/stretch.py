"""Large rotation under linear theory: pieces grow as they turn."""

import numpy as np
from numpy.typing import NDArray

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.results.findings import MeshFindings, StrengthFindings
from labilis.results.memo import once_for

Floats = NDArray[np.float64]
_CAUTION, _BAD = 2e-3, 2e-2  # of length, which linear theory adds at turns of 3.6 and 11.5 degrees


def growth_of(mesh: MeshFindings, motion: Floats) -> float:
    """Growth of lengths on the surface (and along lines) under a motion (n, 3) beyond what the
    linear strain explains: (|x + u|² - |x|²) over |x|² is twice the strain plus the square of the
    turn, which is all that is left after the linear part is taken off; the half of it that 5 % of
    the sides exceed."""
    sides = [
        mesh.triangles[:, [0, 1]],
        mesh.triangles[:, [1, 2]],
        mesh.triangles[:, [2, 0]],
        mesh.lines,
    ]
    pairs = np.concatenate(
        [side for side in sides if len(side)] or [np.zeros((0, 2), dtype=np.int64)]
    )
    if len(pairs) == 0:
        return 0.0
    along, moved = (
        mesh.nodes[pairs[:, 1]] - mesh.nodes[pairs[:, 0]],
        motion[pairs[:, 1]] - motion[pairs[:, 0]],
    )
    size = np.maximum((along**2).sum(axis=1), 1e-300)
    return float(np.quantile(0.5 * (moved**2).sum(axis=1) / size, 0.95))


@once_for
def _grown(mesh: MeshFindings, strength: StrengthFindings) -> float:
    return growth_of(mesh, strength.displacement_growing + strength.displacement_held)


def stretch(facts: CaseFacts) -> Evidence | None:
    """Judged on the linear answer under the service load."""
    strength, mesh = facts.strength, facts.mesh
    if strength is None or mesh is None or len(mesh.nodes) != len(strength.displacement_growing):
        return None
    grown = _grown(mesh, strength)
    degrees = float(np.degrees(np.sqrt(2 * grown)))
    if grown < _CAUTION:
        return Evidence(
            "stretch",
            f"{100 * grown:.2g}",
            "% of length",
            "good",
            f"The service load turns the part by {degrees:.2g}° at most: linear theory adds "
            f"{100 * grown:.2g} % to its "
            "lengths.",
            "strength",
        )
    return Evidence(
        "stretch",
        f"{100 * grown:.2g}",
        "% of length",
        "bad" if grown > _BAD else "caution",
        f"The service load turns the part by {degrees:.2g}°, and linear theory makes it "
        f"{100 * grown:.2g} % longer, which it "
        "is not. Read displacements and stress from a trace.",
        "trace",
    )
