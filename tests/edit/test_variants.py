"""Designs kept in one project: switching loses nothing, what differs is told."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from labilis.edit.variants import (
    design_names,
    design_of,
    differences,
    keep_variant,
    meshed_alike,
    remove_variant,
    rename_design,
    switch_design,
)
from labilis.model import LabilisError, Project, load_project
from labilis.run import Snapshot, stage_keys
from labilis.store import load_model, write_model
from tests.judge.test_mistakes import flat, strip
from tests.parts import bar_step, cantilever


def project(**change: Any) -> Project:
    return load_project(strip(parameters={"t": "4 mm"}, pieces=[flat("t")], **change))


def test_a_variant_goes_its_own_way_and_comes_back() -> None:
    first = project()
    both = keep_variant(first, "thick").changed(parameters={"t": "6 mm"})
    assert design_names(both) == ("first design", "thick")
    other = switch_design(both, "thick")
    assert design_names(other) == ("thick", "first design") and other.parameters == {"t": "4 mm"}
    changed = other.changed(parameters={"t": "8 mm"})
    back = switch_design(changed, "first design")
    assert back.parameters == {"t": "6 mm"} and switch_design(back, "thick") == changed
    assert load_project(back.to_json()) == back


def test_variants_and_plans_are_nothing_to_the_numbers() -> None:
    """A result found before a variant was made is still the present one."""
    one = project()
    two = keep_variant(one, "b").changed(
        plans=[{"name": "p", "vary": [{"parameter": "t", "values": ["1 mm", "2 mm"]}]}], design="a"
    )
    assert stage_keys(one) == stage_keys(two)
    assert stage_keys(switch_design(two, "b")) == stage_keys(one)


def test_names_of_designs() -> None:
    both = keep_variant(project(), "b")
    for name in ("b", "first design", " ", ""):
        with pytest.raises(LabilisError):
            keep_variant(both, name)
    with pytest.raises(LabilisError):
        rename_design(both, "b", "first design")
    assert design_names(rename_design(rename_design(both, "first design", "a"), "b", "c")) == (
        "a",
        "c",
    )
    assert design_names(remove_variant(both, "b")) == ("first design",)
    with pytest.raises(LabilisError):
        remove_variant(both, "first design")
    with pytest.raises(LabilisError):
        design_of(both, "not there")


def test_what_differs_is_told_by_name() -> None:
    one = project()
    load = one.loads[0].model_copy(update={"name": "pull"})
    two = one.changed(
        parameters={"t": "5 mm", "u": "1"}, loads=[*one.loads, load], mesh={"size": "4 mm"}
    )
    assert differences(one, two) == [
        ("parameters/t", "4 mm", "5 mm"),
        ("parameters/u", "", "1"),
        ("loads/pull", "", "pull"),
        ("mesh/size", "5 mm", "4 mm"),
    ]
    assert differences(one, one) == []


def test_a_wrong_variant_is_refused_with_its_name() -> None:
    stated = project().model_dump(mode="json")
    inner = {
        **{
            key: value
            for key, value in stated.items()
            if key not in ("plans", "variants", "design")
        },
        "parameters": {"t": "4 kg"},
    }
    with pytest.raises(LabilisError, match="variants/bad"):
        load_project({**stated, "variants": [{"name": "bad", "statements": inner}]})
    with pytest.raises(LabilisError, match="of its own"):
        load_project({**stated, "variants": [{"name": "bad", "statements": stated}]})


def test_a_design_without_a_parameter_of_a_plan_is_not_switched_to() -> None:
    both = keep_variant(project(), "b", load_project(strip()))
    planned = both.changed(plans=[{"name": "p", "vary": [{"parameter": "t", "values": ["1 mm"]}]}])
    with pytest.raises(LabilisError, match="lacks a parameter"):
        switch_design(planned, "b")


def test_the_json_form_keeps_the_files_of_every_design(tmp_path: Path) -> None:
    data = bar_step()
    first = cantilever(data)
    sha = first.geometry[0].sha256
    path = tmp_path / "model.json"
    other = first.changed(
        geometry=[{"file": "other.step", "sha256": "b" * 64}],
        pieces=[first.pieces[0].model_copy(update={"geometry": "other.step"})],
    )
    write_model(
        Snapshot(keep_variant(first, "b", other), {sha: data, "b" * 64: data + b"\n"}), path
    )
    assert sorted(item.name for item in tmp_path.iterdir()) == [
        "model.json",
        "other.step",
        first.geometry[0].file,
    ]
    read = load_model(path)
    inner = design_of(read.project, "b")
    assert (
        read.files[inner.geometry[0].sha256] == data + b"\n"
        and read.files[read.project.geometry[0].sha256] == data
    )
    (tmp_path / "other.step").unlink()
    with pytest.raises(LabilisError, match="not beside"):
        load_model(path)
    clash = first.changed(geometry=[{"file": first.geometry[0].file, "sha256": "b" * 64}])
    with pytest.raises(LabilisError, match="different files"):
        write_model(Snapshot(keep_variant(first, "b", clash), {sha: data}), path)


def test_designs_meshed_alike_have_one_size_and_no_fineness_of_their_own() -> None:
    project = load_project(strip(mesh={"fineness": "1.5", "solids": "tetrahedra"}))
    project = keep_variant(
        project, "other", design_of(project, project.design).changed(mesh={"size": "12 mm"})
    )
    alike = meshed_alike(project, "5 mm")
    for name in ("other", project.design):
        mesh = design_of(alike, name).mesh
        assert mesh.size == "5 mm" and mesh.fineness is None
    assert alike.mesh.solids == "tetrahedra"
