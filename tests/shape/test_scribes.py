"""Scribes: faces divided without losing anything, named, found again, meshed on."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from labilis.analysis.regions import region_nodes
from labilis.mesh import mesh_part
from labilis.model import LabilisError, Pick, Region, load_project
from labilis.shape import PartShape, build_part, find_region

PLATE = {
    "kind": "plate",
    "thickness": "3 mm",
    "outline": [
        {"x": x, "y": y}
        for x, y in (("0 mm", "0 mm"), ("200 mm", "0 mm"), ("200 mm", "120 mm"), ("0 mm", "120 mm"))
    ],
}
TUBE = {
    "kind": "strut",
    "length": "200 mm",
    "section": {"shape": "round tube", "diameter": "40 mm", "thickness": "2 mm"},
}


def scribed(
    mesh_as: str, scribes: list[dict[str, Any]], recipe: dict[str, Any] = PLATE, **more: Any
) -> tuple[Any, PartShape]:
    project = load_project(
        {
            "pieces": [{"name": "plate", "mesh_as": mesh_as, "recipe": recipe}],
            "scribes": scribes,
            **more,
        }
    )
    return project, build_part(project, {})


def nodes_of(part: PartShape, *names: str, size: float = 12.0) -> np.ndarray:
    mesh = mesh_part(part, size)
    return np.asarray(mesh.nodes[region_nodes(Region(name="x", names=names), part.view, mesh)])


@pytest.mark.parametrize(
    ("mesh_as", "face", "z"), [("shell", "plate/sheet", 0.0), ("solid", "plate/top", 1.5)]
)
def test_a_line_crosswise_has_nodes_all_along(mesh_as: str, face: str, z: float) -> None:
    _, plain = scribed(mesh_as, [])
    face = str(plain.view.faces.name[int(np.argmax(plain.view.faces.area))])
    _, part = scribed(
        mesh_as,
        [{"kind": "line", "name": "mark", "face": face, "run": "crosswise", "offset": "30 mm"}],
    )
    places = nodes_of(part, "mark/line")
    assert np.allclose(places[:, 0], 130.0) and len(places) > 8
    assert places[:, 1].min() == pytest.approx(0.0, abs=1e-9) and places[
        :, 1
    ].max() == pytest.approx(120.0)
    assert np.ptp(places[:, 2]) < 1e-9
    assert part.view.faces.area.sum() == pytest.approx(plain.view.faces.area.sum(), rel=1e-12)
    assert part.view.volume == pytest.approx(plain.view.volume, rel=1e-12)
    rows = find_region(Region(name="x", names=(face,)), part.view).faces
    assert len(rows) == 2, "the name still means the whole face"


def test_a_washer_patch_lies_between_its_circles() -> None:
    _, plain = scribed("shell", [])
    face = str(plain.view.faces.name[0])
    _, part = scribed(
        "shell",
        [
            {
                "kind": "circle",
                "name": "pad",
                "face": face,
                "at": ["60 mm", "50 mm", "0 mm"],
                "diameter": "40 mm",
                "hole": "16 mm",
            }
        ],
    )
    match = find_region(Region(name="x", names=("pad/patch",)), part.view)
    assert part.view.faces.area[match.faces].sum() == pytest.approx(
        np.pi * (20**2 - 8**2), rel=1e-9
    )
    for word, radius in (("outer", 20.0), ("inner", 8.0)):
        places = nodes_of(part, f"pad/{word}", size=6.0)
        assert (
            np.allclose(np.hypot(places[:, 0] - 60, places[:, 1] - 50), radius, atol=1e-6)
            and len(places) >= 8
        )
    mesh = mesh_part(part, 6.0)
    assert sum(len(cell.elements) for cell in mesh.cells) > 300


def test_a_patch_on_a_solid_is_loaded_alone() -> None:
    _, part = scribed(
        "solid", [{"kind": "circle", "name": "spot", "face": "plate/top", "diameter": "30 mm"}]
    )
    match = find_region(Region(name="x", names=("spot/patch",)), part.view)
    assert part.view.faces.area[match.faces].sum() == pytest.approx(np.pi * 15**2, rel=1e-9)
    assert np.allclose(part.view.faces.centroid[match.faces][0][:2], (100, 60), atol=1e-6)
    places = nodes_of(part, "spot/patch", size=8.0)
    assert (np.hypot(places[:, 0] - 100, places[:, 1] - 60) < 15 + 1e-6).all()


def test_a_pick_made_before_the_scribe_means_the_whole_face_afterwards() -> None:
    _, plain = scribed("solid", [])
    row = int(np.argmax(plain.view.faces.area))
    pick = Pick(
        of="face",
        kind="plane",
        position=tuple(plain.view.faces.centroid[row]),
        size=float(plain.view.faces.area[row]),
        direction=tuple(plain.view.faces.direction[row]),
    )
    _, part = scribed(
        "solid", [{"kind": "line", "name": "mark", "face": str(plain.view.faces.name[row])}]
    )
    rows = find_region(Region(name="x", piece="plate", picks=(pick,)), part.view).faces
    assert part.view.faces.area[rows].sum() == pytest.approx(200 * 120) and len(rows) == 2
    half = Pick(
        of="face",
        kind="plane",
        position=tuple(part.view.faces.centroid[rows[0]]),
        size=float(part.view.faces.area[rows[0]]),
        direction=tuple(part.view.faces.direction[rows[0]]),
    )
    assert list(find_region(Region(name="x", piece="plate", picks=(half,)), part.view).faces) == [
        rows[0]
    ]


def test_a_scribe_on_what_another_scribe_left() -> None:
    first = {"kind": "line", "name": "mark", "face": "plate/top", "run": "crosswise"}
    _, part = scribed("solid", [first])
    rows = find_region(Region(name="x", names=("plate/top",)), part.view).faces
    faces, row = part.view.faces, rows[0]
    half = {
        "of": "face",
        "kind": "plane",
        "position": list(faces.centroid[row]),
        "size": float(faces.area[row]),
        "direction": list(faces.direction[row]),
    }
    _, part = scribed(
        "solid",
        [
            first,
            {"kind": "circle", "name": "on half", "pick": half, "diameter": "20 mm"},
            {"kind": "circle", "name": "in all", "face": "plate/top", "diameter": "60 mm"},
        ],
    )
    spot = find_region(Region(name="x", names=("on half/patch",)), part.view).faces
    assert part.view.faces.area[spot].sum() == pytest.approx(np.pi * 100) and len(spot) == 1
    both = find_region(Region(name="x", names=("in all/patch",)), part.view).faces
    assert part.view.faces.area[both].sum() == pytest.approx(np.pi * 900) and len(both) == 2
    assert part.view.volume == pytest.approx(200 * 120 * 3)


def test_lines_on_a_round_tube() -> None:
    _, plain = scribed("shell", [], TUBE)
    faces = sorted({str(name) for name in plain.view.faces.name})
    scribes = [
        {"kind": "line", "name": f"ring{k}", "face": face, "run": "crosswise", "offset": "20 mm"}
        for k, face in enumerate(faces)
    ]
    scribes += [
        {"kind": "line", "name": "along", "face": faces[0], "run": "lengthwise", "offset": "5 mm"}
    ]
    _, part = scribed("shell", scribes, TUBE)
    ring = nodes_of(part, *(f"ring{k}/line" for k in range(len(faces))), size=8.0)
    assert np.allclose(ring[:, 2], ring[0, 2]) and np.allclose(
        np.hypot(ring[:, 0], ring[:, 1]), 19.0
    )
    along = nodes_of(part, "along/line", size=8.0)
    assert np.ptp(along[:, 2]) == pytest.approx(200.0) and np.ptp(along[:, :2], axis=0).max() < 1e-6


def test_a_line_between_two_points_on_a_slope() -> None:
    _, part = scribed(
        "solid",
        [
            {
                "kind": "line",
                "name": "slant",
                "face": "plate/top",
                "between": [["0 mm", "0 mm", "1.5 mm"], ["200 mm", "120 mm", "1.5 mm"]],
            }
        ],
    )
    places = nodes_of(part, "slant/line")
    assert np.allclose(places[:, 1], 0.6 * places[:, 0], atol=1e-6) and np.ptp(
        places[:, 0]
    ) == pytest.approx(200)


@pytest.mark.parametrize(
    ("scribe", "words"),
    [
        ({"kind": "line", "face": "plate/top", "offset": "70 mm"}, "does not cross"),
        ({"kind": "line", "face": "plate/roof"}, "lost its face"),
        (
            {"kind": "circle", "face": "plate/top", "diameter": "10 mm", "hole": "12 mm"},
            "make no ring",
        ),
        (
            {
                "kind": "line",
                "face": "plate/top",
                "between": [["0 mm", "0 mm", "0 mm"], ["0 mm", "0 mm", "9 mm"]],
            },
            "no line",
        ),
    ],
)
def test_bad_scribes_say_why(scribe: dict[str, Any], words: str) -> None:
    with pytest.raises(LabilisError, match=words) as caught:
        scribed("solid", [{"name": "mark", **scribe}])
    assert caught.value.where == "scribes/mark"


def test_a_name_with_a_slash_or_a_pieces_name_is_refused() -> None:
    for name in ("a/b", "plate"):
        with pytest.raises(LabilisError):
            scribed("solid", [{"name": name, "kind": "line", "face": "plate/top"}])
