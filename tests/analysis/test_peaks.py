"""Peaks of the idealisation are told apart from what a wall carries; what is a real stress
stays."""

from __future__ import annotations

import dataclasses
from typing import Any

import numpy as np
import pytest

from labilis.analysis.mesh_stage import mesh_stage
from labilis.analysis.stress_peaks import near_joints, spared
from labilis.judge.ladder import rungs
from labilis.judge.overall import overall_checks
from labilis.judge.verdict import verdict_of_case
from labilis.model import load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.shape import build_part
from labilis.words.stations import strength_sentences
from tests.analysis.test_bolts import lapped
from tests.judge.test_mistakes import ALL, STEEL, force, solid, strip


def plate(
    corners: tuple[tuple[float, float], ...],
    mesh_as: str = "shell",
    openings: Any = (),
    thickness: float = 4.0,
) -> dict[str, Any]:
    return {
        "name": "plate",
        "material": "steel",
        "mesh_as": mesh_as,
        "recipe": {
            "kind": "plate",
            "thickness": f"{thickness} mm",
            "openings": list(openings),
            "outline": [{"x": f"{x} mm", "y": f"{y} mm"} for x, y in corners],
        },
    }


def pulled(
    piece: dict[str, Any],
    size: float,
    foot: str,
    head: str,
    components: tuple[str, str, str],
    upto: str = "strength",
    **more: Any,
) -> Any:
    held = ALL if piece["mesh_as"] == "shell" else ["x", "y", "z"]
    model = {
        "materials": [STEEL],
        "pieces": [piece],
        "regions": [{"name": "foot", "names": [foot]}, {"name": "head", "names": [head]}],
        "supports": [{"name": "foot", "on": "foot", "held": held}],
        "loads": [{"kind": "force", "name": "push", "on": "head", "components": list(components)}],
        "cases": [{"name": "one", "loads": [{"load": "push"}]}],
        "criteria": {"required_factor": "1", "modes": 1},
        "mesh": {"size": f"{size} mm"},
        **more,
    }
    project = load_project(model)
    return judge_project(project, Runner().run(Snapshot(project), Plan(upto))).cases[0]  # type: ignore[arg-type]


ELL = ((0, 0), (120, 0), (120, 40), (40, 40), (40, 120), (0, 120))


@pytest.mark.parametrize(
    ("mesh_as", "sizes"),
    [
        ("shell", (8.0, 2.0, 1.5)),
        pytest.param("solid", (8.0, 2.5, 2.0), marks=pytest.mark.full),
    ],
)
def test_a_re_entrant_corner_is_a_peak(mesh_as: str, sizes: tuple[float, float, float]) -> None:
    """The corner's stress grows as elements become smaller; what the wall beside it carries does
    not."""
    found = [
        pulled(
            plate(ELL, mesh_as), size, "plate/side.6", "plate/side.2", ("0 N", "1 kN", "0 N")
        ).facts.strength
        for size in sizes[:2]
    ]
    coarse, fine = found
    assert fine.peak == "a re-entrant corner" and fine.yield_factor < 0.75 * coarse.yield_factor
    assert fine.wall_factor > 1.3 * fine.yield_factor
    again = pulled(
        plate(ELL, mesh_as), sizes[2], "plate/side.6", "plate/side.2", ("0 N", "1 kN", "0 N")
    ).facts.strength
    assert again.wall_factor == pytest.approx(fine.wall_factor, rel=0.1)
    assert fine.strength_factor == fine.wall_factor


@pytest.mark.parametrize("mesh_as", ["shell", "solid"])
def test_a_hole_is_no_peak(mesh_as: str) -> None:
    """Three times the stress beside a small hole in a wide plate is real (Kirsch 1898)."""
    corners = ((0, 0), (200, 0), (200, 120), (0, 120))
    strength = pulled(
        plate(corners, mesh_as, [{"x": "100 mm", "y": "60 mm", "diameter": "16 mm"}]),
        5.0,
        "plate/side.4",
        "plate/side.2",
        ("10 kN", "0 N", "0 N"),
    ).facts.strength
    assert strength.peak == "" and strength.wall_factor == strength.yield_factor
    assert 235 / (strength.yield_factor * 10e3 / 480) == pytest.approx(3.0, rel=0.12)


