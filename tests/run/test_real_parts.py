"""Parts as they come from drawing offices, drawn at random: each is run as a user would, the
same thing stated in two ways agrees."""

from __future__ import annotations

import zlib
from typing import Any

import numpy as np
import pytest

from labilis.analysis.mesh_stage import mesh_stage
from labilis.mesh.estimate import estimate, planned_sizes
from labilis.shape import build_body, build_part, list_bodies
from labilis.shape.midsurface import find_midsurface
from labilis.shape.step import solids_of
from labilis.store import load_model
from validation.corpus import drawing as d
from validation.corpus.batch import pairs, summary
from validation.corpus.model import write_model
from validation.corpus.one import run_part
from validation.corpus.part import FAMILIES

SEED = 4711  # of no run that guided the code


def ran(name: str, way: str, number: int = 0, seed: int = SEED) -> dict[str, Any]:
    found = run_part(name, seed, number, way)
    assert found["state"] == "verdict", found.get("trace", found.get("what"))
    return found


def body_of(shape: Any) -> Any:
    return build_body(solids_of(shape)[0])


HEAVY = [
    pytest.param(name, marks=pytest.mark.full)
    for name in (
        "i sharp",
        "engraved plate",
        "i with root fillets",
        "far angle",
        "inch channel",
        "rectangular tube tapered",
    )
]


@pytest.mark.parametrize(
    "name",
    [
        "t sharp",
        pytest.param("cruciform", marks=pytest.mark.full),
        pytest.param("welded tee", marks=pytest.mark.full),
        "angle mitred",
        "flat bar",
        "l bracket with root radius",
        "tapered plate",
        "rib on flange",
        *HEAVY,
    ],
)
@pytest.mark.full
def test_shells_and_solids_agree(name: str) -> None:
    """Within 5 %, or the evidence says how far the solid's or the shell's mesh is off."""
    shell, solid = ran(name, "shell"), ran(name, "solid")
    told = sum(
        float(found["evidence"].get("mesh error", "caution: 0 ").split(": ")[1].split(" ")[0]) / 100
        for found in (shell, solid)
    )
    assert abs(shell["factor"] / solid["factor"] - 1) < 0.05 + told


@pytest.mark.parametrize(
    "name",
    [
        "round bar",
        "corner touch",
        "rectangular tube tapered",
        pytest.param("stand with bolted feet", marks=pytest.mark.full),
        pytest.param("lofted transition", marks=pytest.mark.full),
    ],
)
def test_what_once_ended_in_a_traceback(name: str) -> None:
    found = run_part(name, SEED, 0, "proposed")
    assert found["state"] in ("verdict", "refused"), found.get("trace")


def test_a_square_bar_is_refused_as_shells_in_words() -> None:
    found = run_part("square bar", SEED, 0, "shell")
    assert found["state"] == "refused" and "thin" in found["what"]


@pytest.mark.full
def test_two_plates_that_touch_in_a_corner_are_told() -> None:
    found = run_part("corner touch", SEED, 0, "shell")
    assert "joints" in found["evidence"] or found["factor"] == pytest.approx(
        run_part("corner touch", SEED, 0, "solid")["factor"], rel=0.1
    )


def test_an_engraving_leaves_the_wall_its_thickness() -> None:
    plate = d.cut(
        d.box(120, 80, 5), d.box(30, 4, 0.6, (40, 30, 4.4)), d.box(4, 30, 0.6, (60, 20, 4.4))
    )
    thickness = [sheet.thickness for sheet in find_midsurface(body_of(plate), "plate").sheets]
    assert thickness == pytest.approx([5.0] * len(thickness)) and thickness


def test_bodies_are_proposed_with_a_reason_and_all_carry(tmp_path: Any) -> None:
    from validation.corpus.model import write_step

    thin, thick = d.box(200, 60, 3), d.shifted(d.box(40, 40, 40), 0, 0, 3)
    marker, bolt = (
        d.shifted(d.box(0.003, 0.003, 0.003), 0, 90, 0),
        d.shifted(d.cylinder(3, 30), 300, 0, 0),
    )
    data = write_step(
        [("plate", thin), ("block", thick), ("marker", marker), ("screw M6 x 30", bolt)],
        tmp_path / "part.step",
    )
    found = {body.name: body for body in list_bodies(data)}
    assert (found["plate"].mesh_as, found["block"].mesh_as) == ("shell", "solid")
    assert "3 mm" in found["plate"].reason and found["block"].reason
    assert [name for name, body in found.items() if body.aside] == ["marker", "screw M6 x 30"]
    assert "tiny" in found["marker"].why_aside and "fastener" in found["screw M6 x 30"].why_aside


@pytest.mark.full
def test_a_gap_under_a_rib_is_bridged_and_told_both_ways() -> None:
    shell, solid = ran("welded tee with gap", "shell"), ran("welded tee with gap", "solid")
    for found in (shell, solid):
        assert "stand" in found["evidence"]["joints"] or "near" in found["evidence"]["joints"]


