"""Studies, misalignment, and prescribed displacement on a trace."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from labilis.judge.studies import study_words
from labilis.model import LabilisError, load_project
from labilis.run import Plan, Runner, Snapshot, judge_project, stage_keys
from labilis.run.codec import pack, unpack
from tests.analysis.test_trace import EI, PINNED, L, traced
from tests.judge.test_mistakes import ALL, force, strip

HUB = {"hubs": [{"name": "tip", "region": "head"}]}


def study(model: dict[str, Any], kind: str) -> Any:
    project = load_project(model)
    told: list[Any] = []
    results = Runner().run(
        Snapshot(project), Plan(kind, ("one",)), found=lambda _key, result: told.append(result)
    )  # type: ignore[arg-type]
    found = results[getattr(stage_keys(project, "one"), kind)]
    assert found.done and len(told) > 3
    kept = unpack(*pack(found))
    assert np.array_equal(kept.labels, found.labels) and np.allclose(
        kept.figures, found.figures, equal_nan=True
    )
    return found


def strength(model: dict[str, Any]) -> Any:
    project = load_project(model)
    return (
        judge_project(project, Runner().run(Snapshot(project), Plan("strength")))
        .cases[0]
        .facts.strength
    )


def test_amplitudes_to_both_sides() -> None:
    """A column loses with its bow, alike to both sides."""
    found = study(
        strip(
            force("-100 N"),
            mesh={"size": "20 mm"},
            criteria={"modes": 1},
            trace={"amplitude": "0.2 mm", "target": "60"},
            supports=[{"name": "foot", "on": "foot", "held": ALL}],
        ),
        "amplitude",
    )
    verified = found.figures[:, 0]
    assert list(found.labels[:3]) == ["0.1 mm", "0.2 mm", "0.4 mm"] and str(
        found.labels[3]
    ).startswith("−")
    assert verified[0] > verified[1] > verified[2]
    assert verified[3:] == pytest.approx(verified[:3], rel=5e-3)
    assert "sensitive" in study_words(found) and "0.4 mm" in study_words(found)


@pytest.mark.full
def test_a_tilt_brings_yield_nearer_and_hardly_moves_the_factor() -> None:
    found = study(strip(force("-100 N"), mesh={"size": "20 mm"}, criteria={"modes": 1}), "tilt")
    assert (
        list(found.labels[:3]) == ["straight", "0.5° toward y", "0.5° toward -y"]
        and len(found.labels) == 25
    )
    factors, yields = found.figures[:, 0], found.figures[:, 1]
    assert np.abs(factors / factors[0] - 1).max() < 0.02
    assert yields[1:].max() < yields[0]
    thickness = (
        float(found.x[13:].max()) / 2
    )  # moved by half, once and twice of it; pressed and bent, F/A + F e/W
    aside = found.figures[
        [
            str(item) == "offset along z, mm" and x > 1.9 * thickness
            for item, x in zip(found.series, found.x)
        ]
    ]
    assert aside[0, 2] == pytest.approx(100 / 80 + 100 * 2 * thickness / (20 * 4**2 / 6), rel=0.1)
    assert {str(item) for item in found.series} == {
        "",
        *(f"tilt toward {a}, °" for a in "yz"),
        *(f"offset along {a}, mm" for a in "yz"),
    }
    # toward z the strip bends about its weak axis: F sin 2° L / W
    last = found.figures[[str(label) == "2° toward z" for label in found.labels]][0]
    expected = 100 * np.cos(np.radians(2)) / 80 + 100 * np.sin(np.radians(2)) * 200 / (
        20 * 4**2 / 6
    )
    assert last[2] == pytest.approx(expected, rel=0.1)
    assert "First yield falls" in study_words(found)


def test_tilt_and_offset_are_used_as_stated() -> None:
    leaning = strength(strip(force("-100 N", tilt={"angle": "3 deg", "toward": "y"})))
    assert leaning.applied[0, :3] == pytest.approx(
        [-100 * np.cos(np.radians(3)), 100 * np.sin(np.radians(3)), 0]
    )
    aside = strength(
        strip({**force("-100 N", offset=["0 mm", "0 mm", "5 mm"]), "on": "tip"}, **HUB)
    )
    assert aside.applied[0, 4] - strength(strip({**force("-100 N"), "on": "tip"}, **HUB)).applied[
        0, 4
    ] == pytest.approx(-500.0)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"tilt": {"angle": "1 deg", "toward": "x"}}, "already runs along x"),
        ({"offset": ["1 mm", "0 mm", "0 mm"]}, "needs a hub"),
    ],
)
def test_misalignment_that_does_not_fit_is_refused(change: dict[str, Any], said: str) -> None:
    with pytest.raises(LabilisError, match=said):
        strength(strip(force("-100 N", **change)))


def test_studies_that_cannot_be_made_say_why() -> None:
    with pytest.raises(LabilisError, match="no amplitude to change"):
        study(strip(trace={"mode": 0}), "amplitude")
    pressure = {"kind": "pressure", "name": "push", "on": "head", "pressure": "1 MPa"}
    with pytest.raises(LabilisError, match="No growing force"):
        study(
            strip(
                pressure,
                regions=[
                    {"name": "foot", "names": ["strip/side.4"]},
                    {"name": "head", "names": ["strip/face"]},
                ],
            ),
            "tilt",
        )


def test_a_prescribed_displacement_drives_a_trace_past_the_limit() -> None:
    """Squeezed by its end a bowed strut carries at most Euler's load, and the path goes on."""
    shortening = 4 * np.pi**2 * EI / L**2 * L / (210e3 * 40)
    move = {
        "kind": "move",
        "name": "squeeze",
        "support": "head x",
        "components": [f"{-shortening!r} mm", "0 mm", "0 mm"],
    }
    supports = [*PINNED["supports"], {"name": "head x", "on": "head", "held": ["x"]}]
    supports[1] = {"name": "head", "on": "head", "held": ["y", "z"]}
    trace = traced(
        {
            **PINNED,
            "supports": supports,
            "loads": [move],
            "cases": [{"name": "load", "loads": [{"load": "squeeze"}]}],
        },
        amplitude="0.05 mm",
        target="1",
        material="elastic",
        beyond_yield=1e9,
        deflection="1 m",
    ).facts.trace
    assert trace.factors[-1] == pytest.approx(1.0)
    # it follows P = Pcr δ / (δ + δ0) while the bow is shallow
    assert trace.force[-1] == pytest.approx(
        np.pi**2 * EI / L**2 * trace.probe[-1] / (trace.probe[-1] + 0.05), rel=5e-3
    )
    assert trace.probe[-1] > 1.5
