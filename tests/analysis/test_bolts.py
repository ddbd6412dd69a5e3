"""Bolts and seams: what they carry, how stiff they are, what only they join, and what is
refused."""

from __future__ import annotations

import dataclasses
from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from labilis.analysis.bolting import Bore, bolt_stiffness
from labilis.judge.bolts import bearing_resistance, bolt_checks, resistances, stress_area
from labilis.judge.ladder import rungs
from labilis.judge.verdict import verdict_of_case
from labilis.mechanics.bolt_block import BoltBlock
from labilis.model import Bolt, LabilisError, load_project
from labilis.model.renaming import renamed
from labilis.run import Plan, Runner, Snapshot, judge_project, stage_keys
from labilis.run.other_idealisation import other_way
from labilis.shape import build_part
from tests.judge.test_mistakes import ALL, STEEL

HOLES = (150.0, 190.0)


def strap(
    name: str, mesh_as: str, z: float, start: float, end: float, turns: Any = ()
) -> dict[str, Any]:
    """A strap 40 x 5 with two holes of 9 mm."""
    return {
        "name": name,
        "material": "steel",
        "mesh_as": mesh_as,
        "recipe": {
            "kind": "plate",
            "thickness": "5 mm",
            "outline": [
                {"x": f"{x} mm", "y": f"{y} mm"}
                for x, y in ((start, 0), (end, 0), (end, 40), (start, 40))
            ],
            "openings": [{"x": f"{x} mm", "y": "20 mm", "diameter": "9 mm"} for x in HOLES],
        },
        "place": {"at": ["0 mm", "0 mm", f"{z} mm"], "turns": list(turns)},
    }


def lapped(
    mesh_as: str = "shell",
    bolts: tuple[int, ...] = (1, 2),
    load: str = "-1 kN",
    guided: bool = True,
    more: dict[str, Any] | None = None,
    **stated: Any,
) -> dict[str, Any]:
    """Two straps that lap over 80 mm, bolted, pushed at the far end."""
    regions = {"foot": "low/side.4", "head": "up/side.2"} | {
        f"{name} {k}": f"{name}/hole.{k}" for name in ("low", "up") for k in (1, 2)
    }
    guide = (
        [{"name": "guide", "on": "ram", "held": ["y", "z", "turn_x", "turn_y", "turn_z"]}]
        if guided
        else []
    )
    bolt = {"diameter": "8 mm", "faces": "apart", **(more or {})}
    return {
        "materials": [STEEL],
        "pieces": [strap("low", mesh_as, 0, 0, 210), strap("up", mesh_as, 5, 130, 340)],
        "regions": [{"name": name, "names": [of]} for name, of in regions.items()],
        "hubs": [{"name": "ram", "region": "head"}],
        "bolts": [{"name": f"M8 {k}", "through": [f"low {k}", f"up {k}"], **bolt} for k in bolts],
        "supports": [
            {"name": "foot", "on": "foot", "held": ALL if mesh_as == "shell" else ["x", "y", "z"]},
            *guide,
        ],
        "loads": [
            {"kind": "force", "name": "push", "on": "ram", "components": [load, "0 N", "0 N"]}
        ],
        "cases": [{"name": "one", "loads": [{"load": "push"}]}],
        "criteria": {"required_factor": "1", "modes": 2},
        "mesh": {"within": "40 %"},
        **stated,
    }


def run(model: dict[str, Any], upto: Any = "modes") -> Any:
    project = load_project(model)
    return judge_project(project, Runner().run(Snapshot(project), Plan(upto))).cases[0]


def said(case: Any) -> Any:
    return next(item for item in case.evidence if item.name == "bolts")


# --- the element
# --------------------------------------------------------------------------------------------------
def block(seed: int = 0) -> BoltBlock:
    rng = np.random.default_rng(seed)
    half = rng.normal(size=(6, 6))
    stiff = half @ half.T
    stiff[:3, 3:] = stiff[3:, :3] = 0.0
    return BoltBlock(np.array([[0, 1, 2, 3]]), stiff[None], rng.normal(size=(1, 3)))


