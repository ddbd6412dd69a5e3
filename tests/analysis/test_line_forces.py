"""What lines carry along their members, against statics."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from labilis.judge.evidence.half_waves import half_wave_of
from labilis.judge.line_forces import (
    BY_NAME,
    CARRIED,
    Along,
    along_members,
    at_ends,
    at_nodes,
    diagram,
    largest,
    most_of,
    table,
)
from labilis.mechanics.cross_section import cross_section
from labilis.mesh import mesh_section
from labilis.model import load_project, shown
from labilis.results.stress_measures import von_mises
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.shape.profile import points_of
from labilis.shape.recipes.sections import section_shape
from tests.commands import labilis
from tests.frames import STEEL, force, portal, strut

ALL = ["x", "y", "z", "turn_x", "turn_y", "turn_z"]
COLUMN = {item.symbol: number for number, item in enumerate(CARRIED)}


def facts_of(stated: dict[str, Any]) -> Any:
    project = load_project(stated)
    return judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0].facts


def members(stated: dict[str, Any]) -> dict[str, Along]:
    facts = facts_of(stated)
    return {one.name: one for one in along_members(facts.strength, facts.mesh.nodes)}


def table_of(facts: Any) -> Any:
    return table(facts.project, along_members(facts.strength, facts.mesh.nodes))


def cantilever(section: dict[str, Any], *loads: dict[str, Any]) -> dict[str, Any]:
    return {
        "materials": [STEEL],
        "pieces": [strut("bar", 500, section=section)],
        "regions": [
            {"name": "foot", "names": ["bar/start"]},
            {"name": "head", "names": ["bar/end"]},
        ],
        "supports": [{"name": "foot", "on": "foot", "held": ALL}],
        "loads": list(loads),
        "cases": [{"name": "c", "loads": [{"load": load["name"]} for load in loads]}],
        "criteria": {"modes": 1},
    }


FLAT = {"shape": "flat", "width": "30 mm", "thickness": "10 mm"}  # weak when it moves along y


def test_a_cantilever_carries_its_end_force_by_statics() -> None:
    """Tension on the far side of where it is pushed to: the tip goes to +x, so the side of -x is
    in tension at the foot."""
    bar = members(cantilever(FLAT, force("head", 60.0, 40.0, -900.0)))["bar"]
    assert np.allclose(bar.values[:, COLUMN["Nx"]], -900.0)
    far = 500.0 - bar.station
    strong, weak = np.abs(bar.values[:, COLUMN["My"]]), np.abs(bar.values[:, COLUMN["Mz"]])
    assert np.allclose(strong, 60.0 * far, atol=1e-6) and np.allclose(weak, 40.0 * far, atol=1e-6)
    assert np.allclose(np.abs(bar.values[:, COLUMN["Vz"]]), 60.0)
    assert np.allclose(np.abs(bar.values[:, COLUMN["Vy"]]), 40.0)
    assert np.allclose(bar.values[:, COLUMN["T"]], 0.0)
    stress = 900 / 300 + 60 * 500 / (10 * 30**2 / 6) + 40 * 500 / (30 * 10**2 / 6)
    value, place = largest(bar, COLUMN["σ"])
    assert value == pytest.approx(-stress, rel=1e-6) and place == 0.0


@pytest.mark.parametrize(("x", "y"), [(1.0, 0.0), (0.0, 1.0), (-1.0, 0.5)])
def test_a_diagram_of_bending_lies_where_the_tension_is(x: float, y: float) -> None:
    facts = facts_of(cantilever(FLAT, force("head", 100 * x, 100 * y, 1e-3)))
    for name, push in (("My, bending", x), ("Mz, bending", y)):
        if not push:
            continue
        what = BY_NAME[name]
        corners, values = diagram(facts.strength, facts.mesh.nodes, what, 50.0)
        lifted = corners[:, 2:] - corners[:, [1, 0]]
        axis = 0 if name.startswith("My") else 1
        peak = np.abs(values).argmax()
        side = lifted.reshape(-1, 3)[np.abs(lifted[..., axis]).argmax()][axis]
        assert side * push < 0 and abs(side) == pytest.approx(50.0)
        assert np.abs(lifted[..., 1 - axis]).max() < 1e-9 and peak >= 0


def test_torsion_is_about_the_shear_centre() -> None:
    """A force through the centroid of a channel twists it by its distance from the shear centre,
    on the other side of the web."""
    channel = {"shape": "channel", "width": "30 mm", "height": "60 mm", "thickness": "3 mm"}
    facts = facts_of(cantilever(channel, force("head", 0.0, 200.0, 0.0)))
    bar = along_members(facts.strength, facts.mesh.nodes)[0]
    b, h, t = 28.5, 57.0, 3.0  # by its mid-line: e = 3 b² / (6 b + h) before the web's middle
    before = 3 * b**2 / (6 * b + h)
    centroid = b * b * t / ((2 * b + h) * t)
    torsion = bar.values[:, COLUMN["T"]]
    assert np.abs(torsion) == pytest.approx(200.0 * (before + centroid), rel=0.03)
    assert np.ptp(torsion) < 1e-6 * abs(torsion[0])


def test_a_force_through_the_shear_centre_twists_nothing() -> None:
    channel = {"shape": "channel", "width": "30 mm", "height": "60 mm", "thickness": "3 mm"}
    b, h = 28.5, 57.0
    stated = cantilever(channel, {**force("shear centre", 0.0, 200.0, 0.0), "name": "push"})
    at = [f"{1.5 - 3 * b**2 / (6 * b + h)!r} mm", "0 mm", "500 mm"]
    stated["hubs"] = [{"kind": "stiff", "name": "shear centre", "region": "head", "at": at}]
    torsion = members(stated)["bar"].values[:, COLUMN["T"]]
    assert np.abs(torsion).max() < 0.03 * 200.0 * 20.0


def _torque(section: dict[str, Any], torque: float, size: str) -> Any:
    moment = {
        "kind": "moment",
        "name": "twist",
        "on": "head",
        "components": ["0 N*mm", "0 N*mm", f"{torque} N*mm"],
    }
    stated = cantilever(section, moment)
    stated["mesh"] = {"size": size}
    stated["criteria"] = {"modes": 1, "mesh_error": False}
    return facts_of(stated)


@pytest.mark.parametrize("size", ["20 mm", "62.5 mm"])
@pytest.mark.parametrize(
    "section",
    [
        {"shape": "I", "width": "46 mm", "height": "80 mm", "thickness": "5 mm", "web": "4 mm"},
        {"shape": "rectangular tube", "width": "20 mm", "height": "100 mm", "thickness": "2 mm"},
        {"shape": "flat", "width": "40 mm", "thickness": "8 mm"},
    ],
)
def test_the_bimoment_at_a_held_end_does_not_hang_on_the_mesh(
    section: dict[str, Any], size: str
) -> None:
    """B = T ℓ tanh(L / ℓ), ℓ² = E Cw / GJ, of a bar that is held at one end (Vlasov 1961), whether
    the layer is longer or far shorter than an element."""
    facts = _torque(section, 10_000.0, size)
    made = cross_section(
        *mesh_section(
            [
                [points_of(path) for path in part]
                for part in section_shape(
                    section["shape"],
                    {k: float(v.removesuffix(" mm")) for k, v in section.items() if k != "shape"},
                    [],
                ).outlines
            ]
        )
    )
    layer = math.sqrt(2 * 1.3 * made.warping / made.torsion)
    expected = 10_000.0 * layer * math.tanh(500.0 / layer)
    found = np.abs(facts.strength.line_growing[:, :, 6]).max()
    assert found == pytest.approx(expected, rel=1e-6)
    stress = expected / made.warping * np.abs(made.omega).max()
    assert np.abs(facts.strength.line_stress).max() == pytest.approx(stress, rel=1e-6)


@pytest.mark.parametrize(
    "section",
    [
        {"shape": "round tube", "diameter": "33.7 mm", "thickness": "2.5 mm"},
        {"shape": "round", "diameter": "20 mm"},
        {"shape": "square tube", "width": "40 mm", "thickness": "3 mm"},
        {"shape": "square", "width": "15 mm"},
    ],
)
def test_torsion_puts_no_direct_stress_on_what_does_not_warp(section: dict[str, Any]) -> None:
    """It did: of a round tube, whose warping is what rounding leaves, a thousand times its
    yield strength."""
    facts = _torque(section, 50_000.0, "60 mm")
    strength = facts.strength
    assert np.abs(strength.line_growing[:, :, 3]).max() == pytest.approx(50_000.0, rel=1e-6)
    assert np.abs(strength.line_stress).max() < 1e-3
    # twisted as T L / GJ says, the foot's held warping or not
    turned = next(iter(along_members(strength, facts.mesh.nodes))).values[:, COLUMN["σ"]]
    assert np.abs(turned).max() < 1e-3


def test_shear_is_the_slope_of_bending_everywhere() -> None:
    """dMy/dx = Vz, dMz/dx = -Vy, whatever the member's direction (Timoshenko and Gere 1972)."""
    for member in members(portal()).values():
        x, value = member.station, member.values
        for k in range(0, len(x), 2):
            step = x[k + 1] - x[k]
            scale = np.abs(value[:, [COLUMN["My"], COLUMN["Mz"]]]).max()
            rise = value[k + 1] - value[k]
            assert rise[COLUMN["My"]] == pytest.approx(
                step * value[k, COLUMN["Vz"]], abs=1e-8 * scale
            )
            assert rise[COLUMN["Mz"]] == pytest.approx(
                -step * value[k, COLUMN["Vy"]], abs=1e-8 * scale
            )


