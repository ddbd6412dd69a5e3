"""Recipes: exact volume, area and second moments against closed forms, names, placing, and what
is refused."""

from typing import Any

import numpy as np
import pytest
from hypothesis import assume, example, given, settings
from hypothesis import strategies as st

from labilis.mesh import mesh_part
from labilis.model import LabilisError, load_project
from labilis.shape import PartShape, build_part, find_region
from labilis.shape.profile import arc_of
from labilis.shape.recipes.sections import second_moments, section_shape
from validation.recipes import flat, mm, shell

PI = np.pi


def part(*pieces: dict[str, Any], **more: Any) -> PartShape:
    return build_part(
        load_project(
            {"labilis": 2, "materials": [{"name": "steel"}], "pieces": list(pieces), **more}
        ),
        {},
    )


def strut(
    shape: str, length: float = 300.0, mesh_as: str = "shell", **sizes: float
) -> dict[str, Any]:
    section = {"shape": shape, **{name: mm(value) for name, value in sizes.items()}}
    return shell("a", {"kind": "strut", "length": mm(length), "section": section}, mesh_as=mesh_as)


# shape, sizes, area, second moments about the centroid ∫x², ∫y² where a textbook gives them
SECTIONS = [
    ("flat", {"width": 40, "thickness": 3}, 120, (40**3 * 3 / 12, 40 * 27 / 12)),
    ("round", {"diameter": 20}, PI * 100, (PI * 10**4 / 4,) * 2),
    ("square", {"width": 20}, 400, (20**4 / 12,) * 2),
    (
        "round tube",
        {"diameter": 40, "thickness": 2},
        PI * (400 - 324),
        (PI * (20**4 - 18**4) / 4,) * 2,
    ),
    ("square tube", {"width": 40, "thickness": 2}, 1600 - 36**2, ((40**4 - 36**4) / 12,) * 2),
    (
        "rectangular tube",
        {"width": 40, "height": 60, "thickness": 3},
        2400 - 34 * 54,
        ((60 * 40**3 - 54 * 34**3) / 12, (40 * 60**3 - 34 * 54**3) / 12),
    ),
    ("angle", {"width": 40, "height": 50, "thickness": 3}, 3 * 87, None),
    ("double angle", {"width": 40, "height": 50, "thickness": 3, "gap": 8}, 6 * 87, None),
    (
        "channel",
        {"width": 30, "height": 60, "thickness": 2},
        60 * 30 - 28 * 56,
        (None, (30 * 60**3 - 28 * 56**3) / 12),
    ),
    (
        "I",
        {"width": 50, "height": 80, "thickness": 4, "web": 3},
        400 + 72 * 3,
        (2 * 4 * 50**3 / 12 + 72 * 27 / 12, (50 * 80**3 - 47 * 72**3) / 12),
    ),
    ("T", {"width": 50, "height": 60, "thickness": 4, "web": 3}, 200 + 56 * 3, None),
    (
        "hat",
        {"width": 60, "height": 30, "flange": 15, "thickness": 2},
        2 * (2 * 15 + 2 * 28 + 58),
        None,
    ),
]


@pytest.mark.parametrize(
    ("name", "sizes", "area", "moments"), SECTIONS, ids=[row[0] for row in SECTIONS]
)
def test_sections_against_closed_forms(name: str, sizes: dict, area: float, moments: Any) -> None:
    shape = section_shape(name, {key: float(value) for key, value in sizes.items()}, [])
    found, _, second = second_moments(shape)
    assert found == pytest.approx(area, rel=1e-4)
    for axis, expected in enumerate(moments or ()):
        if expected is not None:
            assert second[axis, axis] == pytest.approx(expected, rel=1e-3)
    solid = part(strut(name, mesh_as="solid", **sizes)).view
    assert solid.volume == pytest.approx(300 * found, rel=1e-4)
    if shape.walls:
        walls = sum(wall.thickness * sum(_length(run) for run in wall.runs) for wall in shape.walls)
        # a web that is carried on to the mid-line of a flange counts half of the flange's thickness
        # twice
        twice = (
            {"I": 1.0, "T": 0.5}.get(name, 0.0) * sizes["thickness"] * sizes.get("web", 0.0)
            if name in ("I", "T")
            else 0.0
        )
        assert walls - twice == pytest.approx(found, rel=5e-3)
        sheets = part(strut(name, **sizes))
        assert sheets.view.volume == pytest.approx(300 * (found + twice), rel=5e-3)


def _length(run: Any) -> float:
    if not run.bent:
        return float(np.linalg.norm(run.end - run.start))
    _, radius, _, sweep = arc_of(run)
    return radius * abs(sweep)


def _free_sides(mesh: Any) -> np.ndarray:
    """Middles of element sides that belong to one element only."""
    sides = np.concatenate(
        [
            np.stack([cell.elements, np.roll(cell.elements, -1, axis=1)], axis=2).reshape(-1, 2)
            for cell in mesh.cells
        ]
    )
    unique, count = np.unique(np.sort(sides, axis=1), axis=0, return_counts=True)
    return mesh.nodes[unique[count == 1]].mean(axis=1)