@pytest.mark.parametrize("seed", range(3))
def test_a_rigid_motion_costs_a_bolt_nothing(seed: int) -> None:
    rng, one = np.random.default_rng(seed + 10), block(seed)
    turn, shift = Rotation.random(random_state=seed).as_matrix(), rng.normal(size=3)
    motion = np.array([shift, np.zeros(3), shift, np.zeros(3)])
    rotation = np.array([np.eye(3), turn, np.eye(3), turn])
    ((_, force, _, _),) = one.deformed(motion, rotation, False)
    assert np.abs(force).max() < 1e-12
    small = np.concatenate([shift, [1e-3, 2e-3, -1e-3]])
    local = np.stack([small[:3], small[3:], small[:3], small[3:]])[None]
    assert (
        np.abs(one.linear(local)).max() < 1e-12 and abs(one.energy(local[..., None])).max() < 1e-20
    )


@pytest.mark.parametrize("seed", range(3))
def test_forces_follow_the_bolt_and_balance_at_large_turns(seed: int) -> None:
    """The same relative motion, turned as a whole, gives the same forces, turned; they balance
    in force and in moment."""
    rng, one = np.random.default_rng(seed), block(seed)
    step, small = (
        1e-3 * rng.normal(size=3),
        Rotation.from_rotvec(1e-3 * rng.normal(size=3)).as_matrix(),
    )
    still = (
        np.array([np.zeros(3), np.zeros(3), step, np.zeros(3)]),
        np.array([np.eye(3), np.eye(3), np.eye(3), small]),
    )
    ((_, plain, stiffness, _),) = one.deformed(*still, True)
    assert plain[0, 0] + plain[0, 2] == pytest.approx(np.zeros(3), abs=1e-15)
    about = plain[0, 1] + plain[0, 3] + np.cross(step, plain[0, 2])  # the second hub has moved
    assert about == pytest.approx(np.zeros(3), abs=1e-15)
    turn = Rotation.from_rotvec(rng.normal(size=3)).as_matrix()
    moved = (
        np.array([np.zeros(3), np.zeros(3), turn @ step, np.zeros(3)]),
        np.array([np.eye(3), turn, np.eye(3), turn @ small]),
    )
    ((_, turned, _, _),) = one.deformed(*moved, False)
    assert turned[0] == pytest.approx(plain[0] @ turn.T, rel=1e-9, abs=1e-15)
    # at rest the tangent is the linear stiffness, and small motions give the linear forces
    ((_, linear),) = one.stiffness()
    assert stiffness[0] == pytest.approx(
        linear[0], rel=0.02, abs=0.02 * float(np.abs(linear).max())
    )
    local = np.stack([np.zeros(3), np.zeros(3), step, Rotation.from_matrix(small).as_rotvec()])[
        None
    ]
    assert one.forces(one.linear(local))[0] == pytest.approx(
        plain[0], rel=0.02, abs=5e-3 * float(np.abs(plain).max())
    )
    assert local.reshape(12) @ linear[0] @ local.reshape(12) == pytest.approx(
        2 * float(one.energy(local[..., None]).sum())
    )
    assert one.work(one.linear(local), local) == pytest.approx(
        2 * float(one.energy(local[..., None]).sum())
    )


def bore(depth: float, at: float = 0.0, modulus: float = 210e3) -> Bore:
    return Bore("bore", 0, np.array([0, 0, at]), np.array([0.0, 0.0, 1.0]), 4.5, depth, modulus)


