"""STEP and STL files that are spoilt at random: read, proposed and meshed they end in an answer or
in a sentence, not in a defect; where the geometry library itself crashes, only the child process
does. 5,000 of each with ./test --full."""

from __future__ import annotations

import hashlib
import importlib
import re
import struct
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from functools import lru_cache
from multiprocessing import get_context
from pathlib import Path

import numpy as np
import pytest

from labilis.mesh.child_process import Ended, apart
from labilis.model import LabilisError, load_project
from labilis.run import Plan, Runner, Snapshot
from labilis.run.importing import new_project
from labilis.shape import build_part, list_bodies
from labilis.shape import part as part_of_shape
from labilis.shape.part import fuse_sheets
from labilis.shape.recipes.named_body import Made, Sheet
from labilis.shape.step import loose_faces, read_step
from tests.parts import bar_step, to_step

DEMOS = Path(__file__).parents[2] / "src/labilis/demos"
NUMBER, REFERENCE = re.compile(rb"-?\d+\.\d*(E-?\d+)?"), re.compile(rb"#\d+")
LONGEST = 90.0  # s


def box(x: float, y: float, z: float) -> np.ndarray:
    """Triangles (12, 3, 3) of a block."""
    corners = np.array([[a, b, c] for a in (0, x) for b in (0, y) for c in (0, z)], dtype=float)
    return corners[
        np.array(
            [
                (0, 1, 3),
                (0, 3, 2),
                (4, 6, 7),
                (4, 7, 5),
                (0, 4, 5),
                (0, 5, 1),
                (2, 3, 7),
                (2, 7, 6),
                (0, 2, 6),
                (0, 6, 4),
                (1, 5, 7),
                (1, 7, 3),
            ]
        )
    ]


def binary(triangles: np.ndarray) -> bytes:
    return (
        b"x" * 80
        + struct.pack("<I", len(triangles))
        + b"".join(
            struct.pack("<12f", 0, 0, 0, *corners.ravel()) + b"\0\0" for corners in triangles
        )
    )


def words(triangles: np.ndarray) -> bytes:
    facets = "".join(
        "facet normal 0 0 0\nouter loop\n"
        + "".join(f"vertex {x} {y} {z}\n" for x, y, z in corners)
        + "endloop\nendfacet\n"
        for corners in triangles
    )
    return f"solid a\n{facets}endsolid a\n".encode()


@lru_cache
def whole(kind: str) -> list[tuple[str, bytes]]:
    if kind == "stl":
        return [
            ("b.stl", binary(box(100, 20, 3))),
            ("a.stl", words(box(100, 20, 3))),
            ("c.stl", binary(np.concatenate([box(100, 20, 3), box(10, 10, 10) + [0, 0, 3]]))),
        ]
    return [
        ("bar.step", bar_step()),
        *((path.name, path.read_bytes()) for path in sorted(DEMOS.rglob("*.step"))),
    ]


def spoilt(data: bytes, rng: np.random.Generator) -> bytes:
    """Cut short, changed bytes, a piece gone, a piece twice, numbers that are none, references
    elsewhere."""
    way, place = int(rng.integers(6)), int(rng.integers(len(data)))
    if way == 0:
        return data[:place]
    if way == 1:
        changed = bytearray(data)
        for where in rng.integers(len(data), size=int(rng.integers(1, 20))):
            changed[where] = rng.integers(256)
        return bytes(changed)
    many = int(rng.integers(1, 400))
    if way == 2:
        return data[:place] + data[place + many :]
    if way == 3:
        return data[:place] + data[int(rng.integers(len(data))) :][:many] + data[place:]
    for _ in range(3):
        found = list((NUMBER if way == 4 else REFERENCE).finditer(data))
        if found:
            one, other = (found[int(k)] for k in rng.integers(len(found), size=2))
            text = (
                (b"1.E300", b"0.", b"-1.", b"NAN", b"1.E-300")[int(rng.integers(5))]
                if way == 4
                else other.group()
            )
            data = data[: one.start()] + text + data[one.end() :]
    return data


def outcome(data: bytes, name: str) -> str:
    """'ok', 'told', or what is wrong; in a child process, 'died' when the library ends it."""

    def read() -> str:
        try:
            project = new_project(
                list_bodies(data, name), name, sha := hashlib.sha256(data).hexdigest(), "spoilt"
            )
            Runner().run(Snapshot(project, {sha: data}), Plan("mesh"))
        except LabilisError as error:
            return "told" if error.what and error.remedy else f"no remedy: {error}"
        except MemoryError:
            return "told"
        except Exception as error:
            return f"defect: {type(error).__name__}: {error}"
        return "ok"

    try:
        return str(apart(read, LONGEST))
    except Ended as ended:
        return "endless" if "long" in str(ended) else "died"


