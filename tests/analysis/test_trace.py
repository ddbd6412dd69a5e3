"""The path follower: snap-through, finite rotations of hubs and bonds, step size, quadratic
convergence, what stops it."""

from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np
import pytest

from labilis.judge.path_axes import LARGEST, POINT, along, path_axes
from labilis.mechanics.blocks import ShellBlock, SolidBlock
from labilis.mechanics.shell import exponential, logarithm, smooth_triads
from labilis.mechanics.ties import HeldNodes, Ties, make_ties
from labilis.model import LabilisError, load_project
from labilis.results.trace_ends import ENDS, ends_of, what_to_try
from labilis.run import Plan, Runner, Snapshot, judge_project
from labilis.solve import trace as tracing
from labilis.solve.system import System
from labilis.solve.trace import TraceControl, Tracer
from labilis.words.trace import trace_sentences
from validation.recipes import case_of, flat, force, hold, mm, region, shell

STEEL = {
    "name": "steel",
    "youngs_modulus": "210 GPa",
    "poisson_ratio": "0.3",
    "yield_strength": "235 MPa",
    "density": "7850 kg/m^3",
}


def traced(model: dict[str, Any], **plan: Any) -> Any:
    project = load_project(
        {"labilis": 2, "materials": [STEEL], "criteria": {"modes": 2}, "trace": plan, **model}
    )
    told: list[str] = []
    runner = Runner()
    results = runner.run(
        Snapshot(project), Plan("trace"), lambda progress: told.append(progress.text)
    )
    report = judge_project(project, results)
    assert any("Tracing" in text for text in told)
    return report.cases[0]


L, W, T = 300.0, 20.0, 2.0
EI = 210e3 * W * T**3 / 12
STRIP = {
    "pieces": [shell("strip", flat(L, W, T))],
    "regions": [region("foot", "strip/side.4"), region("head", "strip/side.2")],
    "mesh": {"size": "10 mm"},
}
PINNED = {
    **STRIP,
    "supports": [hold("foot", "x", "y", "z"), hold("head", "y", "z")],
    **case_of(force("head", x=-100.0)),
}


def roof(control: TraceControl, n: int = 12, t: float = 12.7) -> Tracer:
    """Hinged shallow cylindrical roof under a central force of 1 kN (Sabir and Lock 1972), a
    quarter of a million N of stiffness."""
    radius, half, modulus, ratio = 2540.0, 254.0, 3102.75, 0.3
    x, y = np.meshgrid(
        np.linspace(0, 2 * half, n + 1), np.linspace(0, 2 * half, n + 1), indexing="ij"
    )
    angle = (x.ravel() - half) / radius
    nodes = np.stack([radius * np.sin(angle), y.ravel(), radius * np.cos(angle)], axis=1)
    i, j = np.meshgrid(np.arange(n), np.arange(n), indexing="ij")
    a = (i * (n + 1) + j).ravel()
    quads = np.stack([a, a + n + 1, a + n + 2, a + 1], axis=1)
    count = len(nodes)
    block = ShellBlock(
        nodes,
        quads,
        count + np.arange(count),
        np.full(len(quads), t),
        smooth_triads(nodes[quads], quads),
        modulus,
        ratio,
    )
    ends = np.flatnonzero(np.isclose(np.abs(nodes[:, 0]), np.abs(nodes[:, 0]).max()))
    held = [HeldNodes(ends, np.broadcast_to(np.eye(3), (len(ends), 3, 3)), 0)]
    places, place_of = np.concatenate([nodes, nodes]), np.tile(np.arange(count), 2)

    def ties_at(now: np.ndarray) -> Ties:
        return make_ties(now, held, [], (), place_of)

    middle = int(np.argmin(np.linalg.norm(nodes[:, :2] - [0, half], axis=1)))
    push = np.zeros((2 * count, 3))
    push[middle, 2] = -1000.0
    tracer = Tracer(
        System(nodes, (block,), ties_at(places)),
        places,
        ties_at,
        push.ravel(),
        0 * push.ravel(),
        ([], []),
        control,
    )
    tracer.middle = middle  # type: ignore[attr-defined]
    return tracer


