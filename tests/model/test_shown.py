"""Figures in words, in every set of units."""

from __future__ import annotations

import json
import math
import os
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from labilis.edit.retyping import retyped
from labilis.model import ForceLoad, LabilisError, Project, load_project, shown
from labilis.model.expressions import number_of
from tests.judge.test_mistakes import force, strip

KINDS = {
    "length": "length",
    "area": "area",
    "second moment": "second moment",
    "force": "force",
    "moment": "moment",
    "stress": "stress",
    "line force": "line force",
    "stiffness": "stiffness",
    "mass": "mass",
    "temperature": "temperature",
}
TYPED = {
    "mm²": "mm^2",
    "mm⁴": "mm^4",
    "m²": "m^2",
    "m⁴": "m^4",
    "in²": "in^2",
    "in⁴": "in^4",
    "N mm": "N*mm",
    "kN m": "kN*m",
    "lbf in": "lbf*in",
    "kip in": "1000*lbf*in",
    "kip": "1000*lbf",
    "kip/in": "1000*lbf/in",
    "°F": "degF",
}


@given(st.sampled_from(shown.NAMES), st.sampled_from(sorted(KINDS)), st.floats(1e-6, 1e9))
def test_a_figure_that_is_shown_means_the_number_it_was_made_of(
    name: shown.UnitsName, kind: str, kernel: float
) -> None:
    """Read back by the grammar of statements, whose units have their own definitions."""
    with shown.using(name):
        text = shown.text(kernel, kind, 7)
        number, _, symbol = text.replace(",", "").partition(" ")
        back = number_of(
            f"{number} * (1 {TYPED.get(symbol, symbol)})"
            if not TYPED.get(symbol, "").startswith("1000")
            else f"{number} * 1000 * (1 {TYPED[symbol].removeprefix('1000*')})",
            kind,
        )
        assert back == pytest.approx(kernel, rel=2e-6)
        assert shown.value(kernel, kind) * shown.per(kind) == pytest.approx(kernel)


@given(
    st.sampled_from(shown.NAMES),
    st.sampled_from(
        ["length", "force", "moment", "stress", "line force", "stiffness", "mass", "temperature"]
    ),
    st.floats(1e-3, 1e6),
)
def test_what_is_stated_for_somebody_can_be_read_back(
    name: shown.UnitsName, kind: str, kernel: float
) -> None:
    with shown.using(name):
        assert number_of(shown.stated(kernel, kind, 8), kind) == pytest.approx(kernel, rel=1e-6)


@pytest.mark.parametrize(
    ("text", "kind", "kernel"),
    [
        ("36 degF", "temperature", 20.0),
        ("20 degC", "temperature", 20.0),
        ("6.5e-6/degF", "expansion", 11.7e-6),
        ("2 kip", "force", 8896.443230521),
        ("1 kip/in", "line force", 175.12683524647633),
        ("3 kip*in", "moment", 338954.4870828501),
    ],
)
def test_units_of_the_trade_mean_what_they_mean(text: str, kind: str, kernel: float) -> None:
    """Temperatures are differences: 36 °F of them are 20 K, without an offset."""
    assert number_of(text, kind) == pytest.approx(kernel, rel=1e-12)


def test_forces_take_a_fitting_unit_and_round_first() -> None:
    assert [shown.force(value) for value in (999.96, 1e6, -2500.0, 12.0)] == [
        "1 kN",
        "1 MN",
        "-2.5 kN",
        "12 N",
    ]
    with shown.using("in-lbf-psi"):
        assert shown.force(4448.2216152605) == "1000 lbf"
    with shown.using("in-kip-ksi"):
        assert (
            shown.force(4448.2216152605) == "1 kip" and shown.stress(6.894757293168361) == "1 ksi"
        )
        assert shown.stress(100 * 6.894757293168361, 3) == "100 ksi"
    with shown.using("in-lbf-psi"):
        assert shown.stress(6.894757293168361 * 3.324, 3) == "3,320 psi"
    assert shown.text(math.nan, "length") == "–" and shown.text(math.inf, "stress") == "∞"


def test_what_a_run_stored_in_mm_is_said_in_the_units_of_today() -> None:
    assert shown.restated("−0.3 mm off along +y") == "−0.3 mm off along +y"
    with shown.using("in-lbf-psi"):
        assert shown.restated("−0.3 mm off along +y") == "−0.0118 in off along +y"
        assert shown.restated("1.5 kN of 25.4 mm²") == "337 lbf of 0.0394 in²"
        assert (
            shown.restated("amplitude, mm") == "amplitude, in"
            and shown.restated("mode 3 of N") == "mode 3 of N"
        )
        assert shown.axis("element size, mm") == ("element size, in", pytest.approx(1 / 25.4))
        assert shown.axis("mass, kg") == ("mass, lb", pytest.approx(1 / 0.45359237))
        assert shown.axis("turn of foot, °") == ("turn of foot, °", 1.0)


