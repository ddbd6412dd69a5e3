"""Plates of DXF outlines: areas against closed forms, the same part in other units and entities,
drawings that are no outline."""

from __future__ import annotations

import io
import json
import math
from pathlib import Path
from typing import Any

import ezdxf
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from typer.testing import CliRunner

from labilis.cli.main import app
from labilis.model import (
    CaseLoad,
    Criteria,
    ForceLoad,
    LabilisError,
    Plate,
    Project,
    Region,
    Section,
    Strut,
    Support,
)
from labilis.run import Plan, Runner, Snapshot, stage_keys
from labilis.run.importing import with_outline
from labilis.shape import build_part
from labilis.shape.dxf import read_outlines


def drawn(draw: Any, unit: int = 4) -> bytes:
    """A DXF file of what `draw` puts into a modelspace."""
    document = ezdxf.new(units=unit)
    draw(document.modelspace())
    text = io.StringIO()
    document.write(text)
    return text.getvalue().encode()


def stadium(space: Any, scale: float = 1.0, turn: float = 0.0, parts: bool = False) -> None:
    """100 x 40 with half round ends, a hole of 12 and a slot of 10 x 30."""
    c, s = math.cos(turn), math.sin(turn)

    def at(x: float, y: float) -> tuple[float, float]:
        return scale * (c * x - s * y), scale * (s * x + c * y)

    degrees = math.degrees(turn)
    if parts:  # lines and arcs in no order, one the other way round
        space.add_line(at(50, 20), at(-50, 20))
        space.add_arc(at(50, 0), 20 * scale, degrees - 90, degrees + 90)
        space.add_arc(at(-50, 0), 20 * scale, degrees + 90, degrees + 270)
        space.add_line(at(50, -20), at(-50, -20))
    else:
        space.add_lwpolyline(
            [(*at(-50, -20), 0), (*at(50, -20), 1), (*at(50, 20), 0), (*at(-50, 20), 1)],
            format="xyb",
            close=True,
        )
    space.add_circle(at(-30, 0), 6 * scale)
    space.add_lwpolyline(
        [(*at(10, -5), 0), (*at(30, -5), 1), (*at(30, 5), 0), (*at(10, 5), 1)],
        format="xyb",
        close=True,
    )
    space.add_text("Vellmark 14").set_placement((0, 0))


AREA = 100 * 40 + math.pi * 400 - math.pi * 36 - (20 * 10 + math.pi * 25)


@pytest.mark.parametrize(
    ("unit", "scale"), [(4, 1.0), (0, 1.0), (5, 0.1), (6, 0.001), (1, 1 / 25.4)]
)
@pytest.mark.parametrize(("parts", "turn"), [(False, 0.4), (True, 0.0)])
def test_a_stadium_has_its_area_whatever_it_is_drawn_with(
    unit: int, scale: float, parts: bool, turn: float
) -> None:
    project, name, words = with_outline(
        Project(),
        drawn(lambda space: stadium(space, scale, turn, parts), unit),
        "end plate.dxf",
        "3 mm",
    )
    assert name == "end plate" and "4 sides, 2 openings" in words
    solid = build_part(
        project.changed(pieces=[project.pieces[0].model_copy(update={"mesh_as": "solid"})]), {}
    ).solids[0]
    assert solid.volume == pytest.approx(3 * AREA, rel=1e-6)
    assert read_outlines(
        drawn(lambda space: stadium(space, scale, turn, parts), unit), "a.dxf"
    ).area == pytest.approx(AREA, rel=1e-9)
    slot = next(item for item in project.pieces[0].recipe.openings if item.length is not None)  # type: ignore[union-attr]
    assert float(slot.angle.split()[0]) == pytest.approx(math.degrees(turn), abs=1e-4)