def test_shallow_roof_snaps_through_at_its_known_limit() -> None:
    tracer = roof(TraceControl(first=0.2, largest=0.4, target=3.0, steps=60, fall=0.7))
    *_, (result, last) = tracer.run()
    assert result.limit == pytest.approx(2.2, rel=0.02)  # published limits lie near 2.2 kN
    assert result.reason == "limit"
    peak = int(result.factors.argmax())
    assert result.points[peak - 1].negative == 0 and any(
        point.negative for point in result.points[peak:]
    )
    assert last.arc and not result.points[1].arc
    sink = [-point.motion[tracer.middle, 2] for point in result.points]  # type: ignore[attr-defined]
    assert np.all(np.diff(sink) > 0)


def test_the_path_does_not_depend_on_the_step() -> None:
    def at(first: float) -> float:
        tracer = roof(TraceControl(first=first, largest=first, target=1.8, steps=60))
        for _, point in tracer.run():
            last = point
        assert last.factor == pytest.approx(1.8, rel=1e-9)
        return float(last.motion[tracer.middle, 2])  # type: ignore[attr-defined]

    assert at(0.2) == pytest.approx(at(0.6), rel=1e-6)


def test_newton_converges_quadratically() -> None:
    tracer = roof(TraceControl(), 6)
    norms: list[float] = []
    balance = tracer._balance

    def watched(state: Any, value: float, tangent: bool = True) -> Any:
        found = balance(state, value, tangent)
        if tangent:
            norms.append(float(np.linalg.norm(found[1]) / found[3]))
        return found

    tracer._balance = watched  # type: ignore[method-assign]
    tracer.control = replace(tracer.control, tolerance=1e-11)
    points = tracer.run()
    next(points)
    next(points)
    small = [(a, b) for a, b in pairwise(norms[1:]) if 1e-6 < a < 1e-1]
    assert small and all(b < 50 * a**2 + 1e-9 for a, b in small)


def test_what_a_step_begins_with_changes_no_point(monkeypatch: pytest.MonkeyPatch) -> None:
    """Along the curvature and by the last factor, against Newton's method alone: the same path, for
    little over half of the factors."""

    def path() -> tuple[np.ndarray, int]:
        tracer = roof(TraceControl(first=0.2, largest=0.2, target=3.0, steps=12))
        made: list[int] = []
        factor_of = tracer._factor
        tracer._factor = lambda *known: (made.append(1), factor_of(*known))[1]  # type: ignore
        *_, (result, _) = tracer.run()
        sink = [point.motion[tracer.middle, 2] for point in result.points]  # type: ignore
        return np.stack([result.factors, sink]), len(made)

    quick, few = path()
    monkeypatch.setattr(tracing, "_MOST_BEND", 0.0)
    monkeypatch.setattr(tracing, "_CLOSE", 0.0)
    monkeypatch.setattr(Tracer, "_standing", lambda *_: None)
    slow, many = path()
    under = slow[0] < 2.0  # along the arc steps are as long as Newton's method finds them easy
    count = int(np.argmin(under)) or len(under)
    assert count > 6
    assert np.allclose(quick[:, :count], slow[:, :count], rtol=1e-6)
    assert few < 0.56 * many


def test_rotation_vectors_and_back() -> None:
    vectors = np.random.default_rng(3).uniform(-1.7, 1.7, (50, 3))
    assert np.allclose(logarithm(exponential(vectors)), vectors, atol=1e-9)