def test_the_stiffness_by_hand() -> None:
    """M8 through 5 and 5 mm: across 159.6 kN/mm (Huth 1986), along 643.6 kN/mm, bending E I / 10
    mm."""
    found = bolt_stiffness(bore(5), bore(5, 5), 8.0, False, False)
    assert np.diag(found)[:3] == pytest.approx([159.6e3, 159.6e3, 643.6e3], rel=1e-3)
    assert np.diag(found)[3:] == pytest.approx([210e3 * np.pi * 8**4 / 64 / 10] * 2 + [0.0])
    held = bolt_stiffness(bore(5), bore(5, 5), 8.0, False, True)
    assert held[5, 5] == pytest.approx(80769 * np.pi * 8**4 / 32 / 10, rel=1e-4)
    # in double shear, middle of 10 between two of 5: both planes together 1 / 1.8793e-6 (by the
    # same formula, n = 2)
    plane = bolt_stiffness(bore(5), bore(10, 5), 8.0, True, False)
    flexible = (15 / 16) ** (2 / 3) * 1.5 * (1 / 10 + 1 / 10 + 1 / 20 + 1 / 20) / 210e3
    assert 2 * plane[0, 0] == pytest.approx(1 / flexible)
    soft = bolt_stiffness(bore(5, modulus=70e3), bore(5, 5), 8.0, False, False)
    assert soft[0, 0] < 0.7 * found[0, 0]
    thin_first, thick_first = (
        bolt_stiffness(bore(a), bore(b, a), 8.0, False, False) for a, b in ((3, 8), (8, 3))
    )
    assert thin_first == pytest.approx(thick_first)


# --- parts
# --------------------------------------------------------------------------------------------------
@pytest.fixture(scope="module")
def shells() -> Any:
    return run(lapped())


def test_shells_and_solids_agree_and_two_bolts_share_the_load(shells: Any) -> None:
    solids = run(lapped("solid", mesh={"size": "8 mm"}))
    first = shells.facts.modes.positive[0]
    assert solids.facts.modes.positive[0] == pytest.approx(first, rel=0.02)
    for case in (shells, solids):
        strength = case.facts.strength
        assert len(strength.bolts) == 2 and abs(
            strength.bolt_growing[:, :3].sum(axis=0)[0]
        ) == pytest.approx(1000, rel=1e-6)
        assert [check.shear for check in bolt_checks(case.facts)] == pytest.approx(
            [500, 500], rel=0.02
        )
        assert np.abs(strength.bolt_held).max() == 0.0
    assert (
        said(shells).state == "caution" and "before the part buckles" in said(shells).text
    )  # at 10 × the load, and it buckles at 36
    assert shells.verdict.meets is True
    assert any("bolt M8" in rung.title for rung in rungs(shells.facts, "1 kN"))


def test_one_bolt_less_or_a_bond_changes_the_factor(shells: Any) -> None:
    """One bolt lets the lap turn; bonded faces hold more than bolts, which then carry nothing
    and say so."""
    first = shells.facts.modes.positive[0]
    assert run(lapped(bolts=(1,))).facts.modes.positive[0] < 0.85 * first
    bonded, plain = run(lapped(more={"faces": "bonded"})), run(lapped(bolts=()))
    assert bonded.facts.modes.positive[0] == pytest.approx(plain.facts.modes.positive[0], rel=0.03)
    assert plain.facts.modes.positive[0] > 1.2 * first
    gate = next(item for item in bonded.verdict.gates if item.name == "stated right")
    assert (
        gate.state == "open"
        and "bonded" in gate.reason
        and bonded.verdict.meets is None
        and plain.verdict.meets is True
    )
    assert (
        said(bonded).state == "caution"
        and "bonded" in said(bonded).text
        and len(bonded.facts.strength.bolts) == 0
    )


