"""Walls in shear, in two directions and in bending; members that tip over and open sections as
shells; a tube under outside pressure; a mechanism that is refused by name."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np

from labilis.model import LabilisError, load_project
from labilis.run import Plan, Runner, Snapshot, judge_project
from validation.case import Case, Direct
from validation.plates import stress as plate_stress
from validation.recipes import case_of, flat, force, hold, line, mm, region, shell
from validation.sheets import SIDES, B, T

E, NU = 210e3, 0.3
G = E / (2 * (1 + NU))
GERE = "Timoshenko and Gere 1961"
_ROUND = ("low", "right", "top", "left")


def _plate(
    ratio: float,
    supports: list[dict[str, Any]],
    size: float,
    *loads: dict[str, Any],
    clamped: bool = False,
    **more: Any,
) -> dict[str, Any]:
    held = [hold(side, "z") for side in _ROUND] + supports
    if clamped:
        held += [hold(side, "turn_y") for side in ("left", "right")] + [
            hold(side, "turn_x") for side in ("low", "top")
        ]
    return {
        "pieces": [shell("plate", flat(ratio * B, B, T))],
        "regions": SIDES,
        "supports": held,
        **case_of(*loads),
        "mesh": {"size": mm(size)},
        "criteria": {"modes": 2},
        **more,
    }


def sheared(ratio: float, k: float, source: str, clamped: bool, size: float) -> Case:
    """The lower edge stays in even shear, so it is held where it is; the other three are loaded
    along themselves."""
    model = _plate(
        ratio,
        [hold("low", "x", "y")],
        size,
        line("top", x=T),
        line("right", y=T),
        line("left", y=-T),
        clamped=clamped,
    )
    return Case(
        f"{'clamped' if clamped else 'simply supported'} plate in shear, a/b = {ratio:g}, shell",
        f"stress compared; {B / size:g} elements across",
        None,
        None,
        model,
        plate_stress(k),
        f"k = {k:g}; {source}",
        0.01,
    )


def pressed(ratio: float, share: float) -> Case:
    """Simply supported, pressed along x, and with a share of it along y."""
    waves = np.arange(1, 12)
    terms = ((waves / ratio) ** 2 + 1) ** 2 / ((waves / ratio) ** 2 + share)
    model = _plate(
        ratio,
        [hold("left", "x"), hold("low", "y")],
        20.0,
        line("right", x=-T),
        line("top", y=-share * T),
    )
    return Case(
        f"plate pressed in two directions, a/b = {ratio:g}, σy/σx = {share:g}, shell",
        "stress compared; 10 elements across",
        None,
        None,
        model,
        plate_stress(float(terms.min())),
        f"least of ((m b/a)² + 1)² / ((m b/a)² + σy/σx); {GERE}, art. 9.3",
        0.01,
    )


def bent(ratio: float, k: float) -> Case:
    """Bent in its plane: both ends divided into ten parts, each under the mean of its share of a
    linear stress of 1 MPa at the edges."""
    parts, length = 10, ratio * B
    heights = np.linspace(0, B, parts + 1)
    corners = [(0.0, 0.0), *((length, y) for y in heights), *((0.0, y) for y in heights[:0:-1])]
    right, left = (
        [f"plate/side.{k}" for k in range(2, 2 + parts)],
        [f"plate/side.{k}" for k in range(3 + parts, 3 + 2 * parts)],
    )
    stress = 1 - (heights[1:] + heights[:-1]) / B  # +1 at the lower edge, pulled
    loads = [line(f"right {k}", x=T * stress[k]) for k in range(parts)] + [
        line(f"left {k}", x=-T * stress[::-1][k]) for k in range(parts)
    ]
    model = {
        "pieces": [
            shell(
                "plate",
                {
                    "kind": "plate",
                    "thickness": mm(T),
                    "outline": [{"x": mm(x), "y": mm(y)} for x, y in corners],
                },
            )
        ],
        "regions": [
            region("round", "plate/side.1", f"plate/side.{2 + parts}", *right, *left),
            *(
                region(f"{side} {k}", name)
                for side, names in (("right", right), ("left", left))
                for k, name in enumerate(names)
            ),
        ],
        "supports": [hold("round", "z")],
        "springs": [{"name": "soft", "on": "round", "x": "100 N/mm", "y": "100 N/mm"}],
        **case_of(*loads),
        "mesh": {"size": "8 mm"},
        "criteria": {"modes": 2},
    }
    return Case(
        f"plate bent in its plane, a/b = {ratio:.3g}, shell",
        "edge stress compared; 25 elements across",
        None,
        None,
        model,
        plate_stress(k),
        f"k = {k:g}; {GERE}, table 9.6",
        0.01,
    )


@lru_cache
def _narrow() -> float:
    section = {"shape": "flat", "width": "40 mm", "thickness": "2 mm"}
    return _first(
        {
            "pieces": [
                shell(
                    "strut",
                    {"kind": "strut", "length": "800 mm", "section": section},
                    mesh_as="line",
                )
            ],
            "regions": [region("foot", "strut/start"), region("head", "strut/end")],
            "criteria": {"modes": 2},
            "supports": [hold("foot", "x", "y", "z", "turn_x", "turn_y", "turn_z")],
            **case_of(force("head", x=1.0)),
        }
    )


def _first(model: dict[str, Any]) -> float:
    """First factor of a model."""
    project = load_project(
        {
            "materials": [{"name": "steel", "youngs_modulus": "210 GPa", "poisson_ratio": "0.3"}],
            **model,
        }
    )
    modes = (
        judge_project(project, Runner().run(Snapshot(project), Plan("modes"))).cases[0].facts.modes
    )
    assert modes is not None
    return float(modes.positive[0])


# --- members that tip over
# --------------------------------------------------------------------------------------------------
def tipping() -> list[Case]:
    """A narrow cantilever, and an I beam between forks, as shells."""
    length, width, t = 800.0, 40.0, 2.0
    model = {
        "pieces": [shell("strip", flat(length, width, t))],
        "regions": [region("foot", "strip/side.4"), region("head", "strip/side.2")],
        "supports": [hold("foot", "x", "y", "z", "turn_x", "turn_y", "turn_z")],
        **case_of(line("head", y=1 / width)),
        "mesh": {"size": "2.5 mm"},
        "criteria": {"modes": 1},
    }
    narrow = Case(
        "narrow cantilever under an end force, shell",
        "tips over sideways; its clamp holds warping",
        None,
        None,
        model,
        _narrow,
        "the same cantilever as a line whose end holds warping",
        0.01,
    )
    width, depth, sheet, span = 60.0, 96.0, 4.0, 1500.0
    weak = 2 * sheet * width**3 / 12 + depth * sheet**3 / 12
    torsion, warping = (2 * width + depth) * sheet**3 / 3, sheet * width**3 * depth**2 / 24
    critical = np.pi / span * np.sqrt(E * weak * (G * torsion + np.pi**2 * E * warping / span**2))
    # flanges pulled and pushed evenly, the web linearly: two line forces on the flanges' edges that
    # make the moment, the web bends after
    push = 1.0 / (depth * width)
    beam = {
        "pieces": [
            shell("lower", flat(span, width, sheet), (0, -width / 2, -depth / 2)),
            shell("upper", flat(span, width, sheet), (0, -width / 2, depth / 2)),
            shell("web", flat(span, depth, sheet), (0, 0, -depth / 2), (("x", 90.0),)),
        ],
        "regions": [
            region("foot", "lower/side.4", "upper/side.4", "web/side.4"),
            region("head", "lower/side.2", "upper/side.2", "web/side.2"),
            region("lower foot", "lower/side.4"),
            region("lower head", "lower/side.2"),
            region("upper foot", "upper/side.4"),
            region("upper head", "upper/side.2"),
        ],
        "supports": [hold("foot", "y", "z"), hold("head", "y", "z")],
        "springs": [{"name": "soft", "on": "foot", "x": "1e-3 N/mm"}],
        **case_of(
            line("lower foot", x=-push),
            line("lower head", x=push),
            line("upper foot", x=push),
            line("upper head", x=-push),
        ),
        "mesh": {"size": "15 mm"},
        "criteria": {"modes": 1},
    }
    return [
        narrow,
        Case(
            "I beam under even bending, shell",
            "tips over sideways; moment in Nmm compared",
            None,
            None,
            beam,
            float(critical),
            f"π/L √(E Iz (G J + π² E Cw / L²)); {GERE}, art. 6.3",
            0.03,
        ),
    ]


# --- open sections as shells against lines
# --------------------------------------------------------------------------------------------------
SECTIONS: dict[str, tuple[dict[str, Any], float]] = {
    "I strut": (
        {
            "kind": "strut",
            "section": {
                "shape": "I",
                "width": "50 mm",
                "height": "60 mm",
                "thickness": "3 mm",
                "web": "3 mm",
            },
        },
        1600.0,
    ),
    "T strut": (
        {
            "kind": "strut",
            "section": {
                "shape": "T",
                "width": "60 mm",
                "height": "50 mm",
                "thickness": "3 mm",
                "web": "3 mm",
            },
        },
        1400.0,
    ),
    "channel strut": (
        {
            "kind": "strut",
            "section": {
                "shape": "channel",
                "width": "40 mm",
                "height": "70 mm",
                "thickness": "3 mm",
            },
        },
        1500.0,
    ),
    "hat strut": (
        {
            "kind": "folded sheet",
            "thickness": "2 mm",
            "profile": [
                (mm(x), mm(y))
                for x, y in ((-45, 0), (-20, 0), (-20, 40), (20, 40), (20, 0), (45, 0))
            ],
        },
        1800.0,
    ),
}


def _open(name: str, as_line: bool) -> dict[str, Any]:
    """Between forks that leave the ends free to warp, squeezed evenly."""
    recipe, length = SECTIONS[name]
    if as_line and "profile" in recipe:
        recipe = {
            "kind": "strut",
            "section": {
                "shape": "polygon",
                "corners": [
                    [mm(x), mm(y)]
                    for x, y in _outline(_corners(recipe), float(recipe["thickness"].split()[0]))
                ],
            },
        }
    piece = shell("strut", {**recipe, "length": mm(length)}, mesh_as="line" if as_line else "shell")
    ends = {
        "pieces": [piece],
        "regions": [region("foot", "strut/start"), region("head", "strut/end")],
        "criteria": {"modes": 2},
    }
    if as_line:
        fork = ("x", "y", "turn_z")
        return {
            **ends,
            "supports": [hold("foot", *fork, "z"), hold("head", *fork)],
            **case_of(force("head", z=-1.0)),
        }
    push = 1.0 / _width(name)
    return {
        **ends,
        "supports": [hold("foot", "x", "y"), hold("head", "x", "y")],
        "mesh": {"size": "10 mm"},
        "springs": [{"name": "soft", "on": "foot", "z": "1e-3 N/mm"}],
        **case_of(line("head", z=-push), line("foot", z=push)),
    }


def _corners(recipe: dict[str, Any]) -> np.ndarray:
    return np.array([[float(word.split()[0]) for word in corner] for corner in recipe["profile"]])


def _outline(corners: np.ndarray, t: float) -> np.ndarray:
    """Corners of a sheet with sharp folds round its middle line (k, 2)."""
    along = np.diff(corners, axis=0)
    along /= np.linalg.norm(along, axis=1)[:, None]
    across = np.stack([-along[:, 1], along[:, 0]], axis=1)
    before, after = np.concatenate([across[:1], across]), np.concatenate([across, across[-1:]])
    mitre = (before + after) / (1 + (before * after).sum(axis=1))[:, None]
    return np.concatenate([corners + t / 2 * mitre, (corners - t / 2 * mitre)[::-1]])


def _width(name: str) -> float:
    """Length of a section's middle line, mm."""
    recipe, _ = SECTIONS[name]
    if "profile" in recipe:
        return float(np.linalg.norm(np.diff(_corners(recipe), axis=0), axis=1).sum())
    size = {
        key: float(text.split()[0]) for key, text in recipe["section"].items() if key != "shape"
    }
    t = size["thickness"]
    return {
        "I": 2 * size["width"] + size["height"] - t,
        "T": size["width"] + size["height"] - t / 2,
        "channel": 2 * (size["width"] - t / 2) + size["height"] - t,
    }[recipe["section"]["shape"]]