def test_new_statements_are_retyped_and_old_ones_and_exact_places_stay() -> None:
    before = load_project(strip(force("-100 N"), units="in-lbf-psi"))
    after = before.with_item(
        "loads",
        ForceLoad(
            name="new",
            on="head",
            components=("1 kN", "0 N", "2*50 N"),
            offset=("12.3456 mm", "0 mm", "0 mm"),
        ),
    )
    with shown.using("in-lbf-psi"):
        made = retyped(before, after)
    assert made.loads[1].components == ("220 lbf", "0 lbf", "2*50 N")  # type: ignore[union-attr]
    assert made.value(made.loads[1].offset[0], "length") == pytest.approx(12.3456, rel=1e-5)  # type: ignore[union-attr, index]
    assert made.loads[0] == before.loads[0] and made.pieces == before.pieces
    assert retyped(before, after) is after  # in mm nothing is to be done


def test_units_change_no_key_and_are_kept_over_designs() -> None:
    from labilis.edit.variants import design_of, keep_variant, switch_design
    from labilis.run import stage_keys

    project = load_project(strip())
    other = project.changed(units="in-kip-ksi")
    assert stage_keys(other) == stage_keys(project) and stage_keys(project).modes
    both = keep_variant(other, "copy")
    assert (
        switch_design(both, "copy").units == "in-kip-ksi"
        and design_of(both, "copy").units == "in-kip-ksi"
    )
    plain = keep_variant(project, "copy")
    assert design_of(plain, "copy") is design_of(
        plain, "copy"
    )  # what is known of it goes by the object
    with pytest.raises(LabilisError):
        load_project({"units": "furlong"})
    assert Project().units == shown.DEFAULT and "units" not in project.to_json()


@pytest.mark.parametrize("place", ["before", "after"])
@pytest.mark.full
def test_the_command_line_says_its_figures_in_the_units_that_were_asked_for(
    place: str, tmp_path: Path
) -> None:
    path = tmp_path / "strip.json"
    path.write_text(
        json.dumps(
            strip(
                criteria={"modes": 1, "mesh_error": False, "required_factor": "1"},
                mesh={"size": "15 mm"},
            )
        )
    )
    units = ["--units", "in-lbf-psi"] if place == "before" else ["--units=in-lbf-psi"]
    words = [*units, "check", str(path)] if place == "before" else ["check", str(path), *units]
    ran = subprocess.run(
        [sys.executable, "-m", "labilis", *words],
        capture_output=True,
        text=True,
        timeout=120,
        env={**os.environ, "LABILIS_STATE": str(tmp_path)},
        check=False,
    )
    assert "psi" in ran.stdout and not any(
        unit in ran.stdout for unit in (" mm", " MPa", " N ", " kN")
    ), ran.stdout + ran.stderr
    wrong = subprocess.run(
        [sys.executable, "-m", "labilis", "check", str(path), "--units", "ell"],
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
    )
    assert wrong.returncode == 2 and "in-lbf-psi" in wrong.stderr


def test_units_that_were_chosen_last_are_those_of_new_projects(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    from labilis.app.preferences import prefer_units, preferred_units

    monkeypatch.setenv("LABILIS_STATE", str(tmp_path / "state"))
    assert preferred_units() == shown.DEFAULT
    prefer_units("in-kip-ksi")
    assert preferred_units() == "in-kip-ksi" and [
        path.name for path in (tmp_path / "state").iterdir()
    ] == ["preferences.json"]
    for content in (b"{", b"[]", b'{"units": "ell"}', b'{"units": 3}', b"\xff", b"[" * 5000):
        (tmp_path / "state/preferences.json").write_bytes(content)
        assert preferred_units() == shown.DEFAULT
    (tmp_path / "state/preferences.json").unlink()
    (tmp_path / "state/preferences.json").mkdir()
    prefer_units(
        "in-kip-ksi"
    )  # nowhere to keep it: no reason to stop, and nothing is left lying about
    assert [path.name for path in (tmp_path / "state").iterdir()] == ["preferences.json"]
    (tmp_path / "file").write_bytes(b"")
    monkeypatch.setenv("LABILIS_STATE", str(tmp_path / "file"))  # a file where a folder should be
    prefer_units("in-kip-ksi")
    assert preferred_units() == shown.DEFAULT