@pytest.mark.parametrize("change", ["turned round", "other order", "other unit", "moved"])
def test_the_same_said_another_way_is_the_same(shells: Any, change: str) -> None:
    model = lapped()
    if change == "other order":
        for bolt in model["bolts"]:
            bolt["through"] = bolt["through"][::-1]
        model["bolts"] = model["bolts"][::-1]
    elif change == "other unit":
        for bolt in model["bolts"]:
            bolt["diameter"] = "0.8 cm"
    elif change == "moved":
        for piece in model["pieces"]:
            piece["place"]["at"] = [
                f"{float(text.split()[0]) + 700} mm" for text in piece["place"]["at"]
            ]
    else:  # about y, so that the load is along -z
        for piece in model["pieces"]:
            z = float(piece["place"]["at"][2].split()[0])
            piece["place"] = {
                "at": [f"{z} mm", "0 mm", "0 mm"],
                "turns": [{"about": "y", "angle": "-90 deg"}],
            }
            piece["place"]["at"] = [f"{-z} mm", "0 mm", "0 mm"]
        model["loads"][0]["components"] = ["0 N", "0 N", "-1 kN"]
        model["supports"][1]["held"] = ["x", "y", "turn_x", "turn_y", "turn_z"]
    case = run(model)
    assert case.facts.modes.positive[0] == pytest.approx(shells.facts.modes.positive[0], rel=1e-3)
    assert bolt_checks(case.facts)[0].most == pytest.approx(
        bolt_checks(shells.facts)[0].most, rel=2e-3
    )


def test_a_single_bolt_is_a_pin_unless_friction_holds() -> None:
    with pytest.raises(LabilisError) as caught:
        run(lapped(bolts=(1,), guided=False))
    assert caught.value.code == "mechanism" and "'up' turns about z" in caught.value.what
    assert (
        run(lapped(bolts=(1,), guided=False, more={"turning": "held"})).facts.modes.positive[0] > 0
    )


def test_a_bolt_in_double_shear_has_half_of_the_load_in_each_plane() -> None:
    """One strap between two others."""
    model = lapped("solid")
    model["pieces"].append({**strap("under", "solid", -5, 130, 340)})
    model["pieces"][1]["place"]["at"][2] = "5 mm"
    model["regions"] += [{"name": f"under {k}", "names": [f"under/hole.{k}"]} for k in (1, 2)]
    model["regions"][1]["names"] = ["up/side.2", "under/side.2"]
    for k, bolt in enumerate(model["bolts"], 1):
        bolt["through"] = [f"up {k}", f"low {k}", f"under {k}"]  # in any order
    case = run(model, "strength")
    checks = bolt_checks(case.facts)
    assert len(checks) == 4
    for outer in (
        "up",
        "under",
    ):  # each strap has half of it, the bolt that is nearer to the load a little more
        mine = [check.shear for check in checks if outer in check.pieces]
        assert sum(mine) == pytest.approx(500, rel=1e-4) and mine == pytest.approx(
            [250, 250], rel=0.1
        )
    assert {frozenset(check.pieces) for check in checks} == {
        frozenset({"up", "low"}),
        frozenset({"low", "under"}),
    }


def test_a_trace_goes_through_bolts(shells: Any) -> None:
    """At large deflection the slender lap comes to its ideal load, as the bent one does, and no
    further."""
    plan = {"material": "elastic", "steps": 30, "amplitude": "0.2 mm", "beyond_yield": 50}
    model = lapped(load="-10 kN", mesh={"size": "8 mm"}, trace=plan)
    case = run(model, "trace")
    trace, ideal = case.facts.trace, 0.1 * shells.facts.modes.positive[0]
    assert case.facts.modes.positive[0] == pytest.approx(ideal, rel=0.02)
    assert trace.done and 0.85 * ideal < trace.factors.max() < 1.2 * ideal
    early = trace.largest[1] / trace.factors[1]
    assert early == pytest.approx(case.facts.strength.max_displacement, rel=0.5)