@pytest.mark.parametrize("first", ["0.4", "1.3"])
def test_what_is_verified_keeps_to_the_motion_that_is_allowed(first: str) -> None:
    """A cantilever strip pushed across: its path is nearly straight, so that the factor at 5 mm is
    known, however long the step is that goes past it."""
    model = {
        **STRIP,
        "supports": [hold("foot", "x", "y", "z", "turn_x", "turn_y", "turn_z")],
        **case_of(force("head", z=-0.1)),
    }
    plan = {"mode": 0, "target": "40", "first": first, "longest": first, "deflection": "5 mm"}
    trace = traced(model, material="elastic", **plan).facts.trace
    assert trace.reason.startswith("the deflection allowed") and trace.largest[-1] > 5.0
    assert trace.verified == pytest.approx(5.0 * 3 * EI / L**3 / 0.1, rel=0.01)
    assert trace.verified < trace.factors[-1]
    # nothing is allowed: nothing is verified
    plan["deflection"] = "0 mm"
    assert traced(model, material="elastic", **plan).facts.trace.verified == 0.0


def test_a_bowed_strut_loses_little_and_yields_where_the_secant_formula_says() -> None:
    case = traced(PINNED, amplitude="0.3 mm", material="elastic")
    trace = case.facts.trace
    euler = np.pi**2 * EI / L**2 / 100
    assert trace.ideal == pytest.approx(euler, rel=0.01)
    # mean stress plus bending of the grown bow reaches the yield strength (Perry 1886)
    area, modulus = W * T, W * T**2 / 6
    factor = np.linspace(0.1, 0.999, 20000) * euler
    stress = 100 * factor / area + 100 * factor * 0.3 / (1 - factor / euler) / modulus
    expected = factor[np.argmax(stress >= 235.0)]
    assert trace.first_yield == pytest.approx(expected, rel=0.02)
    assert trace.verified == trace.first_yield < trace.ideal
    assert any(item.name == "trace" and item.state == "good" for item in case.evidence)
    line = next(item for item in case.evidence if item.name == "Southwell line")
    assert line.state == "good" and float(line.figure) == pytest.approx(euler, rel=0.02)
    other = traced(PINNED, amplitude="0.3 mm", sign="-", material="elastic").facts.trace
    assert other.verified == pytest.approx(trace.verified, rel=1e-3)
    # let it yield: it carries a little more than to first yield, less than Euler's load
    yielding = traced(PINNED, amplitude="0.3 mm").facts.trace
    assert yielding.yielding and yielding.first_yield == pytest.approx(expected, rel=0.02)
    assert expected < yielding.verified < trace.ideal and yielding.verified == yielding.limit
    assert yielding.plastic[-1] > 0 and yielding.plastic[0] == 0


def test_linear_and_large_deflection_side_by_side() -> None:
    """A strip bent far by a force across: the linear run lengthens and overrates it, the trace
    keeps the length."""
    model = {
        **STRIP,
        "supports": [hold("foot", "x", "y", "z", "turn_x", "turn_y", "turn_z")],
        **case_of(force("head", z=5 * EI / L**2)),
    }
    case = traced(model, mode=0, target="1", material="elastic", beyond_yield=1e9, deflection="1 m")
    found = {item.name: item for item in case.evidence}
    assert found["stretch"].state == "bad"  # linear: 1.67 L of deflection
    assert float(found["large against linear"].figure) == pytest.approx(
        0.7138 / (5 / 3) * np.hypot(1, 0.3876 / 0.7138), rel=0.02
    )
    assert found["large against linear"].state == "bad"
    assert (
        found["length on the trace"].state == "good"
        and float(found["length on the trace"].figure) < 0.3
    )
    gentle = traced(
        {**model, **case_of(force("head", z=0.05 * EI / L**2))},
        mode=0,
        target="1",
        material="elastic",
        beyond_yield=1e9,
    )
    assert (
        next(item for item in gentle.evidence if item.name == "large against linear").state
        == "good"
    )


