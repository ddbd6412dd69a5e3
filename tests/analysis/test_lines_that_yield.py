"""Traces of lines that yield: against columns integrated by themselves, rigid-plastic limits, the
same strut as a solid, and what the law of fibres does not take."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy.linalg import solve_banded

from labilis.model import LabilisError, load_project
from labilis.results.findings import TraceFindings
from labilis.results.section_class import compact_section
from labilis.words.trace import trace_sentences
from tests.mechanics.test_line_path import E, case_of, column, gate
from validation.recipes import mm

FY = 235.0
ROOT = Path(__file__).resolve().parents[2]


def limit_of_column(
    width: Callable[[np.ndarray], np.ndarray], half: float, length: float, bow: float
) -> float:
    """Largest force N of a hinged column with a half sine of bow mm: v'' = -κ(N, N (v₀ + v)) by
    differences, κ of a section `width` mm wide at heights up to ±half (ideally plastic fibres; the
    method of Chen and Atsuta 1976)."""
    y = (np.arange(1200) + 0.5) / 600 * half - half
    return limit_of_fibres(y, width(y) * (y[1] - y[0]), 0 * y, length, bow)


def limit_of_fibres(
    y: np.ndarray, strip: np.ndarray, locked: np.ndarray, length: float, bow: float
) -> float:
    """The same of fibres (n,) at heights y with areas and the stress locked into them."""
    half = float(np.abs(y).max())
    x = np.linspace(0, length, 101)
    start = bow * np.sin(math.pi * x / length)
    bends = np.linspace(0, 1, 300) ** 3 * 60 * FY / E / half
    rows = np.ones((3, len(x) - 2))
    rows[1] = -2.0

    def moments(force: float) -> np.ndarray:
        low, high = np.full_like(bends, -0.3), np.full_like(bends, 0.3)
        for _ in range(40):
            middle = 0.5 * (low + high)
            stress = np.clip(E * (middle[:, None] + bends[:, None] * y) + locked, -FY, FY)
            pulled = stress @ strip > -force
            low, high = np.where(pulled, low, middle), np.where(pulled, middle, high)
        return np.asarray(stress @ (strip * y))

    def stands(force: float) -> bool:
        table, moved = moments(force), np.zeros_like(x)
        for _ in range(3000):
            acting = force * (start + moved)
            if acting.max() >= table[-1]:
                return False
            new = np.zeros_like(x)
            bent = np.interp(acting, table, bends)
            new[1:-1] = solve_banded((1, 1), rows, -(x[1] ** 2) * bent[1:-1])
            if np.abs(new - moved).max() < 1e-6 * new.max():
                return True
            moved = new
        return False

    low, high = 0.02 * FY * strip.sum(), FY * float(strip.sum())
    while high - low > 3e-4 * high:
        middle = 0.5 * (low + high)
        low, high = (middle, high) if stands(middle) else (low, middle)
    return float(low)


def traced(stated: dict[str, Any]) -> TraceFindings:
    found = case_of(stated).facts.trace
    assert isinstance(found, TraceFindings)
    return found


@pytest.mark.parametrize(
    ("height", "length"),
    [pytest.param(100.0, 1700.0), pytest.param(190.0, 1500.0, marks=pytest.mark.full)],
)
def test_a_rolled_column_loses_what_its_residual_stresses_take(
    height: float, length: float
) -> None:
    """About its weak axis, against fibres laid out here: 0.5 of 235 MPa in the stocky section, 0.3
    in the slender one (ECCS 1984, publication 33), straight along flanges and web."""
    wide, flange, web, bow = 100.0, 10.0, 6.0, length / 1000
    size = 235.0 * (0.5 if height <= 1.2 * wide else 0.3)
    y = (np.arange(800) + 0.5) / 800 * wide - wide / 2
    tall = height - 2 * flange
    level = (np.arange(40) + 0.5) / 40
    places = np.concatenate([y, np.repeat([-web / 4, web / 4], 40)])
    areas = np.concatenate([np.full(800, 2 * flange * wide / 800), np.full(80, web * tall / 80)])
    locked = np.concatenate([size * (1 - 4 * np.abs(y) / wide), np.tile(size * (2 * level - 1), 2)])
    assert locked @ areas == pytest.approx(0.0, abs=1e-6 * size * areas.sum())
    shape = {"shape": "I", "width": mm(wide), "height": mm(height)}
    shape |= {"thickness": mm(flange), "web": mm(web)}
    carried = []
    for residual in ("none", "rolled"):
        plan = {"mode": 1, "amplitude": mm(bow), "residual": residual}
        trace = traced(column(shape, length, 10_000, trace=plan))
        assert trace.verified_by == "limit"
        there = limit_of_fibres(places, areas, locked * (residual == "rolled"), length, bow)
        carried.append(10_000 * float(trace.limit))
        assert carried[-1] == pytest.approx(there, rel=0.02)
    assert 0.7 < carried[1] / carried[0] < 0.95
    # what is there before anything acts is in balance, and no load
    assert trace.factors[0] == 0.0 and trace.plastic[0] == 0.0


@pytest.mark.parametrize(("shape", "offered"), [("I", True), ("flat", False)])
def test_residual_stresses_are_offered_where_they_can_be(shape: str, offered: bool) -> None:
    sizes = {"shape": shape, "width": "50 mm", "thickness": "5 mm"}
    sizes |= {"height": "80 mm", "web": "4 mm"} if shape == "I" else {}
    project = load_project({"labilis": 2, **column(sizes, 900.0, 10_000)})
    spans = [span for sentence in trace_sentences(project, None) for span in sentence]
    assert (("trace", "residual") in [span.path for span in spans]) == offered


def test_residual_stresses_beyond_yield_are_refused() -> None:
    shape = {"shape": "I", "width": "100 mm", "height": "100 mm", "thickness": "10 mm"}
    model = column(
        {**shape, "web": "8 mm"}, 1500.0, 10_000, trace={"mode": 1, "residual": "rolled"}
    )
    model["materials"][0]["yield_strength"] = "110 MPa"
    with pytest.raises(LabilisError, match="they are of steel"):
        case_of(model)


def test_residual_stresses_ask_for_a_rolled_section() -> None:
    plan = {"mode": 1, "amplitude": "1 mm", "residual": "rolled"}
    with pytest.raises(LabilisError, match="lines of I sections"):
        case_of(column({"shape": "round", "diameter": "20 mm"}, 400.0, 10_000, trace=plan))


@pytest.mark.parametrize(
    ("shape", "width", "half", "length", "bow"),
    [
        (
            {"shape": "round", "diameter": "20 mm"},
            lambda y: 2 * np.sqrt(np.maximum(100 - y**2, 0)),
            10.0,
            400.0,
            3.0,
        ),
        (
            {"shape": "flat", "width": "40 mm", "thickness": "12 mm"},
            lambda y: np.full_like(y, 40.0),
            6.0,
            310.0,
            0.6,
        ),
        (
            {"shape": "square tube", "width": "70 mm", "thickness": "5 mm"},
            lambda y: np.where(np.abs(y) > 30, 70.0, 10.0),
            35.0,
            1700.0,
            4.0,
        ),
        pytest.param(
            {"shape": "round", "diameter": "33 mm"},
            lambda y: 2 * np.sqrt(np.maximum(16.5**2 - y**2, 0)),
            16.5,
            420.0,
            0.4,
            marks=pytest.mark.full,
        ),
    ],
    ids=["slender rod", "flat about its weak axis", "square tube", "stocky rod"],
)
def test_a_bowed_column_carries_what_its_fibres_do(
    shape: dict[str, str],
    width: Callable[[np.ndarray], np.ndarray],
    half: float,
    length: float,
    bow: float,
) -> None:
    expected = limit_of_column(width, half, length, bow)
    trace = traced(column(shape, length, 10_000, trace={"mode": 1, "amplitude": f"{bow} mm"}))
    assert trace.verified_by == "limit"
    # its points lie before and after the top of the path, so never above it
    assert 0.985 * expected < 10_000 * trace.verified < 1.006 * expected


def test_first_yield_is_that_of_the_outermost_fibre() -> None:
    """N / A + N w / W / (1 - N / N_cr) = f_y (Timoshenko and Gere 1961, art. 1.12), whatever the
    fibres' middles say, which lie further in."""
    shape = {"shape": "round", "diameter": "20 mm"}
    plan = {"mode": 1, "amplitude": "3 mm", "longest": "0.05"}
    trace = traced(column(shape, 400, 20_000, trace=plan))
    area, modulus = math.pi * 100, math.pi * 1000 / 4
    euler = math.pi**2 * E * (math.pi * 1e4 / 4) / 400**2
    force = np.linspace(0, 0.999 * euler, 200_000)
    stress = force / area + force * 3.0 / modulus / (1 - force / euler)
    expected = float(force[np.argmax(stress > FY)])
    assert 20_000 * trace.first_yield == pytest.approx(expected, rel=0.005)