def test_a_bolt_s_pull_is_found() -> None:
    """The head strap pulled off: the sum of both pulls is the load."""
    model = lapped("solid")
    model["loads"][0]["components"] = ["0 N", "0 N", "200 N"]
    model["supports"][1]["held"] = ["x", "y", "turn_x", "turn_y", "turn_z"]
    strength = run(model, "strength").facts.strength
    assert np.einsum(
        "bi,bi->b", strength.bolt_growing[:, :3], strength.bolt_axes
    ).sum() == pytest.approx(200, rel=1e-6)
    pulls = [check.pull for check in bolt_checks(run(model, "strength").facts)]
    assert pulls == pytest.approx([100, 100], rel=0.02)  # its end is kept level


# --- EN 1993-1-8
# --------------------------------------------------------------------------------------------------
def test_resistances_by_hand(shells: Any) -> None:
    """M8: 36.6 mm². 8.8: 0.6 · 800 · 36.6 / 1.25 and 0.9 · 800 · 36.6 / 1.25; 10.9: 0.5 · 1000 ·
    36.6 / 1.25."""
    project = shells.facts.project
    bolt = Bolt(name="b", through=("low 1", "up 1"), diameter="8 mm")
    assert resistances(project, bolt) == pytest.approx((14054.4, 21081.6))
    assert resistances(project, bolt.model_copy(update={"grade": "10.9"})) == pytest.approx(
        (14640.0, 26352.0)
    )
    assert stress_area(8.0) == 36.6 and stress_area(8.4) == pytest.approx(0.75 * np.pi * 8.4**2 / 4)
    # 5 mm of S235 at 1.2 bores: α = 0.4, k1 = 1.66; far from the edge α = 1, k1 = 2.5
    assert bearing_resistance(project, bolt, "low", 5.0, 9.0) == pytest.approx(
        1.66 * 0.4 * 235 * 8 * 5 / 1.25
    )
    far = bolt.model_copy(update={"edge": "40 mm"})
    assert bearing_resistance(project, far, "low", 5.0, 9.0) == pytest.approx(
        2.5 * 235 * 8 * 5 / 1.25
    )


@pytest.mark.parametrize(
    ("load", "more", "meets", "words"),
    [
        ("-4 kN", {}, True, ""),
        ("-12 kN", {}, None, "presses on its piece"),
        ("-12 kN", {"edge": "20 mm"}, True, ""),
        ("-18 kN", {"edge": "20 mm", "grade": "4.6"}, False, "EN 1993-1-8 allows"),
        ("-34 kN", {"edge": "20 mm"}, False, "EN 1993-1-8 allows"),
    ],
)
def test_what_a_bolt_cannot_bear_does_not_pass(
    load: str, more: dict[str, Any], meets: bool | None, words: str
) -> None:
    """Strength gate: 2 x 14.05 kN in shear (4.6: 2 x 7.03), 2 x 4.99 kN in bearing without an
    edge distance, 2 x 13.9 at 20 mm."""
    case = run(
        lapped(
            load=load,
            more=more,
            criteria={
                "required_factor": "1",
                "modes": 1,
                "capacity": "0.1",
                "mesh_error": False,
                "left_out": {"strength": ""},
            },
            mesh={"size": "8 mm"},
        )
    )
    gate = next(item for item in case.verdict.gates if item.name == "strength")
    if case.facts.strength.strength_factor < 1 and meets:
        assert gate.state == "open" and "yields" in gate.reason
    else:
        assert (
            words in gate.reason
            and gate.state == {True: "passes", None: "open", False: "fails"}[meets]
        )
    assert case.verdict.meets is not True or meets


