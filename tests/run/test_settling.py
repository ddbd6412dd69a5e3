"""A mesh without a stated size is made finer until the factors are known well enough."""

from __future__ import annotations

import dataclasses
import math
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from labilis.judge.figures import settled_words
from labilis.model import LabilisError, Project, load_project
from labilis.results.findings import SettledFindings
from labilis.run import Plan, Runner, Snapshot, judge_project, pack, settled, stage_keys, unpack
from labilis.run.settling import error_that_counts, next_fineness
from labilis.store.checkpoints import CheckpointFile
from tests.judge.test_mistakes import STEEL

CORNERS = ((0, 0), (240, 0), (240, 160), (0, 160))


def wall(load: str = "-2 kN", **more: Any) -> dict[str, Any]:
    """A plate of 240 x 160 x 2 held along three sides and pushed along the fourth, its half
    waves shorter than its width."""
    sides = {f"side {k}": f"plate/side.{k}" for k in range(1, 5)}
    return {
        "materials": [STEEL],
        "pieces": [
            {
                "name": "plate",
                "material": "steel",
                "mesh_as": "shell",
                "recipe": {
                    "kind": "plate",
                    "thickness": "2 mm",
                    "outline": [{"x": f"{x} mm", "y": f"{y} mm"} for x, y in CORNERS],
                },
            }
        ],
        "regions": [{"name": name, "names": [face]} for name, face in sides.items()],
        "supports": [
            {"name": "end", "on": "side 4", "held": ["x", "y", "z"]},
            {"name": "low", "on": "side 1", "held": ["z"]},
            {"name": "high", "on": "side 3", "held": ["z"]},
            {"name": "head", "on": "side 2", "held": ["z"]},
        ],
        "loads": [
            {"kind": "force", "name": "push", "on": "side 2", "components": [load, "0 N", "0 N"]}
        ],
        "cases": [{"name": "one", "loads": [{"load": "push"}]}],
        "criteria": {"required_factor": "1", "modes": 3},
        "mesh": {"within": "0.5 %"},
        **more,
    }


def run(project: Project, upto: Any = "modes", cases: tuple[str, ...] = ()) -> dict[str, Any]:
    return Runner().run(Snapshot(project), Plan(upto, cases))


def test_it_is_made_finer_until_the_error_is_small() -> None:
    project = load_project(wall(mesh={"within": "1.5 %"}))
    results = run(project)
    found: SettledFindings = results[stage_keys(project).settled]
    assert found.fineness > 1.2 and found.enough and found.errors[0] > 0.015 >= found.errors[-1]
    case = judge_project(project, results).cases[0]
    assert (
        case.facts.modes.first_error == found.errors[-1]
        and case.facts.mesh.unknowns == found.unknowns[-1]
    )
    assert case.facts.mesh.size == pytest.approx(found.sizes[0] / found.fineness)
    assert f"{found.fineness:.3g} times finer" in settled_words(found)
    # what the errors were said to be, against a mesh three times finer still
    very = load_project(wall(mesh={"fineness": f"{3 * found.fineness}"}))
    true = float(run(very)[stage_keys(very).modes].positive[0])
    for factor, error in zip(found.factors, found.errors):
        assert abs(factor / true - 1.0) <= error
    kept = unpack(*pack(found))
    assert all(
        np.array_equal(getattr(kept, field.name), getattr(found, field.name))
        for field in dataclasses.fields(found)
    )


def test_run_again_its_errors_are_told_as_they_were() -> None:
    """A number with the same key is the same number, whatever was run before it."""
    project = load_project(wall(mesh={"within": "2 %"}))
    runner = Runner()
    first = runner.run(Snapshot(project), Plan("modes"))
    assert first[stage_keys(project).settled].fineness > 1.2
    again = runner.run(Snapshot(project), Plan("modes"))
    assert again.keys() <= first.keys()
    key = stage_keys(settled(project, first)).modes
    for name in ("factors", "mesh_error", "yield_error", "section_error"):
        one, other = getattr(first[key], name), getattr(again[key], name)
        assert np.array_equal(one, other, equal_nan=True), name


@pytest.mark.parametrize("mesh", [{"size": "16 mm"}, {"fineness": "0.8"}, {"order": 1}])
def test_what_is_stated_is_kept(mesh: dict[str, Any]) -> None:
    project = load_project(wall(mesh={**mesh, "within": "0.5 %"}))
    results = run(project)
    assert settled(project, results) is project and stage_keys(project).modes in results
    assert all(not isinstance(result, SettledFindings) for result in results.values())