@pytest.mark.full
def test_a_rod_is_the_same_as_a_solid() -> None:
    shape = {"shape": "round", "diameter": "20 mm"}
    plan = {"mode": 1, "amplitude": "1.5 mm"}
    line = traced(column(shape, 400, 20_000, trace=plan))
    solid = traced(column(shape, 400, 20_000, "solid", trace=plan, mesh={"size": "8 mm"}))
    assert line.verified_by == solid.verified_by == "limit"
    assert line.verified == pytest.approx(solid.verified, rel=0.02)


@pytest.mark.full
def test_the_mast_of_the_demos_carries_as_a_line_what_its_shells_do() -> None:
    """To its limit, far beyond first yield."""
    limits = []
    for mesh_as in ("line", "shell"):
        stated = json.loads((ROOT / "examples" / "antenna-mast.json").read_text())
        stated["pieces"][0]["mesh_as"] = mesh_as
        stated["trace"] = {"mode": 1, "deflection": "900 mm"}
        trace = traced(stated)
        assert trace.verified_by == "limit"
        limits.append(trace.limit)
    assert limits[0] == pytest.approx(limits[1], rel=0.03)


def cantilever(
    shape: dict[str, str], length: float, force: tuple[float, float, float], **trace: Any
) -> dict[str, Any]:
    stated = column(
        shape, length, 1.0, trace={"mode": 0, "deflection": f"{length / 2} mm", **trace}
    )
    stated["supports"] = [
        {"name": "foot", "on": "foot", "held": ["x", "y", "z", "turn_x", "turn_y", "turn_z"]}
    ]
    stated["loads"][0]["components"] = [f"{part} N" for part in force]
    return stated