def test_every_bolt_is_asked_not_only_the_one_that_goes_first(shells: Any) -> None:
    """One presses too hard on its piece, another is torn off: the part fails."""
    strength = shells.facts.strength
    edge = [
        bolt.model_copy(update={"edge": "60 mm"}) if number else bolt
        for number, bolt in enumerate(shells.facts.project.bolts)
    ]
    project = shells.facts.project.changed(bolts=edge)
    forces = strength.bolt_growing.copy()
    first, second = (list(strength.bolts).index(bolt.name) for bolt in project.bolts)
    forces[first] *= 25  # 12.5 kN: of 5 in bearing, the lowest factor, of 14.05 in shear
    forces[second] *= 30  # 15 kN of 14.05 in shear
    facts = dataclasses.replace(
        shells.facts, project=project, strength=dataclasses.replace(strength, bolt_growing=forces)
    )
    checks = bolt_checks(facts)
    assert (
        checks[0].name == project.bolts[0].name
        and checks[0].used < 1.0 < checks[0].bearing
        and checks[1].used > 1.0
    )
    assert (
        next(item for item in verdict_of_case(facts, ()).gates if item.name == "strength").state
        == "fails"
    )


@pytest.mark.parametrize(
    ("names", "code"),
    [(["low/hole.1", "low/hole.2"], "bolt-bore"), (["low/hole.1", "up/hole.1"], "several-pieces")],
)
def test_a_region_of_more_than_one_bore_is_refused(names: list[str], code: str) -> None:
    """Two holes of a piece would be one rigid rim, and two pieces would be one."""
    model = lapped()
    next(region for region in model["regions"] if region["name"] == "low 1")["names"] = names
    with pytest.raises(LabilisError) as caught:
        run(model, "strength")
    assert caught.value.code == code and caught.value.remedy


def test_a_seam_on_edges_of_two_pieces_is_refused() -> None:
    model = ribbed(("front",))
    model["regions"][2]["names"] = ["rib/side.1+bottom", "base/side.1+top"]
    with pytest.raises(LabilisError) as caught:
        run(model, "strength")
    assert caught.value.code == "several-pieces"


def test_a_bolt_that_is_removed_leaves_the_hubs() -> None:
    """A hub stiffens its region whether something acts on it or not."""
    from labilis.edit.removing import without

    project = load_project(lapped(supports=lapped(guided=False)["supports"], loads=[], cases=[]))
    assert project.hubs and without(project, "bolts", "M8 1")[0].hubs == project.hubs


def test_held_and_growing_parts_make_the_factor_of_a_bolt(shells: Any) -> None:
    """Half of the resistance held leaves half to grow."""
    strength = shells.facts.strength
    least = bolt_checks(shells.facts)[0].factor
    both = dataclasses.replace(strength, bolt_held=0.5 * least * strength.bolt_growing)
    assert bolt_checks(dataclasses.replace(shells.facts, strength=both))[0].factor == pytest.approx(
        0.5 * least, rel=1e-6
    )
    over = dataclasses.replace(strength, bolt_held=1.5 * least * strength.bolt_growing)
    assert bolt_checks(dataclasses.replace(shells.facts, strength=over))[0].factor == 0.0


# --- statements
# --------------------------------------------------------------------------------------------------
@pytest.mark.parametrize(
    ("change", "code"),
    [
        ({"through": ["low 1", "up 2"]}, "bolt-line"),
        ({"diameter": "12 mm"}, "bolt-fit"),
        ({"diameter": "-8 mm"}, "bolt"),
        ({"through": ["low 1", "head"]}, "bolt-bore"),
        ({"through": ["low 1", "low 2"]}, "bolt-line"),
    ],
)
def test_what_is_no_bolt_is_refused(change: dict[str, Any], code: str) -> None:
    model = lapped()
    model["bolts"] = [{**model["bolts"][0], **change}]
    with pytest.raises(LabilisError) as caught:
        run(model, "strength")
    assert caught.value.code == code and caught.value.remedy


@pytest.mark.parametrize(
    "change",
    [
        {"through": ["low 1", "low 1"]},
        {"through": ["low 1"]},
        {"through": ["low 1", "nowhere"]},
        {"grade": "9.9"},
        {"diameter": "8 N"},
    ],
)
def test_statements_that_make_no_sense_are_refused(change: dict[str, Any]) -> None:
    model = lapped()
    model["bolts"] = [{**model["bolts"][0], **change}]
    with pytest.raises(LabilisError):
        load_project(model)


