"""Balls, lofts and other free-form faces: nearest places, charts, skins, and walls that shells
cannot stand for."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from labilis.mesh.sheets import mesh_sheets
from labilis.mesh.sizes import skin_sizes
from labilis.mesh.skin import crossing, make_skin
from labilis.model import LabilisError
from labilis.shape import build_body
from labilis.shape.free_surface import FreeSurface
from labilis.shape.midsurface import find_midsurface
from labilis.shape.part import fuse_sheets
from labilis.shape.step import solids_of
from validation.corpus import drawing as d


def body_of(shape: Any) -> Any:
    return build_body(solids_of(shape)[0])


def twisted(width: float, top: float, length: float, wall: float) -> Any:
    """A tube from a square to a square that stands on its corner."""

    def square(half: float, z: float) -> list[tuple[float, float, float]]:
        return [(half, -half, z), (half, half, z), (-half, half, z), (-half, -half, z)]

    def diamond(half: float, z: float) -> list[tuple[float, float, float]]:
        return [(half, 0, z), (0, half, z), (-half, 0, z), (0, -half, z)]

    return d.cut(
        *(
            d.loft([square(width / 2 - inset, 0), diamond(top / 2 - inset, length)])
            for inset in (0.0, wall)
        )
    )


@pytest.mark.parametrize(
    "shape",
    [
        twisted(60, 80, 140, 2.5),
        d.fuse(d.ball(20), d.cylinder(4, 60, (0, 0, 10)), unify=False),
        d.revolve([(10, 0), (14, 0), (20, 30), (16, 31)]),
    ],
    ids=["loft", "ball", "revolved"],
)
def test_nearest_places_are_those_of_the_kernel(shape: Any) -> None:
    """Against the kernel's own search, which is a hundred times a step: no place further off,
    for points on either side."""
    from OCP.BRep import BRep_Tool
    from OCP.gp import gp_Pnt
    from OCP.ShapeAnalysis import ShapeAnalysis_Surface

    body = body_of(shape)
    rng = np.random.default_rng(3)
    tessellation = body.tessellate(0.3, 0.3)
    for face in range(len(body.faces)):
        own = tessellation.points[np.unique(tessellation.triangles[tessellation.face == face])]
        points = (
            rng.dirichlet(np.ones(len(own)), 30) @ own * 0.2
            + 0.8 * own[rng.integers(len(own), size=30)]
            + rng.normal(size=(30, 3)) * 0.4
        )
        search = ShapeAnalysis_Surface(BRep_Tool.Surface_s(body.face_handles[face]))
        theirs = np.array(
            [
                (p.X(), p.Y(), p.Z())
                for p in (
                    search.Value(search.ValueOfUV(gp_Pnt(*map(float, point)), 1e-6))
                    for point in points
                )
            ]
        )
        ours = FreeSurface(body.face_handles[face]).nearest(points)
        assert (
            np.linalg.norm(ours - points, axis=1) <= np.linalg.norm(theirs - points, axis=1) + 1e-6
        ).all()
        assert all(
            search.ValueOfUV(gp_Pnt(*map(float, place)), 1e-9) is not None and search.Gap() < 1e-6
            for place in ours
        )


@pytest.mark.parametrize(("radius", "turn"), [(80.0, 0.0), (45.0, 63.0)])
def test_half_a_ball_as_shells(radius: float, turn: float) -> None:
    """However it stands: no folded element at its pole, every node used, its area within a per
    cent."""
    cap = d.cut(
        d.ball(radius),
        d.ball(radius - 2.0),
        d.box(4 * radius, 4 * radius, 2 * radius, (-2 * radius, -2 * radius, -2 * radius)),
    )
    body = body_of(d.turned(cap, (1, 2, 3), turn))
    found = find_midsurface(body, "cap")
    mesh = mesh_sheets(fuse_sheets([(found.made, 0)], ["cap"], {0}), radius / 10)
    area = 0.0
    for cell in mesh.cells:
        corners = mesh.nodes[cell.elements]
        parts = [
            corners[:, [0, 1, 2]],
            *([corners[:, [0, 2, 3]]] if cell.elements.shape[1] == 4 else []),
        ]
        normals = [np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]) for p in parts]
        area += sum(float(np.linalg.norm(n, axis=1).sum()) / 2 for n in normals)
        outward = corners.mean(axis=1) / np.linalg.norm(corners.mean(axis=1), axis=1)[:, None]
        signs = [np.sign((n * outward).sum(axis=1)) for n in normals]
        assert (
            all((np.abs(s) > 0).all() for s in signs) and len(np.unique(np.concatenate(signs))) == 1
        )
        ratio = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2)
        assert (ratio.min(axis=1) > 0.15 * ratio.max(axis=1)).all()
    assert area == pytest.approx(2 * np.pi * (radius - 1.0) ** 2, rel=0.01)
    assert len(np.unique(np.concatenate([cell.elements.ravel() for cell in mesh.cells]))) == len(
        mesh.nodes
    )
    assert np.linalg.norm(mesh.nodes, axis=1) == pytest.approx(
        radius - 1.0, rel=1e-4
    )  # walls are found by rays on triangles
    assert (mesh.segments[:, 0] != mesh.segments[:, 1]).all()


@pytest.mark.parametrize(
    ("width", "length", "wall"),
    [(73.0, 183.0, 2.5), pytest.param(56.0, 210.0, 2.1, marks=pytest.mark.full)],
)
def test_the_skin_of_a_twisted_tube_does_not_fold(width: float, length: float, wall: float) -> None:
    """Points of its drawing that lie near an edge are merged into the edge, and have to come to
    lie on it."""
    body = body_of(twisted(width, 1.3 * width, length, wall))
    surface = body.tessellate(0.02 * wall, 0.25)
    skin = make_skin(body, surface, skin_sizes(body, surface, 2.2 * wall, ()))
    assert len(crossing(skin.points, skin.triangles)) == 0
    for edge in range(len(body.edges)):
        nodes = np.unique(skin.segments[skin.edge == edge])
        assert (
            np.abs(body.project_to_edge(edge, skin.points[nodes]) - skin.points[nodes]).max()
            < 0.05 * wall
        )


def test_free_form_walls_that_meet_at_an_angle_are_no_shells() -> None:
    """Each would be moved inward by itself: they would stand beside one another by a gap."""
    with pytest.raises(LabilisError, match="free-form walls that meet at an angle"):
        find_midsurface(body_of(twisted(60, 80, 140, 2.5)), "tube")