def test_held_loads_come_first() -> None:
    euler = np.pi**2 * EI / L**2
    held = {**force("head", x=-0.5 * euler), "name": "held", "growth": "held"}
    model = {**PINNED, **case_of(force("head", x=-100.0), held)}
    trace = traced(
        model, amplitude="0.3 mm", beyond_yield=1e6, target=f"{0.3 * euler / 100!r}"
    ).facts.trace
    assert trace.factors[0] == 0.0 and trace.probe[0] == pytest.approx(
        0.3, rel=0.03
    )  # δ0 · 0.5 / 0.5
    assert trace.probe[-1] == pytest.approx(0.3 * 4.0, rel=0.03)


def test_a_stiff_arm_turns_by_a_finite_angle() -> None:
    """A strip bent by a force on an arm: the arm keeps its length while it turns far."""
    model = {
        **STRIP,
        "hubs": [{"name": "arm", "region": "head", "at": [mm(L), mm(W / 2), "60 mm"]}],
        "supports": [hold("foot", "x", "y", "z", "turn_x", "turn_y", "turn_z")],
        **case_of(force("arm", x=-20.0)),
    }
    facts = traced(
        model, mode=0, target="3", material="elastic", beyond_yield=1e9, deflection="1 m"
    ).facts
    trace = facts.trace
    assert trace.factors[-1] == pytest.approx(3.0)
    assert trace.largest[-1] > 60.0  # it has turned far
    head = np.flatnonzero(facts.mesh.nodes[:, 0] > L - 1e-6)
    before, after = facts.mesh.nodes[head], facts.mesh.nodes[head] + trace.motions[-1][head]
    apart = [np.linalg.norm(places[:, None] - places[None], axis=2) for places in (before, after)]
    assert np.allclose(*apart, atol=1e-3)  # what the hub holds stays rigid at any turn


def test_a_trace_says_why_it_ended_and_what_to_try() -> None:
    """Pulled until strains are no longer small; pushed through itself; out of steps."""
    rubber = {"name": "steel", "youngs_modulus": "100 MPa", "poisson_ratio": "0"}
    pull = traced(
        {
            **STRIP,
            "materials": [rubber],
            "supports": [hold("foot", "x", "y", "z"), hold("head", "y", "z")],
            **case_of(force("head", x=100.0)),
        },
        mode=0,
        target="10",
        deflection="1e6 mm",
    )
    trace = pull.facts.trace
    assert (
        "strains passed 5 %" in trace.reason
        and trace.largest[-1] > 0.05 * L
        and trace.largest[-2] < 0.05 * L
    )
    said = " ".join(
        span.text for line in trace_sentences(pull.facts.project, pull.facts) for span in line
    )
    assert "strains passed 5 %" in said and "let the material yield" in said
    short = traced(PINNED, steps=3).facts.trace
    assert what_to_try(short.reason).startswith("Allow more steps")
    assert all(why for why, _ in ENDS.values()) and what_to_try("the limit was passed") == ""


def test_elements_know_when_they_are_inside_out() -> None:
    nodes = np.array([[0.0, 0, 0], [10, 0, 0], [0, 10, 0], [0, 0, 10]])
    solid, still = (
        SolidBlock(nodes, np.array([[0, 1, 2, 3]]), 210e3, 0.3),
        np.tile(np.eye(3), (8, 1, 1)),
    )
    through = np.zeros((4, 3))
    through[3, 2] = -9.0
    assert not solid.turned_over(through, still)
    through[3, 2] = -11.0
    assert solid.turned_over(through, still)
    flat = np.array([[0.0, 0, 0], [10, 0, 0], [10, 10, 0], [0, 10, 0]])
    quads = np.array([[0, 1, 2, 3]])
    sheet = ShellBlock(
        flat,
        quads,
        4 + np.arange(4),
        np.array([1.0]),
        smooth_triads(flat[quads], quads),
        210e3,
        0.3,
    )
    half = np.diag([1.0, -1.0, -1.0])  # half a turn about x: the sheet and its directors together
    turned = np.concatenate([still[:4], np.tile(half, (4, 1, 1))])
    assert not sheet.turned_over(np.concatenate([flat @ half - flat, 0 * flat]), turned)
    assert sheet.turned_over(np.concatenate([flat @ half - flat, 0 * flat]), still)