def test_a_portal_is_in_balance_and_its_corner_passes_its_moment_on() -> None:
    facts = facts_of(portal())
    found = {one.name: one for one in along_members(facts.strength, facts.mesh.nodes)}
    feet = sum(found[name].values[0, COLUMN["Nx"]] for name in ("left post", "right post"))
    weight = 7.85e-9 * 9810 * (40 * 60 - 34 * 54) * (1200 + 1200 + 1600)
    assert feet == pytest.approx(-6000 - weight, rel=0.02)  # half an element is on the support
    corner = found["left post"].values[-1], found["beam"].values[0]
    assert abs(corner[0][COLUMN["Mz"]]) == pytest.approx(abs(corner[1][COLUMN["Mz"]]), rel=1e-6)
    what = BY_NAME["Nx, direct force"]
    value, name = most_of(facts.strength, what)
    assert value == pytest.approx(np.abs(at_ends(facts.strength, what)).max() * np.sign(value))
    assert name == "left post"
    # at a node that members share each has its own; the pointer reads the largest
    nodes, ends = facts.strength.line_nodes, at_ends(facts.strength, what)
    read = at_nodes(facts.strength, what, len(facts.mesh.nodes))
    shared = [node for node in np.unique(nodes) if np.ptp(ends[nodes == node]) > 100.0]
    assert shared
    for node in shared:
        assert read[node] == max(ends[nodes == node], key=abs)
    assert np.count_nonzero(read) == len(np.unique(nodes))