def test_a_mesh_that_does_stays() -> None:
    project = load_project(wall(mesh={"within": "8 %"}))
    results = run(project)
    assert list(results[stage_keys(project).settled].fineness_tried) == [1.0]
    assert settled(project, results) is project and stage_keys(project).modes in results


@pytest.mark.full
def test_all_cases_stand_on_one_mesh_whichever_is_asked() -> None:
    """The finest that any of them needs; a case that cannot be solved does not keep the others
    from it."""
    cases = [
        {"name": "one", "loads": [{"load": "push"}]},
        {"name": "across", "loads": [{"load": "shear"}]},
    ]
    loads = [
        *wall()["loads"],
        {"kind": "force", "name": "shear", "on": "side 3", "components": ["3 kN", "0 N", "0 N"]},
    ]
    more = {"mesh": {"within": "2 %"}, "criteria": {"required_factor": "1", "modes": 1}}
    project = load_project(wall(loads=loads, cases=cases, **more))
    every, one = run(project), run(project, cases=("one",))
    key = stage_keys(project).settled
    assert every[key].fineness == one[key].fineness > 1.0
    keys = stage_keys(settled(project, every), "one")
    assert np.array_equal(every[keys.modes].factors, one[keys.modes].factors)
    changed = load_project(
        wall(
            loads=[loads[0], {**loads[1], "components": ["4 kN", "0 N", "0 N"]}],
            cases=cases,
            **more,
        )
    )
    assert stage_keys(changed).settled != key  # a load of another case may ask for another mesh
    empty = load_project(
        wall(
            loads=loads,
            cases=[cases[0], {"name": "empty", "loads": []}],
            criteria={"required_factor": "1", "modes": 1},
            mesh={"within": "50 %"},
        )
    )
    assert (
        judge_project(empty, run(empty, cases=("one",)), ("one",)).cases[0].facts.modes is not None
    )


def test_a_trace_stands_on_the_mesh_that_was_found_and_goes_on_from_its_file(
    tmp_path: Path,
) -> None:
    project = load_project(wall("-60 kN", trace={"steps": 3}))
    file = CheckpointFile(tmp_path / "path")
    results = Runner().run(Snapshot(project), Plan("trace"), found=file.keep)
    fine = settled(project, results)
    assert fine is not project and stage_keys(fine).trace in results
    kept = CheckpointFile(tmp_path / "path").fitting(project, ())
    assert kept is not None and kept.steps >= 2
    assert (
        CheckpointFile(tmp_path / "path").fitting(
            load_project(wall("-60 kN", trace={"steps": 3}, mesh={})), ()
        )
        is not None
    )
    assert (
        CheckpointFile(tmp_path / "path").fitting(
            load_project(wall("-61 kN", trace={"steps": 3})), ()
        )
        is None
    )
    assert (
        CheckpointFile(tmp_path / "path").fitting(
            load_project(wall("-60 kN", mesh={"size": "20 mm"})), ()
        )
        is None
    )


@pytest.mark.parametrize(
    ("error", "unknowns", "finer"),
    [
        (0.019, 1e3, None),
        (math.nan, 1e3, None),
        (0.021, 1e3, 1.2),
        (0.036, 1e3, 1.5),
        (0.5, 1e3, 2.5),
        (0.2, 40e3, 1.58),
        (0.2, 80e3, None),
    ],
)
def test_how_much_finer(error: float, unknowns: float, finer: float | None) -> None:
    """Errors in the square of the sides, four fifths of 2 % aimed at, by hand; the run stays
    small."""
    assert next_fineness(1.0, error, 0.02, int(unknowns), 2.0) == finer
    assert next_fineness(2.0, error, 0.02, int(unknowns), 2.0) == (
        None if finer is None else pytest.approx(2 * finer, abs=0.01)
    )


def test_only_errors_that_can_change_a_verdict_count() -> None:
    """Of the first factor always, of others where they reach what is required."""
    project = load_project(wall())
    modes = run(load_project(wall(mesh={"size": "30 mm"})))
    found = next(item for item in modes.values() if hasattr(item, "mesh_error"))
    changed = dataclasses.replace(
        found, factors=np.array([2.0, 4.0, 4.1]), mesh_error=np.array([0.01, 0.3, math.nan])
    )
    assert error_that_counts(project, [changed]) == (0.01, 2.0)
    assert error_that_counts(
        project, [dataclasses.replace(changed, mesh_error=np.array([0.01, 0.8, math.nan]))]
    ) == (0.8, 4.0)
    assert math.isnan(error_that_counts(project, [])[0])


