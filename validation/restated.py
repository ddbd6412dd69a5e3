"""The same thing said another way: a model is restated so that theory knows what becomes of its
results, whatever they are. No reference is needed, so that any model will do.

`larger` (s, f): all lengths times s and all forces times f, stiffness and strength with them
(stress times f/s², springs f/s, foundations f/s³): factors stay (Buckingham 1914). `turned`:
nothing changes. `split` (a): of every growing load the part a is held, so that the total that goes
unstable stays, a + (1 - a) λ = λ₀, where the part is stable under a. `shuffled`: statements in
another order, nothing changes. `doubled`: the whole once more far away, with supports and loads of
its own: every factor is there twice."""

from __future__ import annotations

import json
import math
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from labilis.model import LabilisError, Project, load_project
from labilis.model.units import KINDS

# powers of length and of force in a kind of quantity
POWERS: dict[str, tuple[int, int]] = {
    "number": (0, 0),
    "length": (1, 0),
    "area": (2, 0),
    "angle": (0, 0),
    "force": (0, 1),
    "moment": (1, 1),
    "stress": (-2, 1),
    "density": (-2, 1),
    "mass": (1, 1),
    "line force": (-1, 1),
    "stiffness": (-1, 1),
    "turn stiffness": (1, 1),
    "second moment": (4, 0),
    "foundation": (-3, 1),
    "acceleration": (-1, 0),
    "temperature": (0, 0),
    "expansion": (0, 0),
}


def stated(value: float, kind: str) -> str:
    """A quantity in the kernel's unit, to the last digit."""
    unit = KINDS[kind][0].replace("**", "^").replace("dimensionless", "")
    return f"{value!r}{unit[1:]}" if unit.startswith("1/") else f"{value!r} {unit}".strip()


def restated(project: Project, change: Callable[[float, str], float]) -> Project:
    """A project whose quantities are what `change` makes of their kernel numbers and kinds;
    parameters stay, and stand for nothing."""
    data = project.model_dump(mode="json")
    for leaf, kind in project.quantities():
        place: Any = data
        for step in leaf.path[:-1]:
            place = place[step]
        place[leaf.path[-1]] = stated(change(project.value(leaf.text, kind), kind), kind)
    return load_project(data)


def larger(project: Project, s: float, f: float) -> Project:
    """All lengths times s, all forces times f."""

    def change(value: float, kind: str) -> float:
        length, force = POWERS[kind]
        return float(value * s**length * f**force)

    return restated(project, change)


def split(project: Project, held: float) -> Project:
    """Of each growing load the part `held` acts from the beginning."""
    data = project.model_dump(mode="json")
    growing = {load.name for load in project.loads if load.growth == "growing"}
    data["loads"] += [
        {**load, "name": f"{load['name']} held", "growth": "held"}
        for load in data["loads"]
        if load["name"] in growing
    ]
    for case in data["cases"]:
        more = []
        for part in case["loads"]:
            if part["load"] in growing:
                factor = part["factor"]
                part["factor"] = f"({factor})*{1.0 - held!r}"
                more.append({"load": f"{part['load']} held", "factor": f"({factor})*{held!r}"})
        case["loads"] += more
    return load_project(data)


_NEXT = {"x": "y", "y": "z", "z": "x"}


def turned(project: Project) -> Project:
    """The whole turned by a third about the line x = y = z: x to y, y to z, z to x. For parts of
    recipes whose regions are named."""
    data = project.model_dump(mode="json")
    for piece in data["pieces"]:
        _turn_piece(piece)
    for support in data["supports"]:
        axes = support["axes"]
        if axes["kind"] == "global":
            support["held"] = [_named(motion) for motion in support["held"]]
        _roll(axes, ("x_axis", "xy_plane", "origin", "axis"))
        if "normal" in axes:
            axes["normal"] = _NEXT[axes["normal"]]
    for hub in data["hubs"]:
        _roll(hub, ("at",))
    for spring in data["springs"]:
        for head in ("", "turn_"):
            x, y, z = (spring[f"{head}{axis}"] for axis in "xyz")
            spring |= {f"{head}x": z, f"{head}y": x, f"{head}z": y}
    for load in data["loads"]:
        _roll(load, ("components", "acceleration", "offset"))
        if load.get("tilt"):
            load["tilt"]["toward"] = _NEXT[load["tilt"]["toward"]]
    return load_project(data)


