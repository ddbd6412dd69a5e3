"""What a hold and a per cent of thickness add to a factor, against differences."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from labilis.model import load_project
from labilis.results.findings import MeshFindings, ModesFindings
from labilis.run import Plan, Runner, Snapshot, stage_keys
from tests.judge.test_mistakes import flat, force, strip


def found(model: dict[str, Any]) -> tuple[ModesFindings, MeshFindings]:
    project = load_project(model)
    results = Runner().run(Snapshot(project), Plan("modes"))
    keys = stage_keys(project)
    return results[keys.modes], results[keys.mesh]


def model(
    spring: float = 0.0, mode_sign: str = "positive", held: bool = False, **more: Any
) -> dict[str, Any]:
    """The strip with a stiff hub on its head and a sideways spring there."""
    loads = [force()]
    if held:
        loads.append({**force("-20 N"), "name": "stays", "growth": "held"})
    springs = [{"name": "side", "on": "ram", "z": f"{spring!r} N/mm"}] if spring else []
    return strip(
        *[{**load, "on": "ram"} for load in loads],
        hubs=[{"name": "ram", "region": "head", "kind": "stiff"}],
        springs=springs,
        mesh={"size": "10 mm"},
        criteria={"modes": 3, "required_factor": "1", "mesh_error": False, "sign": mode_sign},
        **more,
    )


@pytest.mark.parametrize("held", [False, True])
@pytest.mark.parametrize("place", [0.05, 0.2])
def test_a_hold_raises_the_factor_by_what_the_map_says(held: bool, place: float) -> None:
    """Central difference about a spring that is there, so that nothing is lost in rounding."""
    low, _ = found(model(0.9 * place, held=held))
    middle, mesh = found(model(place, held=held))
    high, _ = found(model(1.1 * place, held=held))
    head = mesh.nodes[:, 0] > 200 - 1e-6
    for mode in range(2):
        motion = float(np.abs(middle.shapes[mode][head][:, 2]).max())
        slope = (high.factors[mode] - low.factors[mode]) / (0.2 * place)
        assert middle.holds[mode] * motion**2 == pytest.approx(
            slope, rel=0.01, abs=1e-3 * middle.holds[mode]
        )


def test_thickness_map_sums_to_the_lever_of_the_piece() -> None:
    from labilis.judge.mesh_display import lever_density, shell_areas
    from labilis.ui.stage.fields import lever_field

    modes, mesh = found(model())
    thin, thick = (found(model(pieces=[flat(f"{4 * t} mm")]))[0].factors[0] for t in (0.99, 1.01))
    assert modes.levers[0].sum() == pytest.approx(
        np.log(thick / thin) / np.log(1.01 / 0.99), rel=0.01
    )
    area = shell_areas(mesh)
    assert area.sum() == pytest.approx(200 * 20, rel=1e-9)
    assert lever_density(mesh, 3 * area / area.sum()) == pytest.approx(
        np.full(mesh.count, 3.0)
    )  # what an even plate gains in bending
    shown = lever_field(mesh, modes, 0, "mode 1")
    assert "all 1 % thicker: +3 %" in shown.story and shown.least == -shown.most
    assert float(shown.values[mesh.nodes[:, 0] < 1e-6].mean()) > 3 * abs(
        float(shown.values[mesh.nodes[:, 0] > 199].mean())
    )


def test_hold_map_is_largest_where_the_part_moves_most() -> None:
    from labilis.ui.stage.fields import hold_field, spot_words

    modes, mesh = found(model())
    shown = hold_field(mesh, modes, 0, "mode 1")
    best = int(shown.values.argmax())
    assert mesh.nodes[best, 0] == pytest.approx(200) and "best at (200" in shown.story
    stiff = found(model(0.02))[0].factors[0]
    assert shown.values[best] * 0.02 == pytest.approx(
        100 * (stiff / modes.factors[0] - 1), rel=0.02
    )
    assert spot_words(shown, mesh, best)[0].endswith("% per N/mm of a hold")
