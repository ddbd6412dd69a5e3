"""Solids that touch in one conforming mesh: shared nodes, whole faces on both sides, what is
released stays apart."""

from typing import Any

import numpy as np
import pytest

from labilis.mesh import find_bonds, mesh_part
from labilis.mesh.fused import mesh_fused
from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, stage_keys
from labilis.shape import build_body, build_part
from labilis.shape.fuse import fuse_solids, touching
from labilis.shape.step import solids_of
from validation.recipes import case_of, flat, force, hold, mm, region, shell

STEEL = {
    "name": "steel",
    "youngs_modulus": "210 GPa",
    "poisson_ratio": "0",
    "yield_strength": "100 MPa",
}
BASE = shell("base", flat(60, 40, 6), mesh_as="solid")
POST = shell("post", flat(20, 30, 30), (20, 5, 6), mesh_as="solid")
SIDES = np.array([[1, 2, 3], [0, 2, 3], [0, 1, 3], [0, 1, 2]])


def standing(*more: dict[str, Any], cut: bool = False) -> Any:
    """A post on a base, face to face."""
    base = build_part(load_project({"materials": [STEEL], "pieces": [BASE]}), {}).view.extents[2, 1]
    post = build_part(load_project({"materials": [STEEL], "pieces": [POST]}), {}).view.extents[2, 0]
    at = [mm(20), mm(5), mm(6 + base - post)]
    pieces = [BASE, {**POST, "place": {"at": at, "turns": []}}, *more]
    if cut:
        pieces = [
            {
                **piece,
                "cuts": [{"along": "z", "diameter": mm(8), "x": mm(30), "y": mm(20), "z": mm(0)}],
            }
            for piece in pieces
        ]
    return build_part(load_project({"materials": [STEEL], "pieces": pieces}), {})


def volumes(nodes: np.ndarray, tets: np.ndarray) -> np.ndarray:
    corner = nodes[tets[:, :4]]
    return np.linalg.det(corner[:, 1:] - corner[:, :1]) / 6


@pytest.mark.parametrize("cut", [False, True])
@pytest.mark.parametrize("order", [1, 2])
def test_one_mesh_of_two_solids(order: int, cut: bool) -> None:
    part = standing(cut=cut)
    mesh = mesh_part(part, 6.0, order, swept=False)
    (cell,) = mesh.cells
    assert (
        len(np.unique(np.round(mesh.nodes, 6), axis=0))
        == len(mesh.nodes)
        == len(np.unique(cell.elements))
    )
    size = volumes(mesh.nodes, cell.elements)
    assert (size > 0).all()
    for body, solid in enumerate(part.solids):
        assert size[cell.body == body].sum() == pytest.approx(
            solid.view.volume, rel=3e-3 if cut else 1e-9
        )
    sides, count = np.unique(
        np.sort(cell.elements[:, SIDES].reshape(-1, 3), axis=1), axis=0, return_counts=True
    )
    assert count.max() == 2
    listed, times = np.unique(np.sort(mesh.triangles[:, :3], axis=1), axis=0, return_counts=True)
    outer = {tuple(row) for row in sides[count == 1].tolist()}
    assert {
        tuple(row) for row in listed[times == 1].tolist()
    } == outer  # skin once, the face in common for both
    shared = listed[times == 2]
    corners = mesh.nodes[shared]
    area = (
        0.5
        * np.linalg.norm(
            np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1
        ).sum()
    )
    assert area == pytest.approx(20 * 30 - (np.pi * 16 if cut else 0), rel=5e-3)
    bonds = find_bonds(mesh)
    assert len(bonds.nodes) == 0 and len(bonds.missed) == 0


def test_faces_keep_their_area_and_look_outward() -> None:
    part = standing(cut=True)
    mesh = mesh_part(part, 5.0, 2, swept=False)
    corners = mesh.nodes[mesh.triangles[:, :3]]
    vector = 0.5 * np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.bincount(
        mesh.triangle_face, np.linalg.norm(vector, axis=1), minlength=len(part.view.faces)
    )
    assert area == pytest.approx(part.view.faces.area, rel=2e-2)
    through = np.einsum("ki,ki->k", corners.mean(axis=1), vector) / 3  # divergence of x/3
    for body, solid in enumerate(part.solids):
        mine = part.view.faces.body[mesh.triangle_face] == body
        assert through[mine].sum() == pytest.approx(solid.view.volume, rel=3e-3)
    lengths = np.bincount(
        mesh.segment_edge,
        np.linalg.norm(np.diff(mesh.nodes[mesh.segments[:, :2]], axis=1)[:, 0], axis=1),
        minlength=len(part.view.edges),
    )
    assert lengths == pytest.approx(part.view.edges.length, rel=3e-2)
    mids = mesh.triangles[:, 3:]
    middle = corners[:, [[0, 1], [1, 2], [2, 0]]].mean(axis=2)
    assert (
        np.abs(mesh.nodes[mids] - middle).max() < 0.5
    )  # each mid-side between its own ends, also of turned triangles