@settings(max_examples=12, deadline=None)
@example(60.0, 40.0, 12.0, 0.5, 25.0)  # a hole small beside the elements: eight sides
@given(
    st.floats(60, 300),
    st.floats(40, 200),
    st.floats(5, 15),
    st.floats(0.25, 0.75),
    st.floats(4, 30),
)
def test_plates_with_holes_mesh_without_gaps(
    x: float, y: float, radius: float, where: float, size: float
) -> None:
    assume(
        x * min(where, 1 - where) > radius + 1 and y / 2 > radius + 1
    )  # it must not touch the border
    hole = {"x": mm(x * where), "y": mm(y / 2), "diameter": mm(2 * radius)}
    made = part(shell("p", {**flat(x, y, 2.0), "openings": [hole]}))
    mesh = mesh_part(made, size)
    corners = mesh.nodes[mesh.triangles]
    area = (
        0.5
        * np.linalg.norm(
            np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1
        ).sum()
    )
    free = _free_sides(mesh)
    border = np.minimum.reduce([free[:, 0], x - free[:, 0], free[:, 1], y - free[:, 1]])
    rim = radius - np.linalg.norm(free[:, :2] - [x * where, y / 2], axis=1)
    assert (np.minimum(np.abs(border), np.abs(rim)) < 0.1 * radius).all()
    sides = int((np.abs(rim) < 0.1 * radius).sum())  # the hole is a regular polygon of this many
    assert sides >= 8 and area == pytest.approx(
        x * y - 0.5 * sides * radius**2 * np.sin(2 * PI / sides), rel=1e-6
    )


def test_folded_sheet_is_curved_at_its_bend_and_shares_its_edges() -> None:
    recipe = {
        "kind": "folded sheet",
        "profile": [("40 mm", "0 mm"), ("0 mm", "0 mm"), ("0 mm", "40 mm")],
        "thickness": "2 mm",
        "bend": "4 mm",
        "length": "120 mm",
    }
    made = part(shell("leg", recipe))
    mesh = mesh_part(made, 10.0)
    bend = np.flatnonzero(made.view.faces.name == "leg/bend.1")
    nodes = mesh.region_nodes(bend, np.zeros(0, dtype=np.int64))
    assert np.allclose(
        np.linalg.norm(mesh.nodes[nodes][:, :2] - 5.0, axis=1), 5.0, atol=1e-9
    )  # inside 4 plus half of 2
    assert (
        len(np.unique(np.round(mesh.nodes[nodes][:, 0], 6))) >= 4
    )  # three elements over the right angle
    along = _free_sides(mesh)
    at_end = (np.abs(along[:, 2]) < 1e-9) | (np.abs(along[:, 2] - 120) < 1e-9)
    at_side = (np.abs(along[:, 0] - 40) < 1e-9) | (np.abs(along[:, 1] - 40) < 1e-9)
    assert (at_end | at_side).all()


def test_tubes_look_outward() -> None:
    for name, sizes in (
        ("round tube", {"diameter": 40, "thickness": 2}),
        ("square tube", {"width": 40, "thickness": 2}),
    ):
        mesh = mesh_part(part(strut(name, length=60, **sizes)), 8.0)
        corners = mesh.nodes[mesh.triangles]
        normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        assert (np.einsum("ki,ki->k", normal[:, :2], corners.mean(axis=1)[:, :2]) > 0).all()


def test_names_copies_places_and_cuts() -> None:
    leg = {
        **strut("angle", width=40, height=40, thickness=2),
        "name": "leg",
        "copies": [
            {"kind": "mirror", "across": "x", "at": "250 mm"},
            {"kind": "line", "count": 2, "step": ["0 mm", "400 mm", "0 mm"]},
        ],
        "cuts": [{"along": "x", "y": "20 mm", "z": "150 mm", "diameter": "10 mm"}],
    }
    made = part(leg)
    assert made.bodies == ("leg.1", "leg.2", "leg.3", "leg.4")
    view = made.view
    assert np.allclose(view.extents[0], [1.0, 499.0])
    project = load_project(
        {
            "labilis": 2,
            "materials": [{"name": "steel"}],
            "pieces": [leg],
            "regions": [
                {"name": "feet", "names": ["leg/start"]},
                {"name": "one", "names": ["leg.2/start"]},
                {"name": "holes", "names": ["leg/cut"]},
                {"name": "lost", "names": ["leg/nothing"]},
            ],
        }
    )
    feet, one, holes, lost = (find_region(region, view) for region in project.regions)
    assert len(feet.edges) == 4 * len(one.edges) and not feet.lost
    assert view.edges.length[holes.edges].sum() == pytest.approx(4 * PI * 10, rel=1e-6)
    assert lost.lost == ("'leg/nothing'",)
    solid = part({**leg, "mesh_as": "solid"})
    faces = find_region(project.regions[2], solid.view).faces
    assert solid.view.faces.area[faces].sum() == pytest.approx(4 * PI * 10 * 2, rel=1e-6)