def test_places_and_hubs_are_followed() -> None:
    """A cantilever bent by a moment on a hub: the hub turns by M L/EI and goes where a circle
    goes; the curve may be drawn over each."""
    turn = 0.9
    moment = {
        "kind": "moment",
        "name": "m",
        "on": "tip",
        "components": ["0 N*m", f"{-turn * EI / L!r} N*mm", "0 N*m"],
    }
    steel = {**STEEL, "poisson_ratio": "0", "yield_strength": "1e6 MPa"}
    trace = traced(
        {
            **STRIP,
            "materials": [steel],
            "hubs": [{"name": "tip", "region": "head"}],
            "supports": [hold("foot", "x", "y", "z", "turn_x", "turn_y", "turn_z")],
            **case_of(moment),
        },
        mode=0,
        target="1",
        deflection="1e6 mm",
        beyond_yield=1e9,
    ).facts.trace
    row = list(trace.places).index("tip")
    assert list(trace.places) == ["foot", "head", "tip"] and trace.probes.shape == (
        len(trace.factors),
        3,
        4,
    )
    assert (
        trace.probes[-1, row, 3] == pytest.approx(np.degrees(turn), rel=5e-3)
        and np.isnan(trace.probes[:, 1, 3]).all()
    )
    assert abs(trace.probes[-1, row, 2]) == pytest.approx(L * (1 - np.cos(turn)) / turn, rel=5e-3)
    assert trace.probes[-1, row, 0] == pytest.approx(L * (np.sin(turn) / turn - 1), rel=5e-3)
    assert np.allclose(
        trace.probes[:, 1, :3], trace.probes[:, row, :3], atol=1e-6 * L
    )  # the edge goes with its hub
    axes = path_axes(trace)
    assert (
        axes[:2] == [POINT, LARGEST]
        and "turn of tip, °" in axes
        and "head, z, mm" in axes
        and "head, y, mm" not in axes
    )
    assert (
        np.array_equal(along(trace, "turn of tip, °"), trace.probes[:, row, 3])
        and along(trace, "nowhere") is None
    )
    # bent to a circle, every element is stressed alike
    assert trace.stress.shape == (len(trace.frame), len(trace.stress[0])) and not trace.strain.any()
    assert trace.stress[-1] == pytest.approx(
        np.full(len(trace.stress[0]), 210e3 * T / 2 * turn / L), rel=0.02
    )


def test_bonded_and_solid_parts_are_traced_too() -> None:
    rib = {"kind": "rib", "width": mm(90), "height": mm(40), "top": mm(30), "thickness": mm(2)}
    pieces = [
        shell("base", flat(120, 60, 3)),
        shell("rib", rib, (10, 30, 1.5), (("x", 90.0),), mesh_as="solid"),
    ]
    model = {
        "pieces": pieces,
        "regions": [region("foot", "base/side.4"), region("head", "rib/top")],
        "supports": [hold("foot", "x", "y", "z", "turn_x", "turn_y", "turn_z")],
        **case_of(force("head", z=-300.0)),
        "mesh": {"size": "12 mm"},
    }
    case = traced(model, mode=0, target="0.05", beyond_yield=1e9)
    trace, strength = case.facts.trace, case.facts.strength
    # while the motion is small both agree
    assert trace.largest[-1] == pytest.approx(0.05 * strength.max_displacement, rel=0.02)


HOT = {**STEEL, "poisson_ratio": "0", "expansion": "12e-6/K"}
BETWEEN = {
    **STRIP,
    "materials": [HOT],
    "supports": [hold("foot", "x", "y", "z"), hold("head", "x", "y", "z")],
}


def heat(change: str, **more: Any) -> dict[str, Any]:
    return {"kind": "temperature", "name": "heat", "change": change, **more}