def test_a_held_end_is_a_peak_and_bending_beside_it_is_not() -> None:
    """A clamped strip bent at its end: M / W at a wall from the support is what counts, 180 of
    200 mm of lever at most 2 % less."""
    case = pulled(
        plate(((0, 0), (200, 0), (200, 20), (0, 20)), "solid"),
        2.5,
        "plate/side.4",
        "plate/side.2",
        ("0 N", "0 N", "-20 N"),
    )
    strength = case.facts.strength
    bending = 235 / (20 * 200 / (20 * 16 / 6))
    assert strength.peak == "where 'foot' is held" and strength.yield_factor < 0.99 * bending
    assert bending < strength.wall_factor < 1.06 * bending
    said = " ".join(span.text for line in strength_sentences(case.facts) for span in line)
    assert "peak of the idealisation" in said and f"{strength.wall_factor:.4g}" in said


def test_a_plane_of_symmetry_is_no_support_that_disturbs() -> None:
    corners = ((0, 0), (100, 0), (100, 20), (0, 20))
    held = [
        {
            "name": "half",
            "on": "foot",
            "axes": {"kind": "symmetry", "normal": "x"},
            "held": ["symmetry"],
        },
        {
            "name": "side",
            "on": "low",
            "axes": {"kind": "symmetry", "normal": "y"},
            "held": ["symmetry"],
        },
        {
            "name": "face",
            "on": "back",
            "axes": {"kind": "symmetry", "normal": "z"},
            "held": ["symmetry"],
        },
    ]
    names = {
        "foot": "plate/side.4",
        "head": "plate/side.2",
        "low": "plate/side.1",
        "back": "plate/bottom",
    }
    strength = pulled(
        plate(corners, "solid"),
        5.0,
        "",
        "",
        ("8 kN", "0 N", "0 N"),
        supports=held,
        regions=[{"name": name, "names": [of]} for name, of in names.items()],
    ).facts.strength
    assert strength.peak == "" and strength.yield_factor == pytest.approx(235 * 80 / 8e3, rel=1e-6)


def test_the_gate_asks_the_wall_and_a_wall_that_yields_does_not_pass() -> None:
    case = pulled(
        plate(ELL, "solid"), 3.0, "plate/side.6", "plate/side.2", ("0 N", "1 kN", "0 N"), "modes"
    )
    facts = case.facts
    share = 0.5 * (facts.strength.yield_factor + facts.strength.wall_factor)
    for amount, state in ((share, "passes"), (1.05 * facts.strength.wall_factor, "open")):
        strength = dataclasses.replace(
            facts.strength,
            yield_factor=facts.strength.yield_factor / amount,
            wall_factor=facts.strength.wall_factor / amount,
        )
        gate = next(
            item
            for item in verdict_of_case(dataclasses.replace(facts, strength=strength), ()).gates
            if item.name == "strength"
        )
        assert gate.state == state
    lost = dataclasses.replace(facts.strength, wall_factor=float("nan"), yield_factor=float("nan"))
    gates = verdict_of_case(dataclasses.replace(facts, strength=lost), ()).gates
    assert next(item for item in gates if item.name == "strength").state == "void"


def test_rims_of_hubs_and_bolts_and_loaded_edges_are_named() -> None:
    project = load_project(lapped(load="-8 kN"))
    strength = (
        judge_project(project, Runner().run(Snapshot(project), Plan("strength")))
        .cases[0]
        .facts.strength
    )
    assert "of bolt 'M8" in strength.peak and strength.wall_factor > strength.yield_factor
    on_edge = solid(
        loads=[force("0 N", on="rim", components=["0 N", "0 N", "-200 N"])],
        regions=[*solid()["regions"], {"name": "rim", "names": ["strip/side.1+top"]}],
    )
    case = judge_project(
        load_project(on_edge), Runner().run(Snapshot(load_project(on_edge)), Plan("strength"))
    ).cases[0]
    assert case.facts.strength.wall_factor >= case.facts.strength.yield_factor


def test_where_hardly_anything_would_be_left_nothing_is_set_aside() -> None:
    """A strip that is held nearly everywhere."""
    near = np.array([0] * 95 + [-1] * 5)
    assert len(spared(near, np.arange(100))) == 100 and len(spared(near[::2], np.arange(50))) == 50
    assert list(spared(np.array([0, -1, -1]), np.arange(3))) == [1, 2]
    assert strip()["mesh"] == {"size": "5 mm"}