@pytest.mark.parametrize(
    ("mesh", "said"),
    [
        ({"fineness": "0"}, "fineness"),
        ({"fineness": "100"}, "fineness"),
        ({"within": "0 %"}, "mesh error"),
        ({"within": "3"}, "mesh error"),
    ],
)
def test_what_makes_no_sense_is_refused(mesh: dict[str, Any], said: str) -> None:
    with pytest.raises(LabilisError, match=said):
        load_project(wall(mesh=mesh))


def test_a_finer_mesh_that_fails_leaves_what_was_found(monkeypatch: pytest.MonkeyPatch) -> None:
    from labilis.run import runner

    real = runner.mesh_stage

    def only_coarse(project: Project, part: Any, *more: Any) -> Any:
        if project.mesh.fineness is not None:
            raise LabilisError("no such mesh")
        return real(project, part, *more)

    monkeypatch.setattr(runner, "mesh_stage", only_coarse)
    project = load_project(wall())
    results = run(project)
    found = results[stage_keys(project).settled]
    assert found.fineness == 1.0 and not found.enough
    case = judge_project(project, results).cases[0]
    assert case.facts.modes.first_error == found.errors[0] and case.facts.mesh is not None


@pytest.mark.parametrize(("expected", "came"), [(True, False), (False, True)])
def test_solids_that_would_be_too_large_are_meshed_coarser_and_that_is_told(
    expected: bool,
    came: bool,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """By what is expected of the size, or by what came of it; a stated size and shells are kept."""
    from labilis.analysis import mesh_stage as stage
    from labilis.shape import build_part

    solid = wall()["pieces"][0] | {"mesh_as": "solid"}
    block = solid["recipe"] | {"thickness": "60 mm"}

    def unknowns(**mesh: Any) -> tuple[int, str]:
        project = load_project(
            wall(pieces=[solid | {"recipe": block}], mesh={"solids": "tetrahedra", **mesh})
        )
        found = stage.mesh_stage(project, build_part(project, {}))[2]
        return found.unknowns, " ".join(found.told)

    plain, said = unknowns()
    assert said == ""
    monkeypatch.setattr(stage, "_MOST", plain // 4 if expected else 10 * plain)
    monkeypatch.setattr(stage, "_TOO_MANY", plain // 2 if came else 10 * plain)
    if came:
        monkeypatch.setattr(stage, "_too_fine", lambda *_: 1.0)
        monkeypatch.setattr(stage, "_MOST", plain // 4)
    fewer, said = unknowns()
    assert fewer < 0.7 * plain and "coarser than proposed" in said
    assert unknowns(size="30 mm")[1] == ""
    # a fineness divides what came of it, where it was expected: the next round does not jump back
    finer, said = unknowns(fineness="1.3")
    if expected:
        assert fewer < finer < plain and "coarser than proposed" in said
    project = load_project(wall())
    assert len(stage.mesh_stage(project, build_part(project, {}))[2].told) == 0


def test_the_round_before_tells_the_error_only_where_it_is_coarser(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """A mesh that is hardly another one says nothing: a further one is made. Where the one
    before is coarser, none is."""
    from labilis.analysis import mesh_error
    from labilis.shape import build_part

    def found(size: str) -> tuple[Project, Any, Any]:
        project = load_project(
            wall(mesh={"size": size}, criteria={"required_factor": "1", "modes": 1})
        )
        results, keys = run(project), stage_keys(project)
        return project, results[keys.mesh], results[keys.modes]

    project, mesh, modes = found("16 mm")
    _, coarse, before = found("24 mm")
    part, none = build_part(project, {}), {"plate": None}
    same = mesh_error.OtherMesh(
        project, part, mesh, mesh_error.Before(mesh, {"one": modes}, {})
    ).errors("one", modes, mesh_error.Yields(2.0, 4.0), none)
    fresh = mesh_error.OtherMesh(project, part, mesh).errors(
        "one", modes, mesh_error.Yields(2.0, 4.0), none
    )
    assert same.factors == pytest.approx(fresh.factors) and same.factors[0] > 0
    monkeypatch.setattr(
        mesh_error, "mesh_stage", lambda *_: pytest.fail("no further mesh is needed")
    )
    modes = dataclasses.replace(modes, recovered=np.zeros(len(modes.factors)))
    told = mesh_error.OtherMesh(
        project,
        part,
        mesh,
        mesh_error.Before(coarse, {"one": before}, {"one": mesh_error.Yields(1.9, 4.4)}),
    ).errors("one", modes, mesh_error.Yields(2.0, 4.0), none)
    assert told.factors[0] == pytest.approx(
        abs(before.factors[0] / modes.factors[0] - 1.0) / (24 / 16 - 1.0), rel=0.15
    )
    assert told.yields.first == pytest.approx(0.05 / (24 / 16 - 1.0), rel=0.15)
    assert told.yields.sections == pytest.approx(0.1 / (24 / 16 - 1.0), rel=0.15)


@pytest.mark.full
def test_round_edges_follow_the_fineness() -> None:
    """A tube as a solid is held fine by its roundness, whatever the size: a finer mesh has to be
    finer there as well."""
    from labilis.analysis.mesh_stage import mesh_stage
    from labilis.shape import build_part

    tube = {
        "name": "plate",
        "material": "steel",
        "mesh_as": "solid",
        "recipe": {
            "kind": "strut",
            "length": "60 mm",
            "section": {"shape": "round tube", "diameter": "40 mm", "thickness": "3 mm"},
        },
    }
    counts = []
    for fineness in ("1", "2"):
        project = load_project(
            {
                "materials": [STEEL],
                "pieces": [tube],
                "mesh": {"fineness": fineness, "solids": "tetrahedra"},
            }
        )
        counts.append(mesh_stage(project, build_part(project, {}))[2].unknowns)
    assert counts[1] > 2.5 * counts[0]


def test_the_size_that_is_shown_is_the_mesh_s_own() -> None:
    from labilis.words.stations import mesh_sentences

    project = load_project(wall(mesh={}))
    results = run(project, "strength")
    facts = judge_project(project, results).cases[0].facts
    for size, words in ((20.0, "20 mm (proposed)"), (28.0, "28 mm (coarser than proposed)")):
        mesh: Any = dataclasses.replace(facts.mesh, size=size)
        text = "".join(
            span.text
            for span in mesh_sentences(project, dataclasses.replace(facts, mesh=mesh), 20.0)[0]
        )
        assert words in text


def test_a_mesh_that_comes_out_far_finer_is_not_the_other_one(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Larger elements that do not fit into slivers end in half a million unknowns, and in a run
    of two minutes to tell an error."""
    from labilis.analysis import mesh_error

    own = SimpleNamespace(
        unknowns=70_000, triangles=np.zeros((1, 3)), has_solids=True, thickness=1.0, mean_edge=5.0
    )
    tried: list[float] = []

    def mesh(_project: Any, _part: Any, sides: float) -> Any:
        tried.append(sides)
        return None, None, SimpleNamespace(unknowns={1.5: 500_000, 2.5: 69_000}.get(sides, 120_000))

    monkeypatch.setattr(mesh_error, "mesh_stage", mesh)
    monkeypatch.setattr(mesh_error, "system_stage", lambda *_: ("scene", "tied", "factor"))
    found = mesh_error.OtherMesh(None, None, own)._made  # type: ignore[arg-type]
    assert tried == [1.5, 2.5, 0.75] and found[0].unknowns == 120_000
    own.unknowns, tried[:] = 40_000, []
    assert mesh_error.OtherMesh(None, None, own)._made[0].unknowns == 69_000  # type: ignore[arg-type]
    assert tried == [1.5, 2.5]


def test_first_yield_of_what_is_pulled_has_its_error() -> None:
    """Nothing buckles there, and yield is all that is asked."""
    pulled = wall(mesh={"size": "16 mm"}, criteria={"required_factor": "1", "modes": 1})
    for load in pulled["loads"]:
        if "components" in load:
            load["components"] = [f"-({text})" for text in load["components"]]
    project = load_project(pulled)
    results, keys = run(project), stage_keys(project)
    modes, strength = results[keys.modes], results[keys.strength]
    assert len(modes.positive) == 0 and np.isfinite(strength.strength_factor)
    assert 0.0 <= modes.yield_error < 1.0