def test_a_turned_frame_carries_the_same() -> None:
    turned = portal()
    for piece in turned["pieces"]:
        piece["place"]["turns"].append({"about": "z", "angle": "30 deg"})
    c, s = math.cos(math.radians(30)), math.sin(math.radians(30))
    turned["pieces"][1]["place"]["at"] = [f"{1600 * c!r} mm", f"{1600 * s!r} mm", "0 mm"]
    turned["loads"][0]["components"] = [
        f"{400 * c - 100 * s!r} N",
        f"{400 * s + 100 * c!r} N",
        "-6000 N",
    ]
    one, two = members(portal()), members(turned)
    for name, member in one.items():
        scale = np.abs(member.values).max(axis=0)
        assert np.all(
            np.abs(np.abs(member.values) - np.abs(two[name].values)) <= 1e-6 * scale + 1e-6
        )


def test_the_table_says_how_much_of_yield_is_used_in_any_units() -> None:
    facts = facts_of(portal())
    row = table_of(facts)[0]
    stress, share = row[len(CARRIED)][1], row[-1][1]
    assert share == pytest.approx(abs(stress) / 235.0) and row[-1][0].endswith("%")
    with shown.using("m-kN-MPa"):
        other = table_of(facts)[0]
    assert float(other[1][0]) == pytest.approx(row[1][1] / 1000.0, rel=0.01)
    stated = portal(materials=[{k: v for k, v in STEEL.items() if k != "yield_strength"}])
    facts = facts_of(stated)
    assert table_of(facts)[0][-1][0] == "no yield strength"


def test_the_command_line_tells_lines(tmp_path: Path) -> None:
    (tmp_path / "portal.json").write_text(json.dumps(portal()))
    done = labilis("check", str(tmp_path / "portal.json"), "--json", str(tmp_path / "out.json"))
    assert done.returncode in (0, 1, 2, 3)
    told = json.loads((tmp_path / "out.json").read_text())["cases"][0]["lines"]
    known = members(portal())
    assert [item["member"] for item in told] == list(known)
    value, place = largest(known["left post"], COLUMN["My"])
    assert told[0]["My_nmm"] == {
        "largest": pytest.approx(value),
        "at_mm": pytest.approx(place),
    }