def load() -> None:
    """What each of the child processes would load by itself."""
    importlib.import_module("labilis.run.preload")


@pytest.mark.parametrize(
    ("kind", "count"),
    [
        ("step", 6),
        ("stl", 10),
        *(
            pytest.param(kind, 5000, marks=[pytest.mark.full, pytest.mark.timeout(36000)])
            for kind in ("step", "stl")
        ),
    ],
)
def test_spoilt_geometry_is_told(kind: str, count: int) -> None:
    rng, counts = np.random.default_rng(count), Counter[str]()
    # a fork of this process would take along the windows and threads of the tests before it
    with ProcessPoolExecutor(1, get_context("spawn"), initializer=load) as clean:
        for number in range(count):
            name, data = whole(kind)[int(rng.integers(len(whole(kind))))]
            found = clean.submit(outcome, spoilt(data, rng), name).result()
            counts[found] += 1
            assert found in ("ok", "told", "died"), f"{kind} {number} ({name}): {found}"
    assert counts["told"] > count / 8, counts  # they are spoilt indeed
    assert kind == "step" or not counts["died"], counts


@pytest.mark.parametrize("number", ["1.E300", "NAN", "240.1.E5"])
def test_a_coordinate_that_is_none_is_told_before_it_is_read(number: str) -> None:
    data = re.sub(
        rb"CARTESIAN_POINT\('',\([^,]*",
        b"CARTESIAN_POINT('',(" + number.encode(),
        bar_step(),
        count=1,
    )
    with pytest.raises(LabilisError, match="coordinate"):
        list_bodies(data, "bar.step")


@pytest.mark.parametrize("value", [np.nan, np.inf, 1e30])
def test_corners_of_an_stl_that_are_no_numbers_are_told(value: float) -> None:
    triangles = box(100, 20, 3)
    triangles[3, 1, 2] = value
    with pytest.raises(LabilisError, match="no numbers"):
        list_bodies(binary(triangles), "b.stl")


def surface_step(*strips: tuple[float, float, float, float]) -> bytes:
    """Flat faces (x, y, length, width) that are joined where they touch."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_Sewing
    from OCP.gp import gp_Dir, gp_Pln, gp_Pnt

    sewing = BRepBuilderAPI_Sewing(1e-6)
    for x, y, length, width in strips:
        plane = gp_Pln(gp_Pnt(x, y, 0), gp_Dir(0, 0, 1))
        sewing.Add(BRepBuilderAPI_MakeFace(plane, 0, length, 0, width).Face())
    sewing.Perform()
    return to_step(sewing.SewedShape())


def sheet_area(data: bytes, thickness: str) -> float:
    bodies = list_bodies(data, "ribbon.step")
    sha = hashlib.sha256(data).hexdigest()
    project = new_project(bodies, "ribbon.step", sha, "ribbon")
    stated = project.model_dump(mode="json")
    stated["pieces"][0] |= {"mesh_as": "shell", "thickness": thickness}
    part = build_part(load_project(stated), {sha: data})
    assert part.sheets is not None
    return float(part.sheets.faces.area.sum())


def test_a_surface_narrower_than_it_is_thick_is_kept() -> None:
    """What would be a leftover of a mid-surface that was found is what was drawn."""
    assert sheet_area(surface_step((0, 0, 80, 1)), "2 mm") == pytest.approx(80)
    assert sheet_area(surface_step((0, 0, 80, 1), (0, 1, 80, 30)), "2 mm") == pytest.approx(2480)
    assert sheet_area(surface_step((0, 0, 80, 1), (0, 1, 80, 1)), "4 mm") == pytest.approx(160)


def test_walls_that_are_nothing_but_leftovers_are_refused() -> None:
    data = surface_step((0, 0, 80, 1), (0, 1, 80, 1))
    (_, ribbon), *_ = read_step(data, "ribbon.step")[0]
    made = Made(sheets=[Sheet(face, 4.0) for face in loose_faces(ribbon)])
    assert len(fuse_sheets([(made, 0)], ["ribbon"], set()).faces) == 2
    with pytest.raises(LabilisError, match="narrower than they are thick"):
        fuse_sheets([(made, 0)], ["ribbon"], {0})


def test_a_surface_without_area_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    """Damaged edges may leave a face that measures nothing."""
    row = part_of_shape.face_row
    monkeypatch.setattr(part_of_shape, "face_row", lambda face: row(face) | {"area": 0.0})
    with pytest.raises(LabilisError, match="has no area"):
        sheet_area(surface_step((0, 0, 80, 10)), "2 mm")
