"""Tiny features of a skin are merged: the surface stays closed and keeps its volume."""

import numpy as np
import pytest

from labilis.mesh.flips import improve, shapes
from labilis.mesh.sizes import skin_sizes
from labilis.mesh.skin import crossing, make_skin
from labilis.mesh.slivers import without_slivers
from labilis.mesh.tetrahedra import mesh_body
from labilis.shape import build_body
from labilis.shape.step import solids_of
from validation.corpus import drawing as d


def volume(points: np.ndarray, triangles: np.ndarray) -> float:
    return float(np.linalg.det(points[triangles]).sum() / 6)


def stepped(step: float):
    """A plate with a step of a fraction of a millimetre in one of its sides."""
    return build_body(
        solids_of(d.cut(d.box(90, 60, 4), d.box(30, 2 * step, 10, (30, -step, -1))))[0]
    )


@pytest.mark.parametrize("step", [0.01, 0.05, 0.2])
def test_a_step_in_a_side_goes_and_the_surface_stays_closed(step: float) -> None:
    body = stepped(step)
    surface = body.tessellate(0.1, 0.25)
    count = len(surface.points)
    points, triangles, face, segments, edge, moved = without_slivers(
        surface.points,
        np.full(count, 12.0),
        surface.triangles.astype(np.int64),
        surface.face.astype(np.int64),
        np.zeros((0, 2), dtype=np.int64),
        np.zeros(0, dtype=np.int64),
    )
    sides = np.sort(triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    assert (np.unique(sides, axis=0, return_counts=True)[1] == 2).all()
    assert volume(points, triangles) == pytest.approx(body.volume, rel=1e-2)
    corners = points[triangles]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    assert (
        (normal * body.faces.direction[face]).sum(axis=1) > 0.5 * np.linalg.norm(normal, axis=1)
    ).all()  # none is turned over
    assert (
        0 < moved <= 0.48
        and len(triangles) == len(face) < len(surface.triangles)
        and len(segments) == len(edge) == 0
    )


def test_what_is_not_tiny_stays() -> None:
    body = stepped(3.0)
    surface = body.tessellate(0.1, 0.25)
    _, triangles, *_, moved = without_slivers(
        surface.points,
        np.full(len(surface.points), 12.0),
        surface.triangles.astype(np.int64),
        surface.face.astype(np.int64),
        np.zeros((0, 2), dtype=np.int64),
        np.zeros(0, dtype=np.int64),
    )
    assert moved == 0 and len(triangles) == len(surface.triangles)


@pytest.mark.parametrize("step", [0.02, 0.3])
def test_a_solid_with_slivers_gets_few_and_well_shaped_elements(step: float) -> None:
    mesh = mesh_body(stepped(step), 12.0, 2)
    assert len(mesh.elements) < 3000 and not mesh.told
    assert shapes(mesh.nodes, mesh.elements[:, :4]).min() > 0.02


def test_sides_of_a_fillet_are_not_far_shorter_than_wanted() -> None:
    body = build_body(
        solids_of(d.rounded(d.box(60, 40, 300), 6.0, lambda m, v: abs(v[2]) > 0.9))[0]
    )
    surface = body.tessellate(0.3, 0.25)
    skin = make_skin(body, surface, skin_sizes(body, surface, 20.0, ()))
    assert len(crossing(skin.points, skin.triangles)) == 0
    sides = np.linalg.norm(
        skin.points[skin.triangles] - skin.points[np.roll(skin.triangles, 1, axis=1)], axis=2
    )
    assert sides.min() > 0.5


def test_walls_inside_stay_when_elements_are_turned() -> None:
    """Two flat tetrahedra across a wall between solids: turning them would join the solids."""
    rng = np.random.default_rng(5)
    from scipy.spatial import Delaunay

    inner = rng.uniform(0.05, 0.95, (60, 3))
    wall = np.concatenate([np.full((40, 1), 0.5), rng.uniform(0, 1, (40, 2))], axis=1)
    corners = np.array(
        [[x, y, z] for x in (0, 0.5, 1) for y in (0, 1) for z in (0, 1)], dtype=float
    )
    points = np.concatenate([corners, wall, inner])
    tets = Delaunay(points).simplices.astype(np.int64)
    flipped = np.linalg.det(points[tets[:, 1:]] - points[tets[:, :1]]) < 0
    tets[flipped] = tets[flipped][:, [1, 0, 2, 3]]
    sides = np.sort(tets[:, [[1, 2, 3], [0, 3, 2], [0, 1, 3], [0, 2, 1]]].reshape(-1, 3), axis=1)
    unique, count = np.unique(sides, axis=0, return_counts=True)
    on_wall = (np.abs(points[unique][:, :, 0] - 0.5) < 1e-12).all(axis=1)
    skin = unique[(count == 1) | on_wall]
    kept = unique[on_wall]
    new, skin_after, _ = improve(points, tets, skin, np.zeros(len(skin), dtype=np.int64))
    after = np.unique(
        np.sort(new[:, [[1, 2, 3], [0, 3, 2], [0, 1, 3], [0, 2, 1]]].reshape(-1, 3), axis=1), axis=0
    )
    known = {tuple(row) for row in after.tolist()}
    assert all(tuple(row) in known for row in kept.tolist())
    assert (shapes(points, new) > 0).all() and len(skin_after) > 0