@settings(max_examples=8, deadline=None)
@given(
    st.lists(st.tuples(st.floats(40, 100), st.floats(-0.35, 0.35)), min_size=3, max_size=9),
    st.randoms(),
)
def test_random_outlines_of_lines_and_arcs(sides: list[tuple[float, float]], order: Any) -> None:
    """Corners about a middle, each side with a bow of its own and drawn either way: the area by
    the shoelace and the arcs' segments."""
    n = len(sides)
    points = [
        (r * math.cos(2 * math.pi * k / n), r * math.sin(2 * math.pi * k / n))
        for k, (r, _) in enumerate(sides)
    ]
    area = 0.0
    stretches = []
    for k, (_, bow) in enumerate(sides):
        (ax, ay), (bx, by) = points[k], points[(k + 1) % n]
        chord, sweep = math.hypot(bx - ax, by - ay), 4 * math.atan(bow)
        radius = chord / (2 * math.sin(sweep / 2)) if abs(bow) > 1e-9 else 0.0
        area += 0.5 * (ax * by - bx * ay) + 0.5 * radius**2 * (sweep - math.sin(sweep))
        stretches.append(
            (points[k], points[(k + 1) % n], bow)
            if order.random() < 0.5
            else (points[(k + 1) % n], points[k], -bow)
        )
    order.shuffle(stretches)

    def draw(space: Any) -> None:
        for a, b, bow in stretches:
            space.add_lwpolyline([(*a, bow), (*b, 0)], format="xyb")

    try:
        found = read_outlines(drawn(draw), "a.dxf")
    except LabilisError as error:  # bows of neighbours may run into each other
        assert "crosses itself" in str(error)
        return
    assert found.area == pytest.approx(area, rel=1e-6) and len(found.outline) == n


def test_blocks_are_taken_apart() -> None:
    document = ezdxf.new(units=4)
    block = document.blocks.new("shape")
    block.add_lwpolyline([(0, 0), (10, 0), (10, 5), (0, 5)], close=True)
    document.modelspace().add_blockref(
        "shape", (3, 4), dxfattribs={"rotation": 90, "xscale": 2, "yscale": 2}
    )
    text = io.StringIO()
    document.write(text)
    assert read_outlines(text.getvalue().encode(), "a.dxf").area == pytest.approx(200)


@pytest.mark.parametrize(
    ("draw", "code", "words"),
    [
        (
            lambda s: s.add_lwpolyline([(0, 0), (10, 0), (10, 5)]),
            "dxf-open",
            r"\(0, 0\) mm: ends there",
        ),
        (
            lambda s: (
                s.add_lwpolyline([(0, 0), (10, 0), (10, 5)], close=True),
                s.add_line((0, 0), (3, 9)),
            ),
            "dxf-open",
            "3 lines meet",
        ),
        (
            lambda s: (s.add_circle((0, 0), 5), s.add_circle((20, 0), 4)),
            "dxf-several",
            r"about \(20, 0\)",
        ),
        (
            lambda s: (
                s.add_lwpolyline([(0, 0), (40, 0), (40, 4), (4, 4), (4, 40), (0, 40)], close=True),
                s.add_circle((30, 30), 3),
            ),
            "dxf-several",
            r"about \(30, 30\)",
        ),
        (
            lambda s: (
                s.add_circle((0, 0), 50),
                s.add_lwpolyline([(0, 0), (10, 0), (10, 5)], close=True),
            ),
            "dxf-opening",
            "neither a round hole",
        ),
        (lambda s: s.add_spline([(0, 0), (10, 0), (10, 5)]), "dxf-kind", "a spline"),
        (lambda s: s.add_text("nothing"), "dxf-empty", "no lines or arcs"),
        (
            lambda s: s.add_lwpolyline([(0, 0), (10, 10), (10, 0), (0, 10)], close=True),
            "outline",
            "crosses itself",
        ),
    ],
)
def test_what_is_no_outline_is_told(draw: Any, code: str, words: str) -> None:
    with pytest.raises(LabilisError, match=words) as told:
        read_outlines(drawn(draw), "a.dxf")
    assert told.value.code == code and told.value.remedy