def test_a_core_inside_another_solid_is_its_own() -> None:
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
    from OCP.gp import gp_Pnt

    core = BRepPrimAPI_MakeBox(gp_Pnt(5, 5, 5), 10.0, 10.0, 10.0).Solid()
    around = BRepAlgoAPI_Cut(BRepPrimAPI_MakeBox(20.0, 20.0, 20.0).Solid(), core).Shape()
    solids = [build_body(solids_of(around)[0]), build_body(core)]
    assert touching(solids) == [[0, 1]]
    fused = fuse_solids(solids)
    assert fused is not None
    mesh = mesh_fused(
        fused,
        solids,
        5.0,
        1,
        [[], []],
        [(0, 0), (len(solids[0].faces), len(solids[0].edges))],
        [3, 7],
    )
    (cell,) = mesh.cells
    size = volumes(mesh.nodes, cell.elements)
    assert size[cell.body == 7].sum() == pytest.approx(1000, rel=1e-9) and size[
        cell.body == 3
    ].sum() == pytest.approx(7000, rel=1e-9)


def test_a_zone_makes_its_own_end_finer() -> None:
    part = standing()
    top = np.flatnonzero((part.view.faces.body == 1) & (part.view.faces.direction[:, 2] > 0.9))
    plain, zoned = (
        mesh_part(part, 8.0, 1, zones, swept=False)
        for zones in ([], [(top, np.zeros(0, dtype=np.int64), 2.0)])
    )
    assert len(zoned.cells) == 1 and zoned.count > 3 * plain.count


def test_a_released_joint_stays_open() -> None:
    part = standing()
    mesh = mesh_part(part, 6.0, 1, apart=frozenset({(0, 1)}), swept=False)
    (cell,) = mesh.cells
    nodes = [np.unique(cell.elements[cell.body == body]) for body in (0, 1)]
    assert (
        len(np.intersect1d(*nodes)) == 0 and len(find_bonds(mesh, frozenset({(0, 1)})).nodes) == 0
    )


def test_a_third_solid_far_away_is_meshed_by_itself() -> None:
    far = shell("far", flat(10, 10, 5), (200, 0, 0), mesh_as="solid")
    part = standing(far)
    mesh = mesh_part(part, 6.0, 1, swept=False)
    for body, solid in enumerate(part.solids):
        sizes = [volumes(mesh.nodes, cell.elements[cell.body == body]).sum() for cell in mesh.cells]
        assert sum(sizes) == pytest.approx(solid.view.volume, rel=1e-9)


def test_solids_that_touch_share_nodes_although_each_could_be_swept() -> None:
    part = standing()
    mesh = mesh_part(part, 6.0, 2)
    assert {cell.elements.shape[1] for cell in mesh.cells} == {10} and len(
        find_bonds(mesh).nodes
    ) == 0
    alone = mesh_part(part, 6.0, 2, apart=frozenset({(0, 1)}))
    nodes = [
        np.unique(
            np.concatenate([cell.elements[cell.body == body].ravel() for cell in alone.cells])
        )
        for body in (0, 1)
    ]
    assert len(np.intersect1d(*nodes)) == 0


def test_a_bar_of_two_materials_gives_way_as_both_do() -> None:
    """End to end pull with Poisson's ratio 0: u = F (l1/E1 + l2/E2)/A, without the local error
    of a bond."""
    soft = {
        "name": "soft",
        "youngs_modulus": "70 GPa",
        "poisson_ratio": "0",
        "yield_strength": "100 MPa",
    }
    one, two = (
        shell("one", flat(50, 10, 10), mesh_as="solid"),
        shell("two", flat(30, 10, 10), (50, 0, 0), mesh_as="solid"),
    )
    model = {
        "labilis": 2,
        "materials": [soft, STEEL],
        "pieces": [one, {**two, "material": "soft"}],
        "mesh": {"size": "6 mm", "solids": "tetrahedra"},
        "regions": [region("foot", "one/side.4"), region("head", "two/side.2")],
        "supports": [hold("foot", "x", "y", "z")],
        **case_of(force("head", x=1000.0)),
    }
    project = load_project(model)
    results = Runner().run(Snapshot(project), Plan("strength"))
    keys = stage_keys(project, project.cases[0].name)
    moved = results[keys.strength].displacement_growing
    mesh = results[keys.mesh]
    assert len(mesh.bonded) == 0 and mesh.fused[0, :2].tolist() == [0, 1] and mesh.fused[0, 2] >= 9
    at_head = np.abs(mesh.nodes[:, 0] - 80) < 1e-6
    assert moved[: len(mesh.nodes)][at_head, 0] == pytest.approx(
        1000 / 100 * (50 / 210e3 + 30 / 70e3), rel=1e-6
    )


@pytest.mark.parametrize("number", [0, 1])
def test_edges_of_a_released_solid_are_its_own(number: int) -> None:
    """Where two solids touch without being joined, an edge in the contact belongs to the one it
    was picked on."""
    part = standing()
    mesh = mesh_part(part, 6.0, 2, swept=False, apart=frozenset({(0, 1)}))
    solid = part.solids[number]
    own = {
        body: np.unique(
            np.concatenate([cell.elements[cell.body == body].ravel() for cell in mesh.cells])
        )
        for body in (0, 1)
    }
    first = sum(len(part.solids[before].view.edges) for before in range(number))
    for edge in range(len(solid.view.edges)):
        nodes = mesh.region_nodes(np.zeros(0, dtype=np.int64), np.array([first + edge]))
        assert len(nodes) > 2 and np.isin(nodes, own[part.solid_bodies[number]]).all()