@lru_cache
def _as_line(name: str) -> float:
    return _first(_open(name, True))


def open_sections() -> list[Case]:
    return [
        Case(
            f"{name}, shell against line",
            "ends free to warp, not to twist; N compared",
            None,
            None,
            _open(name, False),
            lambda name=name: _as_line(name),
            "the same strut as a line with its section's own properties",
            0.03,
        )  # type: ignore[misc]
        for name in SECTIONS
    ]


# --- tube under outside pressure
# --------------------------------------------------------------------------------------------------
def tube_under_pressure() -> Case:
    """Ends kept round and free to warp; von Mises' pressure on the wall only, least over the
    waves around."""
    radius, t, length = 100.0, 1.0, 200.0
    n = np.arange(2, 20)
    x = 1 + (n * length / (np.pi * radius)) ** 2
    pressure = (
        E
        * t
        / radius
        * (
            1 / ((n**2 - 1) * x**2)
            + t**2 / (12 * radius**2 * (1 - NU**2)) * (n**2 - 1 + (2 * n**2 - 1 - NU) / x)
        )
    )
    model = {
        "pieces": [
            shell(
                "tube",
                {
                    "kind": "strut",
                    "length": mm(length),
                    "section": {
                        "shape": "round tube",
                        "diameter": mm(2 * radius + t),
                        "thickness": mm(t),
                    },
                },
            )
        ],
        "regions": [
            region("skin", "tube/wall"),
            region("foot", "tube/start"),
            region("head", "tube/end"),
        ],
        "supports": [
            {
                "name": name,
                "on": name,
                "held": ["radial", "tangential"],
                "axes": {"kind": "cylindrical"},
            }
            for name in ("foot", "head")
        ],
        "springs": [{"name": "soft", "on": "foot", "z": "1e-3 N/mm"}],
        "loads": [
            {
                "kind": "pressure",
                "name": "outside",
                "on": "skin",
                "pressure": "1 MPa",
                "direction": "following",
            }
        ],
        "cases": [{"name": "load", "loads": [{"load": "outside"}]}],
        "mesh": {"size": "6 mm"},
        "criteria": {"modes": 2},
    }
    return Case(
        "tube under outside pressure, shell",
        "pressure in MPa compared",
        None,
        None,
        model,
        float(pressure.min()),
        f"von Mises 1914; {GERE}, art. 11.5",
        0.02,
    )