def _rolled(three: list[Any]) -> list[Any]:
    return [three[2], three[0], three[1]]


def _roll(owner: dict[str, Any], fields: tuple[str, ...]) -> None:
    for field in fields:
        if owner.get(field) is not None:
            owner[field] = _rolled(owner[field])


def _named(motion: str) -> str:
    return motion[:-1] + _NEXT.get(motion[-1], motion[-1])


def _turn_piece(piece: dict[str, Any]) -> None:
    place = piece["place"]
    if place["on"] is None:
        place["at"] = _rolled(place["at"])
        place["turns"] += [{"about": axis, "angle": "90 deg"} for axis in "xz"]
    for cut in piece["cuts"]:
        x, y, z = (cut[axis] for axis in "xyz")
        cut |= {"x": z, "y": x, "z": y, "along": _NEXT[cut["along"]]}
    for copies in piece["copies"]:
        _roll(copies, ("step", "centre"))
        for field in ("about", "across"):
            if field in copies:
                copies[field] = _NEXT[copies[field]]
        # a mirror's `at` is a place along one axis, which goes with it


# lists whose order says nothing
_LISTS = (
    "materials", "pieces", "regions", "hubs", "supports", "springs", "loads", "cases", "bolts",
    "seams", "scribes",
)  # fmt: skip


def shuffled(project: Project, seed: int) -> Project:
    """All statements in another order, what a case is made of and what a region is of as well."""
    rng = np.random.default_rng(seed)
    data = project.model_dump(mode="json")

    def mixed(rows: list[Any]) -> list[Any]:
        return [rows[k] for k in rng.permutation(len(rows))]

    for name in _LISTS:
        data[name] = mixed(data[name])
    for case in data["cases"]:
        case["loads"] = mixed(case["loads"])
    for region in data["regions"]:
        region["names"] = mixed(region["names"])
    data["mesh"]["zones"] = mixed(data["mesh"]["zones"])
    data["parameters"] = dict(mixed(list(data["parameters"].items())))
    return load_project(data)


_TWICE = ("pieces", "regions", "hubs", "supports", "springs", "loads", "bolts", "seams", "scribes")
_ALSO = " too"


def doubled(project: Project, away: float) -> Project:
    """The whole once more, `away` mm along y. For parts of recipes whose regions are named; a
    weight and a temperature, which act on everything, stay one."""
    data = project.model_dump(mode="json")
    whole = {row["name"] for row in data["loads"] if row["kind"] in ("weight", "temperature")}
    names = {row["name"] for field in _TWICE for row in data[field]} - whole

    def renamed(value: Any) -> Any:
        if isinstance(value, dict):
            return {k: item if k == "kind" else renamed(item) for k, item in value.items()}
        if isinstance(value, list):
            return [renamed(item) for item in value]
        head, slash, rest = value.partition("/") if isinstance(value, str) else ("", "", "")
        piece, dot, number = head.partition(".")
        if piece in names and (slash or not dot):
            return f"{piece}{_ALSO}{dot}{number}{slash}{rest}"
        return value

    for field in _TWICE:
        also = [renamed(row) for row in data[field] if row["name"] not in whole]
        for row in also:
            _shift(row, f" + {away!r} mm")
        data[field] += also
    for case in data["cases"]:
        case["loads"] += [renamed(part) for part in case["loads"] if part["load"] not in whole]
    zones = data["mesh"]["zones"]
    data["mesh"]["zones"] = zones + renamed(zones)
    return load_project(data)


def _shift(row: dict[str, Any], by: str) -> None:
    """Places of a statement, along y."""

    def moved(three: list[Any]) -> list[Any]:
        return [three[0], f"({three[1]}){by}", three[2]]

    if "place" in row and row["place"]["on"] is None:
        row["place"]["at"] = moved(row["place"]["at"])
    for field, owner in (("at", row), ("origin", row.get("axes") or {})):
        if isinstance(owner.get(field), list):
            owner[field] = moved(owner[field])
    for cut in row.get("cuts", ()):
        if cut["along"] != "y":
            cut["y"] = f"({cut['y']}){by}"
    for copies in row.get("copies", ()):
        if isinstance(copies.get("centre"), list):
            copies["centre"] = moved(copies["centre"])
        if copies.get("across") == "y":
            copies["at"] = f"({copies['at']}){by}"