def test_sheets_that_cross_share_edges_and_turns_are_taken() -> None:
    made = part(
        shell("one", flat(100, 100, 2)),
        shell("two", flat(100, 100, 2), (0, 50, -50), (("x", 90.0),)),
    )
    shared = [
        row
        for row, name in enumerate(made.view.edges.name)
        if made.view.edges.length[row] == pytest.approx(100)
        and np.allclose(made.view.edges.centroid[row], [50, 50, 0])
    ]
    assert len(shared) == 1
    mesh = mesh_part(made, 20.0)
    one, two = (
        np.unique(np.concatenate([cell.elements[cell.body == k].ravel() for cell in mesh.cells]))
        for k in (0, 1)
    )
    assert len(np.intersect1d(one, two)) == 6


@pytest.mark.parametrize(
    ("piece", "where", "said"),
    [
        (
            shell(
                "p",
                {
                    **flat(100, 50, 2),
                    "outline": [
                        {"x": mm(x), "y": mm(y)} for x, y in ((0, 0), (100, 50), (100, 0), (0, 50))
                    ],
                },
            ),
            "pieces/p/recipe/outline",
            "crosses itself",
        ),
        (
            shell(
                "p",
                {
                    **flat(100, 50, 2),
                    "openings": [{"x": "95 mm", "y": "25 mm", "diameter": "20 mm"}],
                },
            ),
            "pieces/p/recipe/openings/0",
            "outside its plate",
        ),
        (shell("p", flat(100, 50, 0.0)), "pieces/p/recipe/thickness", "thickness is 0"),
        (
            shell(
                "p",
                {
                    "kind": "folded sheet",
                    "profile": [("40 mm", "0 mm"), ("0 mm", "0 mm"), ("0 mm", "40 mm")],
                    "thickness": "2 mm",
                    "bend": "-1 mm",
                    "length": "100 mm",
                },
            ),
            "pieces/p/recipe/bend",
            "below zero",
        ),
        (
            shell(
                "p",
                {
                    "kind": "folded sheet",
                    "profile": [("40 mm", "0 mm"), ("0 mm", "0 mm"), ("0 mm", "40 mm")],
                    "thickness": "2 mm",
                    "bend": "60 mm",
                    "length": "100 mm",
                },
            ),
            "pieces/p/recipe/profile",
            "does not fit a run",
        ),
        (
            strut("round tube", diameter=20, thickness=12),
            "pieces/a/recipe/section/thickness",
            "closes a section",
        ),
        (strut("round", diameter=20), "pieces/a/mesh_as", "not thin"),
        (
            shell(
                "b",
                {
                    "kind": "block",
                    "width": "40 mm",
                    "height": "40 mm",
                    "depth": "10 mm",
                    "pockets": [
                        {
                            "x": "0 mm",
                            "y": "0 mm",
                            "width": "20 mm",
                            "height": "20 mm",
                            "depth": "10 mm",
                        }
                    ],
                },
                mesh_as="solid",
            ),
            "pieces/b/recipe/pockets/0/depth",
            "through the block",
        ),
        (
            {
                **shell("p", flat(100, 50, 2)),
                "cuts": [{"along": "z", "x": "300 mm", "diameter": "5 mm"}],
            },
            "pieces/p/cuts/0",
            "misses",
        ),
    ],
)
def test_bad_recipes_are_refused(piece: dict, where: str, said: str) -> None:
    with pytest.raises(LabilisError) as caught:
        part(piece)
    assert caught.value.where == where
    assert said in caught.value.what


def test_block_with_a_pocket_and_bores() -> None:
    made = part(
        shell(
            "b",
            {
                "kind": "block",
                "width": "60 mm",
                "height": "40 mm",
                "depth": "20 mm",
                "bores": [{"x": "-20 mm", "y": "0 mm", "diameter": "8 mm"}],
                "pockets": [
                    {
                        "x": "10 mm",
                        "y": "0 mm",
                        "width": "20 mm",
                        "height": "20 mm",
                        "depth": "8 mm",
                        "radius": "3 mm",
                    }
                ],
            },
            mesh_as="solid",
        )
    )
    removed = PI * 16 * 20 + 8 * (400 - (4 - PI) * 9)
    assert made.view.volume == pytest.approx(48000 - removed, rel=1e-6)
    assert {"b/bore.1", "b/pocket.1", "b/top"} <= set(made.view.faces.name)


def test_ribs_and_slots() -> None:
    rib = part(
        shell(
            "r",
            {
                "kind": "rib",
                "width": "60 mm",
                "height": "40 mm",
                "top": "20 mm",
                "thickness": "3 mm",
            },
        )
    )
    assert rib.view.volume == pytest.approx(3 * 40 * 40, rel=1e-9)
    plate = part(
        shell(
            "p",
            {
                **flat(100, 60, 2),
                "openings": [
                    {
                        "x": "50 mm",
                        "y": "30 mm",
                        "diameter": "10 mm",
                        "length": "20 mm",
                        "angle": "30 deg",
                    }
                ],
            },
        )
    )
    assert plate.view.volume == pytest.approx(2 * (6000 - 200 - PI * 25), rel=1e-9)