@pytest.mark.parametrize("size", ["20 mm", "120 mm"])
def test_first_yield_of_lines_is_where_they_carry_most_whatever_meets_there(size: str) -> None:
    """At the foot, which is held, and at the corner, where posts and beam have stresses of their
    own: neither is set aside, and nothing is averaged."""
    facts = facts_of(
        portal(
            mesh={"size": size},
            loads=portal()["loads"][:1],
            cases=[{"name": "storm", "loads": [{"load": "push corner"}]}],
        )
    )
    strength = facts.strength
    most = np.abs(strength.line_stress).max()
    assert strength.yield_factor == pytest.approx(235.0 / most, rel=1e-9)
    assert strength.strength_factor == strength.yield_factor and strength.peak == ""
    assert strength.yield_body in ("left post", "right post")
    row, end, _ = np.unravel_index(
        np.abs(strength.line_stress).argmax(), strength.line_stress.shape
    )
    assert strength.yield_node == strength.line_nodes[row, end]
    # what the stage colours is what they carry most there
    assert von_mises(strength.stress).max() == pytest.approx(most, rel=1e-9)
    assert not strength.layers.size  # nothing has a top, a middle and a bottom


def test_first_yield_of_a_line_counts_held_and_growing_at_one_fibre() -> None:
    """A held force that bends one way and a growing one that bends the other: what is held first
    helps; σ = |M| / W at the foot."""
    grow, hold = force("head", 60.0, 0.0, 0.0), force("head", -40.0, 0.0, 0.0)
    stated = cantilever(FLAT, grow, {**hold, "name": "held", "growth": "held"})
    facts = facts_of(stated)
    modulus = 10 * 30**2 / 6
    expected = (235.0 * modulus / 500.0 + 40.0) / 60.0
    strength = facts.strength
    assert strength.yield_factor == pytest.approx(expected, rel=1e-6)
    shown_most = von_mises(strength.stress).max()
    assert shown_most == pytest.approx(20.0 * 500.0 / modulus, rel=1e-6)
    assert von_mises(strength.stress_growing).max() == pytest.approx(30_000.0 / modulus, rel=1e-6)
    with_more = cantilever(FLAT, grow, {**force("head", 800.0), "name": "held", "growth": "held"})
    assert facts_of(with_more).strength.yield_factor == 0.0


SIZE = {"size": "40 mm"}


def with_a_plate(stated: dict[str, Any]) -> dict[str, Any]:
    """A shell beside the frame, held at its own foot."""
    stated["pieces"].append(strut("plate", 200, (5000, 0, 0), section=FLAT) | {"mesh_as": "shell"})
    stated["regions"].append({"name": "sole", "names": ["plate/start"]})
    stated["supports"].append({"name": "sole", "on": "sole", "held": ALL})
    return stated


def test_a_plate_that_stands_still_does_not_judge_the_mesh_of_lines() -> None:
    """It did: by the half wave of no motion, which is no number."""
    alone, beside = (
        facts_of(stated) for stated in (portal(mesh=SIZE), with_a_plate(portal(mesh=SIZE)))
    )
    expected = half_wave_of(alone.mesh, alone.modes.shapes[alone.modes.first])
    found = half_wave_of(beside.mesh, beside.modes.shapes[beside.modes.first])
    assert found == pytest.approx(expected, rel=1e-3) and expected[1] > 1.0


def test_what_is_coloured_is_what_one_fibre_carries_of_all_that_meet_there() -> None:
    """A held push along one member and a growing one along another, and a shell beside them: at
    each node the stress of the service load, at no node the largest of one with another's."""
    stated = with_a_plate(portal())
    stated["loads"][0]["growth"] = "held"
    stated["loads"].append({**force("corner", -300.0, 900.0, 0.0), "name": "gust"})
    stated["cases"][0]["loads"] = [{"load": load["name"]} for load in stated["loads"]]
    facts = facts_of(stated)
    strength = facts.strength
    found = von_mises(strength.stress)
    ends, most = strength.line_nodes.ravel(), np.abs(strength.line_stress).max(axis=2).ravel()
    for node in np.unique(ends):
        expected = most[ends == node].max()
        assert found[node] == pytest.approx(expected, rel=1e-9)
        assert strength.layers[:, node] == pytest.approx(expected, rel=1e-9)


def test_a_bar_without_a_yield_strength_yields_nowhere() -> None:
    stated = cantilever(FLAT, force("head", 60.0))
    stated["materials"] = [{k: v for k, v in STEEL.items() if k != "yield_strength"}]
    assert math.isinf(facts_of(stated).strength.yield_factor)