def test_a_heated_strut_between_walls_bows_as_its_free_growth_asks() -> None:
    """With a sine bow a0, P = P_E (1 - a0/a), and what the bow takes up is what the heat asks for
    less the compression: α ΔT L = π² (a² - a0²)/(4 L) + P L/EA."""
    start = 0.3
    case = traced(
        {**BETWEEN, **case_of(heat("50 K"))}, amplitude=mm(start), target="1.2", beyond_yield=1e9
    )
    trace = case.facts.trace
    assert trace.reason == "the factor asked for was reached"
    a = start + trace.probe[-1]
    euler = np.pi**2 * EI / L**2
    strain = np.pi**2 * (a**2 - start**2) / (4 * L**2) + euler * (1 - start / a) / (210e3 * W * T)
    assert trace.factors[-1] * 12e-6 * 50 == pytest.approx(strain, rel=0.01)


def test_the_perfect_heated_strut_loses_its_stability_where_the_first_mode_says() -> None:
    case = traced({**BETWEEN, **case_of(heat("10 K"))}, mode=0, target="40", beyond_yield=1e9)
    trace, first = case.facts.trace, case.facts.modes.positive[0]
    assert first * 12e-6 * 10 * 210e3 * W * T == pytest.approx(np.pi**2 * EI / L**2, rel=0.01)
    lost = int(np.argmax(trace.negative > 0))
    assert (
        trace.negative[lost] > 0
        and trace.factors[lost - 1] * 0.995 <= first <= trace.factors[lost] * 1.005
    )


def test_the_perfect_strut_has_its_first_negative_pivot_at_the_first_factor() -> None:
    for share, lost in ((0.995, 0), (1.005, 1)):
        first = float(modes_of(PINNED)[0])
        trace = traced(PINNED, mode=0, target=repr(share * first), beyond_yield=1e9).facts.trace
        assert (
            trace.factors[-1] == pytest.approx(share * first, rel=1e-9)
            and trace.negative[-1] == lost
        )


def modes_of(model: dict[str, Any]) -> Any:
    project = load_project({"labilis": 2, "materials": [STEEL], "criteria": {"modes": 2}, **model})
    return (
        judge_project(project, Runner().run(Snapshot(project), Plan("modes")))
        .cases[0]
        .facts.modes.positive
    )


def test_no_energy_is_won_or_lost_on_an_elastic_loop() -> None:
    """Inner forces along a closed path of large motions and turns do no work in all: ∮ f·du + m·ω
    dt = 0, by the trapezoidal rule, which is exact to many digits on a period."""
    rng = np.random.default_rng(4)
    corners = np.array([[0.0, 0, 0], [10, 1, 0], [11, 9, 1], [-1, 10, 0.5]])
    quads, tets = np.array([[0, 1, 2, 3]]), np.array([[0, 1, 2, 3]])
    sheet = ShellBlock(
        corners,
        quads,
        4 + np.arange(4),
        np.array([0.8]),
        smooth_triads(corners[quads], quads),
        210e3,
        0.3,
    )
    solid = SolidBlock(np.array([[0.0, 0, 0], [10, 1, 0], [1, 9, 1], [2, 1, 8]]), tets, 210e3, 0.3)
    one, two, turn, back = (
        rng.standard_normal((4, 4, 3)) * np.array([3.0, 2.0, 0.5, 0.4])[:, None, None]
    )
    for block, turns in ((sheet, True), (solid, False)):
        work, size, count = 0.0, 0.0, 64
        for step in range(count):
            angle = 2 * np.pi * step / count
            s, c = np.sin(angle), np.cos(angle)
            rotation = exponential(s * turn) @ exponential((1 - c) * back)
            rate = c * turn + np.einsum(
                "nij,nj->ni", exponential(s * turn), s * back
            )  # of exp(s a) exp((1-c) b)
            motion, speed = s * one + (1 - c) * two, c * one + s * two
            rotations = np.concatenate([np.tile(np.eye(3), (4, 1, 1)), rotation])
            ((_, force, _, _),) = block.deformed(
                np.concatenate([motion, 0 * motion]), rotations, False
            )
            power = (
                (force[0, ::2] * speed + force[0, 1::2] * rate).sum()
                if turns
                else (force[0] * speed).sum()
            )
            work += power / count
            size += abs(power) / count
        assert abs(work) < 1e-8 * size