def test_spoilt_files_are_told(caplog: pytest.LogCaptureFixture) -> None:
    """And nothing else is said of them: the reader's own words hold bytes that no terminal
    takes."""
    data, rng = drawn(stadium), np.random.default_rng(3)
    ends = 0
    for _ in range(12):
        place, way = int(rng.integers(len(data))), int(rng.integers(3))
        spoilt = (
            data[:place]
            if way == 0
            else data[:place] + data[place + int(rng.integers(1, 300)) :]
            if way == 1
            else (
                data[:place]
                + bytes(rng.integers(256, size=20).astype(np.uint8))
                + data[place + 20 :]
            )
        )
        try:
            read_outlines(spoilt, "a.dxf")
        except LabilisError as error:
            assert error.what and error.remedy and str(error).encode("utf-8")
            ends += 1
    assert ends > 1 and not caplog.records
    with pytest.raises(LabilisError, match="MB"):
        read_outlines(b" " * 9_000_000, "a.dxf")


def test_a_plate_on_the_command_line_and_a_second_one(tmp_path: Path) -> None:
    (tmp_path / "end.dxf").write_bytes(drawn(stadium))
    runner = CliRunner()
    said = runner.invoke(
        app,
        [
            "outline",
            str(tmp_path / "end.dxf"),
            "--thickness",
            "3 mm",
            "--out",
            str(tmp_path / "m.json"),
        ],
    )
    assert said.exit_code == 0 and "4 sides, 2 openings" in said.output
    again = [
        "outline",
        str(tmp_path / "end.dxf"),
        "--thickness",
        "2 mm",
        "--out",
        str(tmp_path / "m.json"),
    ]
    assert runner.invoke(app, again).exit_code == 0
    stated = json.loads((tmp_path / "m.json").read_text(encoding="utf-8"))
    assert [piece["name"] for piece in stated["pieces"]] == ["end", "end 2"] and stated["pieces"][
        0
    ]["recipe"]["outline"][1]["bow"] == "1"
    missing = runner.invoke(
        app,
        [
            "outline",
            str(tmp_path / "none.dxf"),
            "--thickness",
            "3 mm",
            "--out",
            str(tmp_path / "x.json"),
        ],
    )
    assert isinstance(missing.exception, LabilisError) and not (tmp_path / "x.json").exists()


def rod(space: Any) -> None:
    space.add_circle((70, -30), 6)


def pipe(space: Any) -> None:
    space.add_circle((-4, 9), 10)
    space.add_circle((-4, 9), 7.5)


def lip(space: Any) -> None:
    """A hollow flank of an arc between straight sides, as drawn for an extruded profile."""
    space.add_lwpolyline(
        [(0, 0, 0), (30, 0, 0), (30, 4, -0.35), (4, 30, 0), (0, 30, 0)], format="xyb", close=True
    )


def loaded(project: Project, name: str, section: Section, mesh_as: str) -> np.ndarray:
    """First factors of a strut of a section on its foot, pushed down."""
    piece = project.pieces[0].model_copy(
        update={"recipe": Strut(section=section, length="300 mm"), "mesh_as": mesh_as}
    )
    stated = project.changed(
        pieces=[piece],
        regions=[
            Region(name="foot", names=(f"{name}/start",)),
            Region(name="head", names=(f"{name}/end",)),
        ],
        supports=[
            Support(
                name="held",
                on="foot",
                held=(
                    "x",
                    "y",
                    "z",
                    *(("turn_x", "turn_y", "turn_z") if mesh_as == "line" else ()),
                ),
            )
        ],
        loads=[ForceLoad(name="push", on="head", components=("0 N", "0 N", "-500 N"))],
        cases=[{"name": "service", "loads": [CaseLoad(load="push")]}],
        criteria=Criteria(modes=2),
    )
    return np.asarray(
        Runner()
        .run(Snapshot(stated, {}), Plan("modes"))[stage_keys(stated, "service").modes]
        .positive
    )


def test_a_disc_of_two_arcs_is_a_plate() -> None:
    project, _, words = with_outline(Project(), drawn(rod), "disc.dxf", "3 mm")
    assert words.startswith("2 sides") and build_part(project, {}).sheets
    solid = build_part(
        project.changed(pieces=[project.pieces[0].model_copy(update={"mesh_as": "solid"})]), {}
    ).solids[0]
    assert solid.volume == pytest.approx(3 * math.pi * 36, rel=1e-9)
    flat = tuple(
        corner.model_copy(update={"bow": "0"}) for corner in project.pieces[0].recipe.outline
    )  # type: ignore[union-attr]
    with pytest.raises(LabilisError, match="needs a side that is bowed"):
        project.changed(
            pieces=[
                project.pieces[0].model_copy(
                    update={"recipe": Plate.model_construct(outline=flat, thickness="3 mm")}
                )
            ]
        )