def test_a_cantilever_yields_all_over_where_it_is_held() -> None:
    """F = W_pl f_y / L of a rectangle, about either axis; slender enough that shear is nothing and
    stiff enough that it hardly moves before."""
    length, told = 600.0, []
    for force in ((100.0, 0.0, -1.0), (0.0, 100.0, -1.0)):
        trace = traced(
            cantilever(
                {"shape": "flat", "width": "60 mm", "thickness": "30 mm"},
                length,
                force,
                target="1000",
                first="5",
                plastic_strain="0.02",
            )
        )
        assert math.isnan(trace.elastic_yield) and trace.plastic.max() > 0.01
        told.append(100 * trace.factors.max() * length)
    assert sorted(told) == pytest.approx([FY * 60 * 30**2 / 4, FY * 30 * 60**2 / 4], rel=0.02)


def test_the_shear_of_a_short_beam_ends_what_is_verified() -> None:
    """V = half of A_v f_y / √3, with 5/6 of the area (EN 1993-1-1, 6.2.8): of a stub as long as
    it is deep that is before its full plastic moment."""
    trace = traced(
        cantilever(
            {"shape": "flat", "width": "60 mm", "thickness": "30 mm"},
            60.0,
            (1000.0, 0.0, -1.0),
            target="500",
            first="5",
        )
    )
    sheared = 0.5 * (5 / 6) * 1800 * FY / math.sqrt(3)
    assert 1000 * trace.elastic_yield == pytest.approx(sheared, rel=0.01)
    assert trace.verified == trace.elastic_yield and trace.verified_by == "line yield"


