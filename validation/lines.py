"""Struts as lines: Euler's cases, a middle support, held and growing parts, twisting, flexural
torsion, beams that tip over sideways."""

from __future__ import annotations

from typing import Any

import numpy as np

from validation.case import Case
from validation.members import ThinSection
from validation.recipes import case_of, force, hold, mm, region, shell

E, NU, LENGTH = 210e3, 0.3, 600.0
G = E / (2 * (1 + NU))
FLAT = {"shape": "flat", "width": "12 mm", "thickness": "8 mm"}  # thin along y: it bends about x
INERTIA = 12 * 8**3 / 12
EULER = float(np.pi**2 * E * INERTIA / LENGTH**2)
ALL = ("x", "y", "z", "turn_x", "turn_y", "turn_z")
FORK = ("x", "y", "turn_z")  # the end cannot move sideways nor twist


def strut(
    section: dict[str, Any], length: float = LENGTH, name: str = "strut", z: float = 0.0
) -> dict[str, Any]:
    return shell(
        name, {"kind": "strut", "length": mm(length), "section": section}, (0, 0, z), mesh_as="line"
    )


def model(
    section: dict[str, Any],
    low: tuple[str, ...],
    high: tuple[str, ...],
    length: float = LENGTH,
    **more: Any,
) -> dict[str, Any]:
    """A line along z squeezed with 1 N."""
    supports = [hold("foot", *low)] + ([hold("head", *high)] if high else [])
    return {
        "pieces": [strut(section, length)],
        "regions": [region("foot", "strut/start"), region("head", "strut/end")],
        "supports": supports,
        **case_of(force("head", z=-1.0)),
        "criteria": {"modes": 2},
        **more,
    }


def row(
    name: str,
    note: str,
    statements: dict[str, Any],
    reference: float,
    source: str,
    within: float = 0.005,
) -> Case:
    return Case(
        f"{name}, line", note, None, None, statements, reference, source, within, quick=True
    )


def four_ends() -> list[Case]:
    pin_low, pin_high = ("x", "y", "z", "turn_y", "turn_z"), ("x", "y", "turn_y", "turn_z")
    fix_high = ("x", "y", "turn_x", "turn_y", "turn_z")
    return [
        row(
            f"strut, {name}",
            "lines of cubic bending",
            model(FLAT, low, high),
            EULER / k**2,
            f"π² E I / (K L)², K = {k:.4g}; Timoshenko and Gere 1961, ch. 2",
        )
        for name, low, high, k in (
            ("fixed-free", ALL, (), 2.0),
            ("pinned-pinned", pin_low, pin_high, 1.0),
            ("fixed-pinned", ALL, pin_high, 0.699156),
            ("fixed-fixed", ALL, fix_high, 0.5),
        )
    ]


def middle() -> Case:
    """Two struts that share a point, held sideways there."""
    half = LENGTH / 2
    pieces = [strut(FLAT, half, "lower"), strut(FLAT, half, "upper", half)]
    statements = {
        "pieces": pieces,
        "regions": [
            region("foot", "lower/start"),
            region("mid", "upper/start"),
            region("head", "upper/end"),
        ],
        "supports": [
            hold("foot", "x", "y", "z", "turn_z"),
            hold("mid", "x", "y"),
            hold("head", "x", "y"),
        ],
        **case_of(force("head", z=-1.0)),
        "criteria": {"modes": 2},
    }
    return row(
        "strut pinned at both ends and at mid height",
        "two struts joined",
        statements,
        4 * EULER,
        "4 π² E I / L²; Timoshenko and Gere 1961, ch. 2",
    )


def hinged() -> Case:
    """Released at both ends although the supports hold every turn."""
    statements = model(FLAT, ALL, ("x", "y", "turn_x", "turn_y", "turn_z"))
    piece = {
        **strut(FLAT),
        "releases": [{"end": "start", "motions": ["weak"]}, {"end": "end", "motions": ["weak"]}],
    }
    return row(
        "strut with hinges at both ends",
        "released about the weak axis",
        {**statements, "pieces": [piece]},
        EULER,
        "π² E I / L²",
    )


def held_part() -> Case:
    share = 0.4 * EULER
    statements = {
        **model(FLAT, ("x", "y", "z", "turn_z"), ("x", "y")),
        **case_of(
            force("head", z=-1.0), {**force("head", z=-share, growth="held"), "name": "stays"}
        ),
    }
    return row(
        "strut with a held part of 0.4",
        "growing part at instability",
        statements,
        EULER - share,
        "(P_cr - P0) / P1",
    )


