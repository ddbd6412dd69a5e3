"""Normals of shells at their nodes: those of the walls a bend leaves, not what a coarse mesh makes
of them."""

from __future__ import annotations

import math

import numpy as np
import pytest

from labilis.analysis.elements import make_blocks
from labilis.analysis.unknowns import make_numbering
from labilis.mechanics.blocks import ShellBlock
from labilis.mechanics.shell import smooth_triads, smoothed
from labilis.mesh import mesh_part
from labilis.model import load_project
from labilis.shape import build_part


def folded(turn: float, radius: str | None) -> list[ShellBlock]:
    """Shells of a sheet folded once by `turn` degrees."""
    a = math.radians(turn)
    profile = [(-40, 0), (0, 0), (40 * math.cos(a), 40 * math.sin(a))]
    recipe = {
        "kind": "folded sheet",
        "profile": [[f"{x:.9g} mm", f"{y:.9g} mm"] for x, y in profile],
        "thickness": "1 mm",
        "length": "60 mm",
        **({} if radius is None else {"bend": radius}),
    }
    steel = {"name": "steel", "youngs_modulus": "210 GPa", "poisson_ratio": "0.3"}
    piece = {"name": "sheet", "recipe": recipe, "material": "steel", "mesh_as": "shell"}
    project = load_project({"materials": [steel], "pieces": [piece]})
    part = build_part(project, {})
    mesh = mesh_part(part, 8.0)
    blocks, _ = make_blocks(project, part, mesh, make_numbering(mesh, []))
    return [block for block in blocks if isinstance(block, ShellBlock)]


def tilts(block: ShellBlock) -> np.ndarray:
    """(m,) largest angle, rad, between an element's own normal and those at its nodes."""
    sides = block.nodes[block.elements[:, [1, -1]]] - block.nodes[block.elements[:, :1]]
    flat = np.cross(sides[:, 0], sides[:, 1])
    flat /= np.linalg.norm(flat, axis=1, keepdims=True)
    away = np.cross(block.triads[:, :, 2], flat[:, None])
    return np.asarray(np.linalg.norm(away, axis=2).max(axis=1))


@pytest.mark.parametrize("turn", [5.0, 20.0, 30.0])
@pytest.mark.parametrize("radius", [None, "12 mm"])
def test_walls_keep_their_own_normals_beside_a_shallow_fold(
    turn: float, radius: str | None
) -> None:
    """Averaged over what lies beside them, normals of walls were tilted by half of a sharp fold, or
    half of the first element of a bend, and the walls came out as if they were curved there."""
    blocks = folded(turn, radius)
    tilt = np.concatenate([tilts(block) for block in blocks])
    bent = np.concatenate([np.abs(block.geometry.curved).max(axis=(1, 2)) for block in blocks])
    flat = tilt < 1e-9
    assert flat.sum() > 40
    assert bent[flat].max() < 1e-9
    assert flat.all() == (radius is None)
    if radius is not None:  # a bend leaves its walls along their tangents
        assert tilt[~flat].max() == pytest.approx(math.radians(turn) / 2, rel=0.6)
        assert bent[~flat].min() > 1e-3


def test_all_kinds_of_elements_are_averaged_together() -> None:
    """A cylinder of quadrilaterals and of triangles side by side."""
    angle, z = np.meshgrid(np.linspace(0, 1.2, 7), [0.0, 10.0, 20.0], indexing="ij")
    nodes = np.stack([30 * np.cos(angle), 30 * np.sin(angle), z], axis=-1).reshape(-1, 3)
    a = (3 * np.arange(6)[:, None] + np.arange(2)).ravel()
    quads = np.stack([a, a + 3, a + 4, a + 1], axis=1)
    left, right = quads[:6], quads[6:]
    triangles = np.concatenate([right[:, [0, 1, 2]], right[:, [0, 2, 3]]])
    mixed = smoothed([nodes[left], nodes[triangles]], [left, triangles], 0.56)
    radial = nodes * np.array([1, 1, 0]) / 30.0
    inner = np.isclose(angle.ravel(), 0.6)
    at = inner[left]
    assert at.any()
    assert mixed[0][:, :, 2][at] == pytest.approx(radial[left][at], abs=1e-9)
    alone = smooth_triads(nodes[left], left, 0.56)[:, :, 2][at]
    assert not np.allclose(alone, radial[left][at], atol=1e-3)