def test_the_twist_of_a_bar_ends_what_is_verified() -> None:
    """τ = 16 T / (π d³) of a round bar at half of f_y / √3."""
    stated = cantilever({"shape": "round", "diameter": "40 mm"}, 500.0, (0.0, 0.0, -1.0))
    stated["loads"].append(
        {
            "kind": "moment",
            "name": "twist",
            "on": "head",
            "components": ["0 N m", "0 N m", "100 N m"],
        }
    )
    stated["cases"][0]["loads"].append({"load": "twist"})
    stated["trace"].update(target="100", first="1")
    trace = traced(stated)
    half = 0.5 * FY / math.sqrt(3) * math.pi * 40**3 / 16
    assert 100e3 * trace.elastic_yield == pytest.approx(half, rel=0.03)


def portal(span: float, height: float, side: float, down: float, sway: float) -> dict[str, Any]:
    """Two posts held below and a beam of three lines each in one plane, loads N at the corner and
    in the middle."""
    shape = {"shape": "square", "width": f"{side} mm"}

    def strut(name: str, length: float, at: list[float], along: bool) -> dict[str, Any]:
        return {
            "name": name,
            "recipe": {"kind": "strut", "length": f"{length} mm", "section": shape},
            "material": "steel",
            "mesh_as": "line",
            "place": {
                "turns": [{"about": "y", "angle": "90 deg"}] if along else [],
                "at": [f"{part} mm" for part in at],
            },
        }

    base = column({"shape": "round", "diameter": "20 mm"}, 400, 1.0)
    return {
        # ten times as stiff as steel, so that it has hardly moved when it falls
        "materials": [{**base["materials"][0], "youngs_modulus": "2100 GPa"}],
        "pieces": [
            strut("left", height, [0, 0, 0], False),
            strut("first", span / 2, [0, 0, height], True),
            strut("second", span / 2, [span / 2, 0, height], True),
            strut("right", height, [span, 0, 0], False),
        ],
        "regions": [
            {"name": "low left", "names": ["left/start"]},
            {"name": "low right", "names": ["right/start"]},
            {"name": "high left", "names": ["left/end"]},
            {"name": "high middle", "names": ["first/end"]},
        ],
        "hubs": [
            {"kind": "stiff", "name": name, "region": region}
            for name, region in (
                ("foot left", "low left"),
                ("foot right", "low right"),
                ("corner", "high left"),
                ("middle", "high middle"),
            )
        ],
        "supports": [
            {"name": name, "on": name, "held": ["x", "y", "z", "turn_x", "turn_y", "turn_z"]}
            for name in ("foot left", "foot right")
        ]
        + [{"name": f"plane {name}", "on": name, "held": ["y"]} for name in ("corner", "middle")],
        "loads": [
            {
                "kind": "force",
                "name": "sway",
                "on": "corner",
                "components": [f"{sway} N", "0 N", "0 N"],
            },
            {
                "kind": "force",
                "name": "down",
                "on": "middle",
                "components": ["0 N", "0 N", f"{-down} N"],
            },
        ],
        "cases": [
            {
                "name": "both",
                "loads": [{"load": name} for name, n in (("sway", sway), ("down", down)) if n],
            }
        ],
        "mesh": {"size": "100 mm"},
        "trace": {
            "mode": 0,
            "target": "100",
            "first": "1",
            "deflection": "400 mm",
            "plastic_strain": "0.04",
        },
        "criteria": {"modes": 1},
    }


@pytest.mark.parametrize(
    ("down", "sway"),
    [
        pytest.param(0.0, 1000.0, marks=pytest.mark.full),
        pytest.param(1000.0, 0.0, marks=pytest.mark.full),
        pytest.param(1000.0, 700.0, marks=pytest.mark.full),
    ],
    ids=["sway", "beam", "both"],
)
def test_a_portal_falls_as_its_mechanisms_do(down: float, sway: float) -> None:
    """Rigid-plastic limits of a portal with fixed feet (Baker, Horne and Heyman 1956): H h = 4 M_p,
    V L / 2 = 4 M_p, both H h + V L / 2 = 6 M_p."""
    span, height, side = 2000.0, 1000.0, 60.0
    trace = traced(portal(span, height, side, down, sway))
    full = FY * side**3 / 4
    factors = [
        4 * full / (sway * height) if sway else math.inf,
        4 * full / (down * span / 2) if down else math.inf,
        6 * full / (sway * height + down * span / 2),
    ]
    assert trace.verified_by in ("limit", "end")
    assert 0.97 * min(factors) < trace.factors.max() < 1.02 * min(factors)