def cruciform() -> Case:
    b, t, length = 50.0, 2.0, 1500.0
    corners = [
        (b, -t / 2),
        (b, t / 2),
        (t / 2, t / 2),
        (t / 2, b),
        (-t / 2, b),
        (-t / 2, t / 2),
        (-b, t / 2),
        (-b, -t / 2),
        (-t / 2, -t / 2),
        (-t / 2, -b),
        (t / 2, -b),
        (t / 2, -t / 2),
    ]
    section = {"shape": "polygon", "corners": [[mm(x), mm(y)] for x, y in corners]}
    area, polar = 4 * b * t, 4 * t * b**3 / 3
    critical = (
        area / polar * (G * 4 * b * t**3 / 3 + np.pi**2 * E * (4 * b**3 * t**3 / 36) / length**2)
    )
    return row(
        "cruciform strut, twisting",
        "ends free to warp",
        model(section, (*FORK, "z"), FORK, length),
        float(critical),
        "Wagner 1929, (1/r0²)(G J + π² E Cw / L²)",
        0.02,
    )


def angle() -> Case:
    b, t, length = 50.0, 2.0, 1000.0
    section = ThinSection([(b, 0.0), (0.0, 0.0), (0.0, b)], t)
    recipe = {"shape": "angle", "width": mm(b + t / 2), "height": mm(b + t / 2), "thickness": mm(t)}
    return row(
        "angle strut, flexural torsion",
        "pushed at its centroid",
        model(recipe, (*FORK, "z"), FORK, length),
        section.least(length),
        "cubic of Timoshenko and Gere 1961, art. 5.4",
        0.02,
    )


def tipping() -> list[Case]:
    """Narrow strips bent about their strong axis."""
    width, t, length = 40.0, 2.0, 800.0
    weak, torsion = width * t**3 / 12, width * t**3 / 3 * (1 - 0.63 * t / width)
    stiff = float(np.sqrt(E * weak * G * torsion))
    section = {"shape": "flat", "width": mm(width), "thickness": mm(t)}  # bends about y strongly
    base = model(section, (*FORK, "z"), FORK, length)
    turn = [
        {
            "kind": "moment",
            "name": f"moment {on}",
            "on": on,
            "components": ["0 N mm", f"{sign}1 N mm", "0 N mm"],
        }
        for on, sign in (("foot", ""), ("head", "-"))
    ]
    cantilever = model(section, ALL, (), length)
    # as Prandtl has it; the clamp that holds it gives 3 % more
    cantilever["pieces"] = [{**cantilever["pieces"][0], "warping": "free"}]
    return [
        row(
            "narrow beam under end moments",
            "tips over sideways",
            {**base, **case_of(*turn)},
            np.pi * stiff / length,
            "π √(E I G J) / L; Prandtl 1899",
        ),
        row(
            "narrow cantilever under an end force",
            "tips over sideways",
            {**cantilever, **case_of(force("head", x=1.0))},
            4.0126 * stiff / length**2,
            "4.013 √(E I G J) / L²; Prandtl 1899",
        ),
    ]


# --- warping
# --------------------------------------------------------------------------------------------------
def warped() -> list[Case]:
    """Struts whose twisting is governed by warping, between forks that leave it free and between
    plates that hold it."""
    b, t = 50.0, 2.0
    corners = [
        (b, -t / 2),
        (b, t / 2),
        (t / 2, t / 2),
        (t / 2, b),
        (-t / 2, b),
        (-t / 2, t / 2),
        (-b, t / 2),
        (-b, -t / 2),
        (-t / 2, -t / 2),
        (-t / 2, -b),
        (t / 2, -b),
        (t / 2, -t / 2),
    ]
    cross = {"shape": "polygon", "corners": [[mm(x), mm(y)] for x, y in corners]}
    area, polar = 4 * b * t, 4 * t * b**3 / 3
    short = area / polar * (G * 4 * b * t**3 / 3 + np.pi**2 * E * (4 * b**3 * t**3 / 36) / 300.0**2)
    wide, high, wall, length = 40.0, 80.0, 3.0, 900.0
    middle_line = ThinSection([(wide, 0.0), (0.0, 0.0), (0.0, high), (wide, high)], wall)
    channel = {
        "shape": "channel",
        "width": mm(wide + wall / 2),
        "height": mm(high + wall),
        "thickness": mm(wall),
    }
    found = [
        row(
            "short cruciform strut, twisting",
            "warping of the walls themselves",
            model(cross, (*FORK, "z"), FORK, 300.0),
            float(short),
            "Wagner 1929, (1/r0²)(G J + π² E Cw / L²)",
            0.02,
        ),
        row(
            "channel strut, flexural torsion",
            "free to warp",
            model(channel, (*FORK, "z"), FORK, length),
            middle_line.least(length),
            "cubic of Timoshenko and Gere 1961, art. 5.4",
            0.02,
        ),
    ]
    width, depth, sheet, span = 60.0, 96.0, 4.0, 1500.0  # between the middles of the flanges
    weak = 2 * sheet * width**3 / 12 + depth * sheet**3 / 12
    torsion, warping = (2 * width + depth) * sheet**3 / 3, sheet * width**3 * depth**2 / 24
    section = {
        "shape": "I",
        "width": mm(width),
        "height": mm(depth + sheet),
        "thickness": mm(sheet),
        "web": mm(sheet),
    }
    turn = [
        {
            "kind": "moment",
            "name": f"moment {on}",
            "on": on,
            "components": [f"{sign}1 N mm", "0 N mm", "0 N mm"],
        }
        for on, sign in (("foot", ""), ("head", "-"))
    ]
    critical = np.pi / span * np.sqrt(E * weak * (G * torsion + np.pi**2 * E * warping / span**2))
    beam = {**model(section, (*FORK, "z"), FORK, span), **case_of(*turn)}
    return [
        *found,
        row(
            "I beam under even bending",
            "tips over sideways, free to warp",
            beam,
            float(critical),
            "π/L √(E Iz (G J + π² E Cw / L²)); Timoshenko and Gere 1961, art. 6.3",
            0.02,
        ),
    ]