# --- what is no strut
# --------------------------------------------------------------------------------------------------
def _refused() -> Direct:
    """A portal of three lines with a hinge at each end of its beam and hinged feet."""
    section = {"shape": "round", "diameter": "16 mm"}
    turned = (("y", 90.0),)
    beam = shell(
        "beam",
        {"kind": "strut", "length": "400 mm", "section": section},
        (0, 0, 500),
        turned,
        mesh_as="line",
        releases=[{"end": end, "motions": ["weak", "strong"]} for end in ("start", "end")],
    )
    posts = [
        shell(
            name,
            {"kind": "strut", "length": "500 mm", "section": section},
            (x, 0, 0),
            mesh_as="line",
        )
        for name, x in (("left", 0.0), ("right", 400.0))
    ]
    model = {
        "materials": [{"name": "steel", "youngs_modulus": "210 GPa", "poisson_ratio": "0.3"}],
        "pieces": [*posts, beam],
        "regions": [
            region("one", "left/start"),
            region("two", "right/start"),
            region("head", "left/end"),
        ],
        "supports": [hold(on, "x", "y", "z", "turn_x", "turn_z") for on in ("one", "two")]
        + [hold("head", "y")],
        **case_of(force("head", z=-1.0)),
        "criteria": {"modes": 2},
    }
    project = load_project(model)
    try:
        Runner().run(Snapshot(project), Plan("modes"))
    except LabilisError as error:
        named = error.code == "mechanism" and all(
            f"'{name}'" in error.what for name in ("left", "right", "beam")
        )
        return Direct(float(named), 3, 0)
    return Direct(0.0, 3, 0)


CASES = [
    sheared(1.0, 9.325, "Stein and Neff 1947", False, 6.25),
    sheared(1.0, 14.71, "Budiansky and Connor 1948", True, 5.0),
    pressed(1.0, 1.0),
    pressed(2.0, 0.5),
    bent(2 / 3, 23.9),
    *tipping(),
    *open_sections(),
    tube_under_pressure(),
    Case(
        "four hinges make a mechanism, line",
        "refused by the names of its pieces: 1 is yes",
        None,
        None,
        {},
        1.0,
        "three struts with two hinges at the feet and two at the beam",
        1e-9,
        quick=True,
        direct=_refused,
    ),
]