def test_held_heat_and_a_held_displacement_come_first() -> None:
    """Both press before the growing force bends: a strut heated by 2 K between walls, or pushed
    together as far. The bow takes up part of
    the compression: P = EA (α ΔT - π² a²/(4 L²)), a = a_plain/(1 - P/P_E)."""
    side = {
        "kind": "line",
        "name": "side",
        "on": "middle",
        "components": ["0 N/mm", "0 N/mm", "0.05 N/mm"],
    }
    scribe = {"kind": "line", "name": "across", "face": "strip/face", "run": "crosswise"}
    by = [mm(-12e-6 * 2 * L), "0 mm", "0 mm"]
    pushed = {
        "kind": "move",
        "name": "push",
        "support": BETWEEN["supports"][1]["name"],
        "components": by,
        "growth": "held",
    }
    found = []
    for load in (heat("2 K", growth="held"), pushed):
        model = {
            **BETWEEN,
            "scribes": [scribe],
            "regions": [*STRIP["regions"], region("middle", "across/line")],
            "loads": [load, side],
            "cases": [{"name": "c", "loads": [{"load": load["name"]}, {"load": "side"}]}],
        }
        trace = traced(model, mode=0, target="1", beyond_yield=1e9).facts.trace
        found.append(float(trace.largest[-1]))
    plain = a = 0.05 * W * L**3 / (48 * EI)
    for _ in range(50):
        pressed = 210e3 * W * T * (12e-6 * 2 - np.pi**2 * a**2 / (4 * L**2))
        a = 0.5 * a + 0.5 * plain / (1 - pressed / (np.pi**2 * EI / L**2))
    assert a > 1.5 * plain and found[0] == pytest.approx(found[1], rel=2e-3)
    assert found[0] == pytest.approx(
        a, rel=0.03
    )  # 0.986 of the force in the middle is what bends to a sine


@pytest.mark.parametrize(("plan", "change", "code"), [({"mode": 9}, {}, "trace-mode")])
def test_traces_that_cannot_be_run_say_why(plan: dict, change: dict, code: str) -> None:
    project = load_project({"labilis": 2, "materials": [STEEL], "trace": plan, **PINNED, **change})
    with pytest.raises(LabilisError) as caught:
        Runner().run(Snapshot(project), Plan("trace"))
    assert caught.value.code == code


def test_a_deep_snap_back_is_got_round() -> None:
    """The roof at half of its thickness: past its limit near 0.59 kN (Sabir and Lock 1972) the
    crown comes back while the load falls far under nought, then goes on down, and the load rises
    again to three times as much. The same with other steps."""
    found = []
    for first in (0.05, 0.03):
        tracer = roof(
            TraceControl(first=first, largest=0.4, target=1.0, steps=150, fall=10.0), t=6.35
        )
        *_, (result, _) = tracer.run()
        sink = np.array([-point.motion[tracer.middle, 2] for point in result.points])  # type: ignore[attr-defined]
        assert result.reason == "target" and result.factors.min() < -0.2
        assert np.diff(sink).min() < -1.0 and sink[-1] > 25.0
        limit, branch = ends_of(result.factors, [point.negative for point in result.points])
        assert (
            limit == pytest.approx(0.59, rel=0.02) and 0.4 < branch < 0.55
        )  # before it an unsymmetric path branches off
        found.append((limit, float(sink[-1])))
    assert found[0] == pytest.approx(found[1], rel=0.01)