@pytest.mark.parametrize(
    ("wall", "radius", "strength", "compact"),
    [
        ((30.0, 1.0, "both supported"), 0.0, 235.0, True),
        ((30.0, 1.0, "both supported"), 0.0, 355.0, False),
        ((39.0, 1.0, "both supported"), 0.0, 235.0, False),
        ((10.0, 1.0, "one supported, one free"), 0.0, 235.0, True),
        ((10.2, 1.0, "one supported, one free"), 0.0, 235.0, False),
        ((9.0, 1.0, "one supported, one free"), 0.0, 355.0, False),
        ((5.0, 1.0, ""), 0.0, 235.0, False),
        (None, 34.0, 235.0, True),
        (None, 35.0, 235.0, False),
        (None, 34.0, 355.0, False),
    ],
)
def test_what_may_yield_all_over(
    wall: tuple[float, float, str] | None, radius: float, strength: float, compact: bool
) -> None:
    """EN 1993-1-1, table 5.2, class 2: 38 ε, 10 ε, 70 ε²."""
    assert compact_section(100.0, 1e4, 1.0, wall, radius, strength, 210e3) == compact


def test_a_thin_section_of_unknown_walls_may_not_and_a_bar_may() -> None:
    assert not compact_section(100.0, 1e4, 1.0, None, 0.0, FY, 210e3)
    assert compact_section(314.0, 7854.0, 10.0, None, 0.0, FY, 210e3)
    # a third of the modulus, and the walls buckle as much sooner (EN 1993-1-4, 5.2.2)
    wall = (25.0, 1.0, "both supported")
    assert compact_section(100.0, 1e4, 1.0, wall, 0.0, FY, 210e3)
    assert not compact_section(100.0, 1e4, 1.0, wall, 0.0, FY, 70e3)


def test_what_yields_in_a_drawn_thin_section_keeps_the_capacity_open() -> None:
    """An angle drawn corner by corner: nothing tells how wide its walls are."""
    corners = [
        [f"{x} mm", f"{y} mm"] for x, y in ((0, 0), (60, 0), (60, 3), (3, 3), (3, 60), (0, 60))
    ]
    stated = column(
        {"shape": "polygon", "corners": corners},
        700,
        20_000,
        trace={"mode": 1, "amplitude": "6 mm", "target": "6"},
        criteria={"modes": 2, "capacity": "3"},
    )
    case = case_of(stated)
    assert case.facts.trace.verified_by in ("line yield", "limit", "bifurcation")
    assert case.facts.trace.plastic.max() == 0.0
    assert gate(case, "capacity").state != "passes"
    assert load_project(stated)


def test_a_bar_that_is_heated_between_walls_hardens() -> None:
    """σ = E α ΔT to f_y, then σ = f_y + H p with p = α ΔT - σ / E: heat is no stress of its own,
    and a path on which nothing moves is followed by its factor."""
    stated = column({"shape": "square", "width": "30 mm"}, 200.0, 1.0)
    stated["materials"][0]["expansion"] = "12e-6/K"
    stated["materials"][0]["hardening"] = [["0.02", "400 MPa"]]
    stated["supports"] = [
        {"name": name, "on": name, "held": ["x", "y", "z", "turn_x", "turn_y", "turn_z"]}
        for name in ("foot", "head")
    ]
    stated["loads"] = [{"kind": "temperature", "name": "heat", "change": "10 K"}]
    stated["cases"] = [{"name": "hot", "loads": [{"load": "heat"}]}]
    stated["trace"] = {"mode": 0, "target": "20", "first": "1", "material": "yielding"}
    trace = traced(stated)
    harder, strain = (400 - FY) / 0.02, 20 * 12e-5
    stress = (FY + harder * strain) / (1 + harder / E)
    assert trace.first_yield == pytest.approx(FY / (E * 12e-6 * 10), rel=0.01)
    assert trace.factors[-1] == pytest.approx(20.0)
    assert trace.peak[-1] == pytest.approx(stress, rel=1e-4)
    assert trace.plastic[-1] == pytest.approx(strain - stress / E, rel=1e-4)