def test_every_word_of_a_bolt_that_counts_is_in_the_keys() -> None:
    keys = [
        stage_keys(load_project(lapped(more=more)))
        for more in (
            {},
            {"diameter": "7 mm"},
            {"faces": "bonded"},
            {"turning": "held"},
            {"edge": "20 mm"},
            {"grade": "4.6"},
        )
    ]
    assert (
        len({key.modes for key in keys}) == 4 and keys[4] == keys[5] == keys[0]
    )  # edge distance and grade are the judge's
    assert keys[2].mesh != keys[0].mesh == keys[1].mesh


def test_names_of_regions_and_pieces_are_followed() -> None:
    project = load_project(lapped(seams=[{"name": "weld", "along": "foot", "to": "up"}]))
    index = [region.name for region in project.regions].index("low 1")
    assert renamed(project, "regions", index, "first bore").bolts[0].through == (
        "first bore",
        "up 1",
    )
    assert renamed(project, "pieces", 1, "cap").seams[0].to == "cap"


def test_bolts_stay_in_a_cross_check() -> None:
    project = load_project(lapped())
    other = other_way(project, {}, build_part(project, {})).project
    assert other.bolts == project.bolts and {piece.mesh_as for piece in other.pieces} == {"solid"}


# --- seams
# --------------------------------------------------------------------------------------------------
def ribbed(seams: tuple[str, ...], mesh_as: str = "solid") -> dict[str, Any]:
    """A rib 80 x 40 x 6 that stands on a base, welded along some of its lower edges, and pushed
    sideways at its top."""

    def plate(
        name: str, wide: float, deep: float, thick: float, place: dict[str, Any]
    ) -> dict[str, Any]:
        return {
            "name": name,
            "material": "steel",
            "mesh_as": mesh_as,
            "place": place,
            "recipe": {
                "kind": "plate",
                "thickness": f"{thick} mm",
                "outline": [
                    {"x": f"{x} mm", "y": f"{y} mm"}
                    for x, y in ((0, 0), (wide, 0), (wide, deep), (0, deep))
                ],
            },
        }

    pieces = [
        plate("base", 120, 60, 8, {"at": ["0 mm", "0 mm", "-4 mm"]}),
        plate(
            "rib",
            80,
            40,
            6,
            {"at": ["20 mm", "30 mm", "0 mm"], "turns": [{"about": "x", "angle": "90 deg"}]},
        ),
    ]
    regions = [
        {"name": "floor", "names": ["base/bottom"]},
        {"name": "top", "names": ["rib/side.3"]},
    ]
    regions += [
        {"name": "front", "names": ["rib/side.1+bottom"]},
        {"name": "back", "names": ["rib/side.1+top"]},
    ]
    return {
        "materials": [STEEL],
        "pieces": pieces,
        "regions": regions,
        "seams": [{"name": f"weld {name}", "along": name, "to": "base"} for name in seams],
        "supports": [{"name": "floor", "on": "floor", "held": ["x", "y", "z"]}],
        "loads": [
            {"kind": "force", "name": "push", "on": "top", "components": ["0 N", "100 N", "0 N"]}
        ],
        "cases": [{"name": "one", "loads": [{"load": "push"}]}],
        "criteria": {"modes": 1},
        "mesh": {"size": "5 mm"},
    }


def test_seams_along_both_sides_hold_and_one_alone_is_a_hinge() -> None:
    bonded, both = run(ribbed(()), "strength"), run(ribbed(("front", "back")), "strength")
    stiff, welded = bonded.facts.strength.max_displacement, both.facts.strength.max_displacement
    assert stiff < welded < 1.6 * stiff
    with pytest.raises(LabilisError) as caught:
        run(ribbed(("front",)), "strength")
    assert caught.value.code == "mechanism" and "'rib' turns about x" in caught.value.what