def summary(project: Project, files: Any) -> dict[str, Any]:
    """What a run of the modes says of each case, in numbers and words without units."""
    from labilis.run import Plan, Runner, judge_project
    from labilis.run.plan import Snapshot

    started = time.perf_counter()
    try:
        report = judge_project(project, Runner().run(Snapshot(project, files), Plan("modes")))
    except LabilisError as error:
        return {"refused": str(error), "seconds": time.perf_counter() - started}
    assert report.mesh is not None
    found: dict[str, Any] = {"unknowns": report.mesh.unknowns, "meets": report.meets, "cases": {}}
    for case in report.cases:
        facts, modes = case.facts, case.facts.modes
        row: dict[str, Any] = {
            "evidence": {item.name: item.state for item in case.evidence},
            "texts": {item.name: item.text for item in case.evidence},
            "gates": {gate.name: gate.state for gate in case.verdict.gates},
            "headline": case.verdict.headline,
        }
        if modes is not None:
            row["factors"] = [float(value) for value in modes.factors]
            row["drivers"] = list(modes.drivers)
            row["kinds"] = [str(kind) for kind in modes.kinds]
            row["error"] = modes.first_error
        if facts.strength is not None:
            row["yield"] = float(facts.strength.strength_factor)
        found["cases"][facts.case] = row
    found["seconds"] = time.perf_counter() - started
    return found


def differences(first: dict[str, Any], other: dict[str, Any], within: float = 1e-5) -> list[str]:
    """What differs between two summaries; floats by more than a ratio."""
    found: list[str] = []

    def compare(a: Any, b: Any, where: str) -> None:
        if isinstance(a, dict) and isinstance(b, dict):
            for key in sorted({*a, *b}, key=str):
                if key not in ("seconds", "texts", "headline"):
                    compare(a.get(key), b.get(key), f"{where}/{key}")
        elif isinstance(a, list) and isinstance(b, list) and len(a) == len(b):
            for number, (x, y) in enumerate(zip(a, b)):
                compare(x, y, f"{where}/{number}")
        elif isinstance(a, float) and isinstance(b, float):
            none = math.isnan(a) and math.isnan(b)
            if not none and not math.isclose(a, b, rel_tol=within, abs_tol=1e-9 * within):
                found.append(f"{where}: {a:.6g} {b:.6g}")
        elif a != b:
            found.append(f"{where}: {a} {b}")

    compare(first, other, "")
    return found


SIZES = (0.1, 10.0, 0.01, 100.0)
# of a held part that is no more than what the part bears; of one that pulls the other way
PARTS = (0.3, -0.5)


def totals(found: dict[str, Any], held: float) -> dict[str, list[float]]:
    """What goes unstable of each case, held part included, rising: positive factors only."""
    return {
        case: sorted(held + (1.0 - held) * value for value in row["factors"] if value > 0)
        for case, row in found.get("cases", {}).items()
    }


def main() -> None:
    """python -m validation.restated MODEL...: what differs where nothing should."""
    from labilis.store import load_model

    for name in sys.argv[1:]:
        snapshot = load_model(Path(name))
        project, files = snapshot.project, snapshot.files
        first = summary(project, files)
        print(name, json.dumps({k: v for k, v in first.items() if k != "cases"}), flush=True)
        for s in () if files else SIZES:  # an imported part is as large as it is
            other = summary(larger(project, s, s * s), files)
            for line in differences(first, other, 1e-3):
                print(f"  {s:g} times as large {line}", flush=True)
        if not files:
            for line in differences(first, summary(turned(project), files), 1e-3):
                print(f"  turned {line}", flush=True)
        for held in PARTS:
            other = summary(split(project, held), files)
            print(f"  {held:g} held", totals(first, 0.0), totals(other, held), flush=True)


if __name__ == "__main__":
    main()