# --- frames and columns
# --------------------------------------------------------------------------------------------------
def portals() -> list[Case]:
    """Square portals of one section that sway: u tan u = 6 on hinges, tan u / u = -1/6 on firm
    feet."""
    side = 500.0
    section = {"shape": "round", "diameter": "16 mm"}
    inertia = np.pi * 16.0**4 / 64
    pieces = [
        strut(section, side, "left"),
        {**strut(section, side, "right"), "place": {"at": [mm(side), "0 mm", "0 mm"]}},
        {
            **strut(section, side, "beam"),
            "place": {
                "at": ["0 mm", "0 mm", mm(side)],
                "turns": [{"about": "y", "angle": "90 deg"}],
            },
        },
    ]
    regions = [
        region("left foot", "left/start"),
        region("right foot", "right/start"),
        region("left head", "left/end"),
        region("right head", "right/end"),
    ]
    found = []
    for words, u, held in (
        ("hinges", 1.349554, ("x", "y", "z", "turn_x", "turn_z")),
        ("firm feet", 2.716457, ALL),
    ):
        model_of = {
            "pieces": pieces,
            "regions": regions,
            "supports": [
                *(hold(f"{side_of} foot", *held) for side_of in ("left", "right")),
                *(hold(f"{side_of} head", "y") for side_of in ("left", "right")),
            ],
            **case_of(*(force(f"{side_of} head", z=-1.0) for side_of in ("left", "right"))),
            "criteria": {"modes": 2},
        }
        found.append(
            row(
                f"square portal on {words}, swaying",
                "three struts joined",
                model_of,
                u**2 * E * inertia / side**2,
                "root of the frame's equation; Timoshenko and Gere 1961, art. 2.4",
                0.01,
            )
        )
    return found


def stepped() -> Case:
    """Clamped foot, free head, the lower part twice as stiff: tan(k1 l1) tan(k2 l2) = k1 / k2."""
    from scipy.optimize import brentq

    upper, lower = 300.0, 300.0
    thin, thick = FLAT, {"shape": "flat", "width": "16 mm", "thickness": "12 mm"}
    one, two = E * INERTIA, E * 16 * 12**3 / 12
    limit = min(one * (np.pi / 2 / upper) ** 2, two * (np.pi / 2 / lower) ** 2)
    critical = brentq(
        lambda p: (
            np.tan(np.sqrt(p / one) * upper) * np.tan(np.sqrt(p / two) * lower) - np.sqrt(two / one)
        ),
        1.0,
        0.999 * limit,
    )
    model_of = {
        "pieces": [strut(thick, lower, "low"), strut(thin, upper, "up", lower)],
        "regions": [region("foot", "low/start"), region("head", "up/end")],
        "supports": [hold("foot", *ALL)],
        **case_of(force("head", z=-1.0)),
        "criteria": {"modes": 2},
    }
    return row(
        "stepped column, fixed-free",
        "two sections",
        model_of,
        float(critical),
        "tan(k1 l1) tan(k2 l2) = k1 / k2; Timoshenko and Gere 1961, art. 2.14",
        0.005,
    )


def own_weight() -> Case:
    """A mast under its own weight, as a factor on it."""
    length, density = 6000.0, 7850.0
    weight = density * 1e-12 * 9810.0 * 12 * 8  # N/mm
    model_of = {
        "materials": [
            {
                "name": "steel",
                "youngs_modulus": f"{E!r} MPa",
                "poisson_ratio": "0.3",
                "density": f"{density} kg/m^3",
            }
        ],
        "pieces": [strut(FLAT, length)],
        "regions": [region("foot", "strut/start")],
        "supports": [hold("foot", *ALL)],
        **case_of({"kind": "weight", "name": "weight"}),
        "criteria": {"modes": 2},
    }
    return row(
        "mast under its own weight",
        "a factor on it",
        model_of,
        7.8373 * E * INERTIA / (weight * length**3),
        "q L³ = 7.837 E I; Greenhill 1881",
        0.005,
    )


CASES = [
    *four_ends(),
    middle(),
    hinged(),
    held_part(),
    cruciform(),
    angle(),
    *tipping(),
    *warped(),
    *portals(),
    stepped(),
    own_weight(),
]