def test_the_batch_tells_success_agreement_and_each_failure_once() -> None:
    rows = [
        {
            "family": "a",
            "number": 0,
            "way": "proposed",
            "state": "verdict",
            "factor": 4.0,
            "as": ["shell"],
            "unknowns": 10,
            "seconds": 1.0,
            "evidence": {},
        },
        {
            "family": "a",
            "number": 0,
            "way": "other",
            "state": "verdict",
            "factor": 5.0,
            "as": ["solid"],
            "unknowns": 20,
            "seconds": 2.0,
            "evidence": {"mesh error": "bad"},
        },
        *(
            {
                "family": "b",
                "number": k,
                "way": "proposed",
                "state": "crash",
                "what": "KeyError: 1",
                "seconds": 0.0,
            }
            for k in (0, 1)
        ),
    ]
    assert pairs(rows)[0][2] == pytest.approx(-0.2)
    text = summary(rows)
    assert (
        "4 runs: 2 verdict, 0 refused, 2 crash" in text
        and text.count("KeyError: 1") == 1
        and "-20.0 %; evidence: mesh error" in text
    )
    assert np.isfinite(rows[0]["factor"])


def test_a_tapered_wall_has_a_thickness_for_each_element() -> None:
    """From 3 mm to 5 mm along 200: the elements' volume is the solid's, the thin end is thin."""
    import hashlib

    from labilis.mesh import mesh_sheets
    from labilis.model import load_project
    from labilis.shape import build_part
    from tests.parts import to_step

    wedge = to_step(d.extrude([(0, -1.5), (200, -2.5), (200, 2.5), (0, 1.5)], 60.0))
    sha = hashlib.sha256(wedge).hexdigest()
    project = load_project(
        {
            "geometry": [{"file": "w.step", "sha256": sha}],
            "pieces": [{"name": "w", "geometry": "w.step", "mesh_as": "shell"}],
        }
    )
    sheets = build_part(project, {sha: wedge}).sheets
    assert sheets is not None
    thickness = np.concatenate([cell.thickness for cell in mesh_sheets(sheets, 10.0).cells])
    assert (thickness.min(), thickness.max()) == pytest.approx((3.05, 4.95), abs=0.02)
    assert thickness.mean() == pytest.approx(4.0, rel=0.01)


@pytest.mark.full
def test_solids_beside_thin_round_sheets_keep_a_size_of_their_own() -> None:
    """A tube of R/t above 10 asks for short sides; the block that it stands on does not, and the
    cost says so."""
    found = ran("tube on thick foot", "proposed")
    assert found["as"] == ["shell", "solid"]
    assert found["unknowns"] < 60_000


def test_the_mesh_error_covers_what_a_coarse_mesh_is_off() -> None:
    """A clamped strip as a solid of ever fewer elements against Euler's load."""
    from labilis.model import load_project
    from labilis.run import Plan, Runner, Snapshot, judge_project
    from tests.judge.test_mistakes import flat, strip

    euler = np.pi**2 * 210e3 * 20 * 4**3 / 12 / (2 * 200) ** 2 / 100
    for size in (100, 50, 25):
        project = load_project(
            strip(
                pieces=[flat(mesh_as="solid")],
                mesh={"size": f"{size} mm"},
                supports=[{"name": "foot", "on": "foot", "held": ["x", "y", "z"]}],
            )
        )
        modes = (
            judge_project(project, Runner().run(Snapshot(project), Plan("modes")))
            .cases[0]
            .facts.modes
        )
        off = abs(float(modes.positive[0]) / euler - 1.0)
        assert off < modes.first_error + 0.01


@pytest.mark.parametrize(
    ("radius", "wall", "size"), [(40.0, 1.0, 3.6), (25.0, 0.5, 2.0), (30.0, 4.0, None)]
)
def test_a_thin_round_tube_gets_six_elements_to_its_square_half_wave(
    radius: float, wall: float, size: float | None
) -> None:
    """3.46 √(Rt) with R of the mid-surface; a stout one is sized by its width and length."""
    from labilis.mesh import proposed_size
    from labilis.model import load_project
    from labilis.shape import build_part

    section = {"shape": "round tube", "diameter": f"{2 * radius} mm", "thickness": f"{wall} mm"}
    project = load_project(
        {
            "pieces": [
                {
                    "name": "t",
                    "mesh_as": "shell",
                    "recipe": {"kind": "strut", "section": section, "length": "120 mm"},
                }
            ]
        }
    )
    found = proposed_size(build_part(project, {}).view)
    assert (
        found == pytest.approx(size, rel=0.03)
        if size is not None
        else found > 1.3 * 3.46 / 6 * (radius * wall) ** 0.5
    )


@pytest.mark.parametrize(
    "name", ["lapped plates", "hopper cone", "lug with boss", "welded tee", "t with fillets"]
)
@pytest.mark.full
def test_the_cost_of_a_mesh_is_told_within_a_factor_of_two(name: str, tmp_path: Any) -> None:
    """Swept, filled alone and filled together; with another seed than the one it was fitted to."""
    part = FAMILIES[name](np.random.default_rng([SEED, zlib.crc32(name.encode())]))
    snapshot = load_model(write_model(part, tmp_path))
    shape = build_part(snapshot.project, snapshot.files)
    size, solids = planned_sizes(shape.view, None)
    told = estimate(shape.view, size, 2, True, solids).unknowns
    assert 0.5 < mesh_stage(snapshot.project, shape)[2].unknowns / told < 2.0
