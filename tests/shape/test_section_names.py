"""What is numbered round a strut's section keeps its meaning when radii come and go, and in files
of format 1."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from labilis.edit.variants import keep_variant
from labilis.model import Project, load_project
from labilis.run import Plan, Runner, Snapshot, stage_keys
from labilis.shape import ShapeView
from labilis.shape.profile import Run
from labilis.shape.recipes.paths import section_of
from labilis.shape.regions import find_region

SECTIONS: dict[str, dict[str, Any]] = {
    "square tube": {"width": "40 mm", "thickness": "2 mm"},
    "rectangular tube": {"width": "40 mm", "height": "60 mm", "thickness": "3 mm"},
    "angle": {"width": "30 mm", "height": "50 mm", "thickness": "2 mm"},
    "channel": {"width": "30 mm", "height": "60 mm", "thickness": "2 mm"},
    "hat": {"width": "60 mm", "height": "40 mm", "flange": "20 mm", "thickness": "2 mm"},
    "double angle": {"width": "30 mm", "height": "30 mm", "thickness": "3 mm", "gap": "6 mm"},
    "round tube": {"diameter": "40 mm", "thickness": "2 mm"},
    "I": {"width": "40 mm", "height": "60 mm", "thickness": "3 mm", "web": "2 mm"},
    "T": {"width": "40 mm", "height": "60 mm", "thickness": "3 mm", "web": "2 mm"},
}
ROUNDED = ("square tube", "rectangular tube", "angle", "channel", "hat")
L_OUTLINE = [("0 mm", "0 mm"), ("40 mm", "0 mm"), ("40 mm", "9 mm"), ("9 mm", "40 mm")]


def project(shape: str, mesh_as: str, names: list[str], version: int = 2, **more: Any) -> Project:
    section = {"shape": shape, **SECTIONS.get(shape, {}), **more}
    return load_project(
        {
            "labilis": version,
            "materials": [{"name": "steel"}],
            "pieces": [
                {
                    "name": "bar",
                    "material": "steel",
                    "mesh_as": mesh_as,
                    "recipe": {"kind": "strut", "length": "100 mm", "section": section},
                }
            ],
            "regions": [
                {"name": f"r{number}", "names": [name]} for number, name in enumerate(names)
            ],
        }
    )


def view_of(stated: Project) -> ShapeView:
    view = Runner().run(Snapshot(stated), Plan("shape"))[stage_keys(stated).shape]
    assert isinstance(view, ShapeView)
    return view


def places(stated: Project) -> list[np.ndarray | None]:
    """Middle of each region by area, None for one that is lost."""
    view = view_of(stated)
    found = []
    for region in stated.regions:
        rows = find_region(region, view).faces
        area = view.faces.area[rows]
        found.append(
            None if len(rows) == 0 else area @ view.faces.centroid[rows] / float(area.sum())
        )
    return found


@pytest.mark.parametrize("mesh_as", ["shell", "solid"])
@pytest.mark.parametrize("shape", ROUNDED)
def test_a_radius_moves_no_region_to_another_wall(shape: str, mesh_as: str) -> None:
    word = "wall" if mesh_as == "shell" else "skin"
    names = [f"bar/{word}.{number}" for number in range(1, 13)]
    sharp = places(project(shape, mesh_as, names))
    for radius in ("1 mm", "3 mm"):
        rounded = places(project(shape, mesh_as, names, radius=radius))
        for one, two in zip(sharp, rounded):
            assert (one is None) == (two is None)
            # a radius shortens each wall at its ends, alike or at one of them
            assert one is None or np.linalg.norm(one - two) < 4.0
    assert sum(place is not None for place in sharp) >= 2


def test_numbers_are_there_once_and_all_round_means_all_of_it() -> None:
    def read(text: str, kind: str) -> float:
        return project("round", "solid", [], diameter="9 mm").value(text, kind)

    for shape in SECTIONS:
        for more in ({}, {"radius": "2 mm"}) if shape in ROUNDED else ({},):
            stated = project(shape, "solid", ["bar/skin"], **more)
            drawn = section_of(stated.pieces[0].recipe, read, "")  # type: ignore[arg-type]
            runs: list[Run] = [run for part in drawn.outlines for path in part for run in path]
            numbers = [(run.rounding, run.number) for run in runs]
            assert len(set(numbers)) == len(numbers) and min(n for _, n in numbers) == 0
            view = view_of(stated)
            rows = find_region(stated.regions[0], view).faces
            sides = np.abs(view.faces.centroid[:, 2] - 50.0) < 1e-6
            assert len(rows) == len(runs)
            assert sides[rows].all()


def test_a_wall_eaten_up_by_its_radii_is_lost_and_no_other_takes_its_name() -> None:
    names = [f"bar/wall.{number}" for number in range(1, 5)]
    flat = {"width": "40 mm", "height": "24 mm", "thickness": "2 mm"}
    kept = places(project("rectangular tube", "shell", names, **flat, radius="4 mm"))
    round_ended = places(project("rectangular tube", "shell", names, **flat, radius="10 mm"))
    assert all(place is not None for place in kept)
    gone = [place is None for place in round_ended]
    assert sum(gone) == 2
    for one, two in zip(kept, round_ended):
        assert two is None or np.linalg.norm(one - two) < 1e-6


def _first_names(shape: str, mesh_as: str, **more: Any) -> list[tuple[str, np.ndarray]]:
    """Names as format 1 gave them, with the middle of what each was: by what there was, in its
    order round the section."""
    stated = project(shape, mesh_as, [], **more)
    view = view_of(stated)
    drawn = section_of(
        stated.pieces[0].recipe,  # type: ignore[arg-type]
        stated.value,
        "",
    )
    if mesh_as == "shell":
        runs = [run for wall in drawn.walls for run in wall.runs]
    else:
        runs = [run for part in drawn.outlines for path in part for run in path]
    told = []
    for number, run in enumerate(runs, 1):
        middle = run.through if run.through is not None else 0.5 * (run.start + run.end)
        place = np.array([*middle, 50.0])
        side = np.abs(view.faces.centroid[:, 2] - 50.0) < 1e-6
        row = int(
            np.argmin(np.where(side, np.linalg.norm(view.faces.centroid - place, axis=1), 1e9))
        )
        word = "wall" if mesh_as == "shell" else "skin"
        told.append((f"bar/{word}.{number}", view.faces.centroid[row]))
    return told


@pytest.mark.parametrize("mesh_as", ["shell", "solid"])
@pytest.mark.parametrize("radius", ["0 mm", "2.5 mm"])
@pytest.mark.parametrize("shape", ROUNDED)
def test_names_of_format_1_mean_what_they_meant(shape: str, radius: str, mesh_as: str) -> None:
    were = _first_names(shape, mesh_as, radius=radius)
    stated = project(shape, mesh_as, [name for name, _ in were], version=1, radius=radius)
    assert stated.labilis == 2
    for (name, place), now in zip(were, places(stated)):
        assert now is not None, name
        assert np.allclose(now, place, atol=1e-6), name


@pytest.mark.parametrize("turned", [False, True])
def test_drawn_sections_of_format_1(turned: bool) -> None:
    corners = [{"x": x, "y": y} for x, y in L_OUTLINE]
    corners[0]["radius"] = "3 mm"
    more = {
        "outline": corners[::-1] if turned else corners,
        "openings": [{"x": "12 mm", "y": "12 mm", "diameter": "6 mm"}],
    }
    were = _first_names("outline", "solid", **more)
    stated = project("outline", "solid", [name for name, _ in were], version=1, **more)
    assert all(place is not None for place in places(stated))
    assert [
        np.allclose(now, place, atol=1e-6)
        for (_, place), now in zip(were, places(stated))
        if now is not None
    ] == [True] * 7


def test_a_design_of_format_1_is_read_so_too() -> None:
    other = (
        keep_variant(project("square tube", "shell", ["bar/wall.2"], radius="2 mm"), "x")
        .variants[0]
        .statements
    )
    data = project("square tube", "shell", ["bar/wall.2"]).model_dump(mode="json")
    data |= {"labilis": 1, "variants": [{"name": "round", "statements": other | {"labilis": 1}}]}
    read = load_project(data)
    assert read.regions[0].names == ("bar/wall.2",)
    assert list(read.variants[0].statements["regions"][0]["names"]) == ["bar/wall.1"]
    assert load_project(read.to_json()) == read


def test_a_number_that_format_1_did_not_have_is_lost_and_not_another() -> None:
    stated = project("square tube", "shell", ["bar/wall.9", "bar/wall"], version=1, radius="2 mm")
    lost, whole = places(stated)
    assert lost is None and whole is not None