def test_a_seam_joins_its_edges_only_and_says_where_it_touches_nothing() -> None:
    model = ribbed(("front", "back"))
    project = load_project(model)
    mesh = Runner().run(Snapshot(project), Plan("mesh"))[stage_keys(project).mesh]
    ((one, two, count),) = mesh.bonded
    assert {one, two} == {0, 1} and len(mesh.fused) == 0
    # two edges of 80 mm, second-order elements of 5 mm
    assert 2 * 16 <= count <= 2 * 48
    model["regions"][2]["names"] = ["rib/side.3+bottom"]
    with pytest.raises(LabilisError) as caught:
        run(model, "strength")
    assert caught.value.code == "seam-apart" and "weld front" in caught.value.what
    itself = ribbed(())
    itself["seams"] = [{"name": "weld", "along": "front", "to": "rib"}]
    with pytest.raises(LabilisError, match="itself"):
        run(itself, "mesh")


def test_a_line_is_neither_bolted_nor_welded() -> None:
    post = {
        "name": "post",
        "material": "steel",
        "mesh_as": "line",
        "place": {"at": ["60 mm", "30 mm", "0 mm"]},
        "recipe": {
            "kind": "strut",
            "length": "90 mm",
            "section": {"shape": "round", "diameter": "8 mm"},
        },
    }
    model = ribbed(())
    model["pieces"][1] = post
    model["regions"] = [
        model["regions"][0],
        {"name": "end", "names": ["post/start"]},
        {"name": "top", "names": ["post/end"]},
    ]
    for more in (
        {"seams": [{"name": "weld", "along": "end", "to": "base"}]},
        {"bolts": [{"name": "M8", "through": ["end", "top"], "diameter": "8 mm"}]},
    ):
        with pytest.raises(LabilisError) as caught:
            run({**model, **more}, "strength")
        assert caught.value.code in ("empty-region", "bolt-bore")


def test_a_lap_welded_across_its_ends_is_softer_than_a_bonded_one() -> None:
    """The straps between are free of each other. A seam on a solid is a line of nodes and turns,
    on a shell it carries the turn as well."""
    found = []
    for mesh_as, ends in (
        ("shell", ("low/side.2", "up/side.4")),
        ("solid", ("low/side.2+top", "up/side.4+bottom")),
    ):
        model = lapped(mesh_as, bolts=())
        model["regions"] += [
            {"name": "low end", "names": [ends[0]]},
            {"name": "up end", "names": [ends[1]]},
        ]
        model["seams"] = [
            {"name": "a", "along": "low end", "to": "up"},
            {"name": "b", "along": "up end", "to": "low"},
        ]
        model["mesh"] = {"size": "10 mm"}
        found.append(float(run(model).facts.modes.positive[0]))
    bonded = float(run(lapped(bolts=())).facts.modes.positive[0])
    assert 0.8 * found[0] < found[1] < found[0]
    assert found[1] < 0.95 * bonded and found[0] < 1.05 * bonded


def test_the_axis_of_an_arc_goes_through_its_centre() -> None:
    """The rim of a hole in a sheet may be several arcs, whose own centroids lie off it."""
    from labilis.analysis.regions import circle_centre, region_cylinder

    project = load_project(lapped())
    view = build_part(project, {}).view
    arcs = [row for row, name in enumerate(view.edges.name) if "low/hole.1" in str(name)]
    assert len(arcs) > 1 and np.linalg.norm(view.edges.centroid[arcs[0]] - [150, 20, 0]) > 1
    for arc in arcs:
        assert circle_centre(view, arc) == pytest.approx([150, 20, 0], abs=1e-6)
    axis = region_cylinder(project.named("regions", "low 1"), view)
    assert axis is not None and axis[0] == pytest.approx([150, 20, 0], abs=1e-6)