@pytest.mark.parametrize("mesh_as", ["line", "solid"])
@pytest.mark.parametrize(
    ("draw", "like"),
    [
        (rod, Section(shape="round", diameter="12 mm")),
        (pipe, Section(shape="round tube", diameter="20 mm", thickness="2.5 mm")),
    ],
)
def test_an_outline_as_a_section_buckles_as_the_recipe_of_that_section(
    draw: Any, like: Section, mesh_as: str
) -> None:
    project, name, words = with_outline(Project(), drawn(draw), "rod.dxf", length="300 mm")
    assert words.startswith("section of 2 sides")
    section = project.pieces[0].recipe.section  # type: ignore[union-attr]
    assert loaded(project, name, section, mesh_as) == pytest.approx(
        loaded(project, name, like, mesh_as), rel=2e-3
    )


def test_a_section_of_an_outline_stands_in_the_middle_and_keeps_its_area() -> None:
    for draw in (lip, stadium):
        project, _, _ = with_outline(Project(), drawn(draw), "lip.dxf", length="200 mm")
        solid = build_part(project, {}).solids[0]
        assert solid.volume == pytest.approx(
            200 * read_outlines(drawn(draw), "lip.dxf").area, rel=1e-9
        )
        assert solid.view.extents[:2].sum(axis=1) == pytest.approx(
            [0, 0], abs=0.05
        )  # of a box round drawn triangles
    for sizes in ({}, {"thickness": "3 mm", "length": "200 mm"}):
        with pytest.raises(LabilisError, match="a thickness or a strut of a length"):
            with_outline(Project(), drawn(lip), "a.dxf", **sizes)


@pytest.mark.parametrize(
    ("section", "words"),
    [
        (
            {"openings": [{"x": "14 mm", "y": "0 mm", "diameter": "4 mm"}]},
            "Opening 1 reaches outside its section",
        ),
        (
            {
                "openings": [
                    {"x": "0 mm", "y": "0 mm", "diameter": "4 mm"},
                    {"x": "1 mm", "y": "0 mm", "diameter": "4 mm"},
                ]
            },
            "overlaps another",
        ),
        (
            {
                "outline": [
                    {"x": f"{x} mm", "y": f"{y} mm"}
                    for x, y in ((-10, -10), (10, 10), (10, -10), (-10, 10))
                ]
            },
            "crosses itself",
        ),
    ],
)
def test_a_section_that_is_none_says_why(section: dict[str, Any], words: str) -> None:
    square = [
        {"x": f"{x} mm", "y": f"{y} mm"} for x, y in ((-10, -10), (10, -10), (10, 10), (-10, 10))
    ]
    piece = {
        "name": "bar",
        "recipe": {
            "kind": "strut",
            "length": "90 mm",
            "section": {"shape": "outline", "outline": square, **section},
        },
    }
    with pytest.raises(LabilisError, match=words) as told:
        build_part(Project.model_validate({"pieces": [piece]}), {})
    assert "section" in told.value.where and told.value.remedy
    for wrong in ({"shape": "outline"}, {"shape": "round", "diameter": "4 mm", "outline": square}):
        with pytest.raises(ValueError, match="outline and openings belong to"):
            Section.model_validate(wrong)


def test_the_command_makes_a_strut(tmp_path: Path) -> None:
    (tmp_path / "rod.dxf").write_bytes(drawn(rod))
    done = CliRunner().invoke(
        app,
        [
            "outline",
            str(tmp_path / "rod.dxf"),
            "--length",
            "300 mm",
            "--out",
            str(tmp_path / "rod.json"),
        ],
    )
    assert done.exit_code == 0 and "section of 2 sides" in done.output
    assert (
        json.loads((tmp_path / "rod.json").read_text())["pieces"][0]["recipe"]["section"]["shape"]
        == "outline"
    )