def fin(size: float, height: float = 120.0, base: float = 12.0, wide: float = 20.0) -> Any:
    """A strip of 4 mm that stands on a plate held at its back, bent about its weak axis."""
    up = [{"about": "x", "angle": "90 deg"}]
    strip_up = plate(((0, 0), (wide, 0), (wide, height), (0, height))) | {
        "name": "fin",
        "place": {"at": ["0 mm", "0 mm", f"{base / 2} mm"], "turns": up},
    }
    corners = ((-30, -40), (wide + 30, -40), (wide + 30, 40), (-30, 40))
    foot = plate(corners, thickness=base) | {"name": "foot"}
    model = {
        "materials": [STEEL],
        "pieces": [foot, strip_up],
        "regions": [
            {"name": "edges", "names": [f"foot/side.{number}" for number in range(1, 5)]},
            {"name": "head", "names": ["fin/side.3"]},
        ],
        "supports": [{"name": "base", "on": "edges", "held": ALL}],
        "loads": [
            {
                "kind": "force",
                "name": "push",
                "on": "head",
                "components": ["0 N", "20 N", "-10 N"],
            }
        ],
        "cases": [{"name": "one", "loads": [{"load": "push"}]}],
        "criteria": {"required_factor": "1", "modes": 1},
        "mesh": {"size": f"{size} mm"},
    }
    project = load_project(model)
    return judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0]


def test_a_joint_s_toe_counts_as_first_yield_and_its_sections_are_read_beside_it() -> None:
    """M / W of the strip a wall from where it is welded on; at the corners of its foot the stress
    grows with every mesh, and the error that is told of it."""
    coarse, fine = fin(4.0), fin(1.0)
    one, two = coarse.facts.strength, fine.facts.strength
    bending = 235 / (20 * 120 / (20 * 16 / 6) + 10 / 80)
    assert two.strength_factor < 0.97 * two.sections_yield
    assert bending < two.sections_yield < 1.08 * bending
    assert one.sections_yield == pytest.approx(two.sections_yield, rel=0.05)
    assert fine.facts.modes.section_error < fine.facts.modes.yield_error
    (rung,) = (item for item in rungs(fine.facts, "22 N") if item.kind == "yield")
    assert rung.note == f"at a joint; sections at {two.sections_yield:.4g}"
    check = overall_checks(fine.facts)[0][0]
    assert check.factor == pytest.approx(check.reduction * two.sections_yield)


@pytest.mark.parametrize("order", [1, -1])
def test_a_doubler_ends_at_its_border_whichever_piece_is_said_first(order: int) -> None:
    """Of a pad that is bonded all over to a wider sheet, what lies within a wall of its border is
    near the joint on both, and nothing else is."""
    wide = ((0, 0), (200, 0), (200, 80), (0, 80))
    pad = plate(((70, 20), (130, 20), (130, 60), (70, 60)), thickness=6.0)
    pad |= {"name": "pad", "place": {"turns": [], "at": ["0 mm", "0 mm", "5 mm"]}}
    pieces = [plate(wide), pad][::order]
    project = load_project({"materials": [STEEL], "pieces": pieces, "mesh": {"size": "1.8 mm"}})
    mesh, bonds, _ = mesh_stage(project, build_part(project, {}))
    assert len(bonds.nodes)
    near, places = near_joints(mesh, bonds), mesh.nodes
    for level, wall in ((0.0, 4.0), (5.0, 6.0)):
        here = np.abs(places[:, 2] - level) < 1e-6
        # how far a place lies from the pad's border, inward and outward
        out = np.maximum(np.abs(places[:, 0] - 100) - 30, np.abs(places[:, 1] - 40) - 20)
        away = np.abs(out)
        element = 1.8  # a border of bonded nodes lies up to an element inside of the pad
        close = here & (away < wall - element)
        assert close.sum() > 30 and near[close & (out <= 0)].all()
        far = here & (away > wall + 3 * element)  # and its triangles reach further in
        assert far.any() and not near[far].any()


def test_without_a_joint_the_sections_yield_where_the_walls_do() -> None:
    strength = pulled(
        plate(ELL), 4.0, "plate/side.6", "plate/side.2", ("0 N", "1 kN", "0 N")
    ).facts.strength
    assert strength.sections_yield == strength.strength_factor > strength.yield_factor


def test_a_piece_with_hardly_a_node_away_from_joints_yields_where_its_walls_do(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Nothing of it would be left to read sections at: all of it counts then, but for its peaks."""
    from labilis.analysis import strength_stage

    monkeypatch.setattr(
        strength_stage, "near_joints", lambda mesh, _: np.ones(len(mesh.nodes), dtype=bool)
    )
    strength = pulled(
        plate(ELL), 4.0, "plate/side.6", "plate/side.2", ("0 N", "1 kN", "0 N")
    ).facts.strength
    assert strength.yield_factor < strength.wall_factor == strength.sections_yield
    none = dataclasses.replace(strength, section_factor=float("inf"))
    assert none.sections_yield == strength.strength_factor
