"""Thirty recipes with sizes drawn at random: mesh against the exact body in volume, centroid and
second moments; whole, well shaped."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from labilis.mechanics.blocks import ShellBlock, SolidBlock
from labilis.mechanics.shell import smooth_triads
from labilis.mechanics.solid_families import family
from labilis.mesh import Mesh, measure_quality, mesh_part
from labilis.shape import BodyShape, PartShape
from tests.shape.test_recipes import part, strut
from validation.recipes import flat, mm, shell

Make = Callable[[float, float, float], dict[str, Any]]  # width, thickness, length -> recipe


def _strut(shape: str, **sizes: Callable[[float, float], float]) -> Make:
    return lambda w, t, length: strut(
        shape, length, **{name: size(w, t) for name, size in sizes.items()}
    )["recipe"]


def _polygon(*corners: tuple[float, float]) -> Make:
    return lambda w, t, length: {
        "kind": "strut",
        "length": mm(length),
        "section": {"shape": "polygon", "corners": [[mm(w * x), mm(w * y)] for x, y in corners]},
    }


def _folded(*profile: tuple[float, float], bend: float = 1.5) -> Make:
    return lambda w, t, length: {
        "kind": "folded sheet",
        "profile": [[mm(w * x), mm(w * y)] for x, y in profile],
        "thickness": mm(t),
        "bend": mm(bend * t),
        "length": mm(length),
    }


def _plate(*openings: dict[str, float], corner: float = 0.0) -> Make:
    def make(w: float, t: float, length: float) -> dict[str, Any]:
        recipe = flat(length, w, t)
        recipe["openings"] = [
            {
                "x": mm(o["x"] * length),
                "y": mm(o["y"] * w),
                "diameter": mm(o["d"] * w),
                **({"length": mm(o["l"] * w), "angle": f"{o['a']} deg"} if "l" in o else {}),
            }
            for o in openings
        ]
        if corner:
            recipe["outline"][2]["radius"] = mm(corner * w)
        return recipe

    return make


def _rib(top: float, curve: float) -> Make:
    return lambda w, t, length: {
        "kind": "rib",
        "width": mm(length),
        "height": mm(w),
        "top": mm(top * length),
        "curve": mm(curve * w),
        "thickness": mm(t),
    }


def _block(**more: Callable[[float], list[dict[str, str]]]) -> Make:
    return lambda w, t, length: {
        "kind": "block",
        "width": mm(w),
        "height": mm(0.7 * w),
        "depth": mm(0.3 * w),
        **{name: make(w) for name, make in more.items()},
    }


def _w(share: float) -> Callable[[float, float], float]:
    return lambda w, t: share * w


def _t(share: float) -> Callable[[float, float], float]:
    return lambda w, t: share * t


THIN: dict[str, Make] = {
    "flat": _strut("flat", width=_w(1), thickness=_t(1)),
    "round tube": _strut("round tube", diameter=_w(1), thickness=_t(1)),
    "square tube": _strut("square tube", width=_w(1), thickness=_t(1)),
    "square tube with bends": _strut("square tube", width=_w(1), thickness=_t(1), radius=_t(2)),
    "rectangular tube": _strut("rectangular tube", width=_w(1), height=_w(1.6), thickness=_t(1)),
    "rectangular tube with bends": _strut(
        "rectangular tube", width=_w(1), height=_w(1.6), thickness=_t(1), radius=_t(2)
    ),
    "angle": _strut("angle", width=_w(1), height=_w(1.2), thickness=_t(1)),
    "angle with bend": _strut(
        "angle", width=_w(1), height=_w(1.2), thickness=_t(1), radius=_t(1.5)
    ),
    "double angle": _strut("double angle", width=_w(1), height=_w(1), thickness=_t(1), gap=_t(3)),
    "channel": _strut("channel", width=_w(0.6), height=_w(1), thickness=_t(1)),
    "channel with bends": _strut(
        "channel", width=_w(0.6), height=_w(1), thickness=_t(1), radius=_t(1)
    ),
    "I": _strut("I", width=_w(0.8), height=_w(1.2), thickness=_t(1), web=_t(0.8)),
    "T": _strut("T", width=_w(0.8), height=_w(1.2), thickness=_t(1), web=_t(0.8)),
    "hat": _strut("hat", width=_w(1), height=_w(0.6), flange=_w(0.4), thickness=_t(1)),
    "hat with bends": _strut(
        "hat", width=_w(1), height=_w(0.6), flange=_w(0.4), thickness=_t(1), radius=_t(1)
    ),
    "folded angle": _folded((1, 0), (0, 0), (0, 1)),
    "folded channel": _folded((0.6, 0), (0, 0), (0, 1), (0.6, 1)),
    "folded Z": _folded((-0.5, 0), (0, 0), (0, 1), (0.5, 1)),
    "folded slant": _folded((1, 0), (0, 0), (0.7, 0.9)),
    "plate": _plate(),
    "plate with a round corner": _plate(corner=0.3),
    "plate with a hole": _plate({"x": 0.5, "y": 0.5, "d": 0.4}),
    "plate with holes and a slot": _plate(
        {"x": 0.25, "y": 0.4, "d": 0.2}, {"x": 0.7, "y": 0.5, "d": 0.2, "l": 0.3, "a": 30}
    ),
    "triangle rib": _rib(0.0, 0.0),
    "trapezoid rib": _rib(0.3, 0.0),
    "hollow rib": _rib(0.2, 0.1),
}
THICK: dict[str, Make] = {
    "round": _strut("round", diameter=_w(0.5)),
    "square": _strut("square", width=_w(0.5)),
    "polygon": _polygon((0, 0), (0.6, 0), (0.8, 0.4), (0.3, 0.7)),
    "block": _block(),
    "block with bores": _block(
        bores=lambda w: [{"x": mm(0.2 * w), "y": "0 mm", "diameter": mm(0.2 * w)}]
    ),
    "block with a pocket": _block(
        pockets=lambda w: [
            {
                "x": "0 mm",
                "y": "0 mm",
                "width": mm(0.4 * w),
                "height": mm(0.3 * w),
                "depth": mm(0.1 * w),
                "radius": mm(0.03 * w),
            }
        ]
    ),
}
SIZES = st.tuples(st.floats(30, 80), st.floats(1.0, 3.0), st.floats(90, 200))


def moments(pieces: list[tuple[np.ndarray, np.ndarray]]) -> tuple[float, np.ndarray, np.ndarray]:
    """(amount, centroid, second moments about it) of points (k, 3) with weights (k,)."""
    points, weights = (np.concatenate([piece[k] for piece in pieces]) for k in (0, 1))
    centre = weights @ points / weights.sum()
    return (
        float(weights.sum()),
        centre,
        np.einsum("k,ki,kj->ij", weights, points - centre, points - centre),
    )


def of_mesh(mesh: Mesh) -> tuple[float, np.ndarray, np.ndarray]:
    pieces = []
    for cell in mesh.cells:
        places = mesh.nodes[cell.elements]
        if cell.thickness is not None:
            triads = smooth_triads(places, cell.elements)
            geometry = ShellBlock(
                mesh.nodes, cell.elements, mesh.turn_of, cell.thickness, triads, 1.0, 0.3
            ).geometry
            weight, values = geometry.area * cell.thickness[:, None], geometry.forms.values
        else:
            weight, values = (
                SolidBlock(mesh.nodes, cell.elements, 1.0, 0.3).geometry.weight,
                family(cell.elements.shape[1]).values,
            )
        pieces.append((np.einsum("gn,mnx->mgx", values, places).reshape(-1, 3), weight.ravel()))
    return moments(pieces)


def of_body(
    shapes: list[Any], sheet: BodyShape | None = None
) -> tuple[float, np.ndarray, np.ndarray]:
    """The same of exact solids, or of sheets with their thickness."""
    from OCP.BRepGProp import BRepGProp
    from OCP.GProp import GProp_GProps

    rows = []
    for number, shape in enumerate(shapes):
        found = GProp_GProps()
        (BRepGProp.VolumeProperties_s if sheet is None else BRepGProp.SurfaceProperties_s)(
            shape, found
        )
        scale = 1.0 if sheet is None else float(sheet.faces.thickness[number])
        matrix, centre = found.MatrixOfInertia(), found.CentreOfMass()
        inertia = scale * np.array([[matrix.Value(i, j) for j in (1, 2, 3)] for i in (1, 2, 3)])
        place = np.array([centre.X(), centre.Y(), centre.Z()])
        rows.append(
            (scale * abs(found.Mass()), place, 0.5 * np.trace(inertia) * np.eye(3) - inertia)
        )
    amount = sum(row[0] for row in rows)
    centre = sum(row[0] * row[1] for row in rows) / amount
    second = sum(row[2] + row[0] * np.outer(row[1] - centre, row[1] - centre) for row in rows)
    return amount, centre, second


def agree(
    found: tuple[float, np.ndarray, np.ndarray], exact: tuple[float, np.ndarray, np.ndarray]
) -> None:
    """Within half a per cent; the centroid of the radius of gyration, second moments of the
    largest."""
    assert found[0] == pytest.approx(exact[0], rel=5e-3)
    assert np.linalg.norm(found[1] - exact[1]) < 5e-3 * np.sqrt(np.trace(exact[2]) / exact[0])
    assert np.abs(found[2] - exact[2]).max() < 5e-3 * np.abs(exact[2]).max()
    for axis in range(3):
        if exact[2][axis, axis] > 0.02 * np.trace(exact[2]):
            assert found[2][axis, axis] == pytest.approx(exact[2][axis, axis], rel=5e-3)


def built(recipe: dict[str, Any], mesh_as: str, size: float) -> tuple[PartShape, Mesh]:
    made = part(shell("a", recipe, mesh_as=mesh_as))
    return made, mesh_part(made, size)


@pytest.mark.parametrize("name", [*THIN, *THICK])
@given(sizes=SIZES)
@settings(max_examples=2, deadline=None, derandomize=True)
def test_solids_of_recipes(name: str, sizes: tuple[float, float, float]) -> None:
    made, mesh = built({**THIN, **THICK}[name](*sizes), "solid", sizes[0] / 6)
    agree(of_mesh(mesh), of_body([solid.solid for solid in made.solids]))
    assert measure_quality(mesh, made.view.thickness).shape.min() > 0.02
    closed = sum(
        np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]).sum(axis=0)
        for p in (mesh.nodes[mesh.triangles[:, :3]],)
    )
    assert np.abs(closed).max() < 1e-6 * sizes[0] ** 2, "the skin has no gap"


@pytest.mark.parametrize("name", list(THIN))
@given(sizes=SIZES)
@settings(max_examples=2, deadline=None, derandomize=True)
def test_shells_of_recipes(name: str, sizes: tuple[float, float, float]) -> None:
    made, mesh = built(THIN[name](*sizes), "shell", sizes[0] / 6)
    assert made.sheets is not None
    agree(of_mesh(mesh), of_body(list(made.sheets.face_handles), made.sheets))
    solid = of_body(
        [body.solid for body in part(shell("a", THIN[name](*sizes), mesh_as="solid")).solids]
    )
    assert of_mesh(mesh)[0] == pytest.approx(solid[0], rel=0.03), (
        "corners of two walls count once in the solid"
    )
    assert measure_quality(mesh, made.view.thickness).shape.min() > 0.15
    sides = np.concatenate(
        [
            np.stack([cell.elements, np.roll(cell.elements, -1, axis=1)], axis=2).reshape(-1, 2)
            for cell in mesh.cells
        ]
    )
    unique, count = np.unique(np.sort(sides, axis=1), axis=0, return_counts=True)
    rim = np.flatnonzero(made.sheets.edges.faces[:, 1] < 0)
    border = np.unique(np.sort(mesh.segments[np.isin(mesh.segment_edge, rim)], axis=1), axis=0)
    assert {tuple(pair) for pair in unique[count == 1]} == {tuple(pair) for pair in border}, (
        "free sides lie on the rim only"
    )
