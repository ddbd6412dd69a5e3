"""What can be stated is known in every room that has to know it, and what is called by name is
called so."""

from __future__ import annotations

import ast
import inspect
from pathlib import Path
from typing import Any, get_args

import pytest

from labilis.edit.new_pieces import RECIPES as OFFERED
from labilis.judge import gates
from labilis.judge.evidence import REGISTRY
from labilis.judge.evidence.base import Evidence
from labilis.judge.hand import FORMS
from labilis.model import Piece, load_project
from labilis.model.recipes import Recipe
from labilis.model.statements import Load
from labilis.results.trace_ends import ENDS
from labilis.run import Plan, Runner, Snapshot, judge_project, stage_keys
from labilis.run.glyphs import marks_of
from labilis.shape.recipes.makers import MAKERS
from labilis.solve import trace as tracing
from labilis.words.recipes import recipe_spans
from labilis.words.stations import load_sentences

ROOT = Path(__file__).parents[1]
DOCS = (ROOT / "docs/model-format.md").read_text()
LOADS: dict[str, dict[str, Any]] = {
    "force": {"on": "head", "components": ["-100 N", "0 N", "0 N"]},
    "pressure": {"on": "face", "pressure": "0.01 MPa"},
    "line": {"on": "head", "components": ["-1 N/mm", "0 N/mm", "0 N/mm"]},
    "moment": {"on": "head", "components": ["0 N*mm", "10 N*mm", "0 N*mm"]},
    "weight": {"acceleration": ["-9.81 m/s^2", "0 m/s^2", "0 m/s^2"]},
    "temperature": {"change": "20 K"},
    "move": {"support": "head", "components": ["-0.01 mm", "0 mm", "0 mm"]},
}
NO_MARK = {"temperature", "move"}  # they act where no arrow could say


def kinds(union: Any) -> list[str]:
    return [
        str(get_args(item.model_fields["kind"].annotation)[0])
        for item in get_args(get_args(union)[0])
    ]


def strip(kind: str) -> dict[str, Any]:
    """A strip with one load of a kind."""
    held = ["x", "y", "z"] if kind in ("move", "temperature") else ["y", "z"]
    return {
        "materials": [
            {
                "name": "steel",
                "youngs_modulus": "210 GPa",
                "poisson_ratio": "0.3",
                "density": "7850 kg/m^3",
                "expansion": "1.2e-5 /K",
            }
        ],
        "pieces": [
            {
                "name": "strip",
                "material": "steel",
                "mesh_as": "shell",
                "recipe": {
                    "kind": "plate",
                    "thickness": "2 mm",
                    "outline": [
                        {"x": f"{x} mm", "y": f"{y} mm"}
                        for x, y in ((0, 0), (100, 0), (100, 20), (0, 20))
                    ],
                },
            }
        ],
        "regions": [
            {"name": "foot", "names": ["strip/side.4"]},
            {"name": "head", "names": ["strip/side.2"]},
            {"name": "face", "names": ["strip/face"]},
        ],
        "supports": [
            {"name": "foot", "on": "foot", "held": ["x", "y", "z", "turn_y"]},
            {"name": "head", "on": "head", "held": held},
        ],
        "loads": [{"kind": kind, "name": "it", **LOADS[kind]}],
        "cases": [{"name": "case", "loads": [{"load": "it"}]}],
        "mesh": {"size": "10 mm"},
        "criteria": {"modes": 1, "mesh_error": False},
    }


def test_every_kind_of_load_has_its_case_here() -> None:
    assert set(kinds(Load)) == set(LOADS)


@pytest.mark.parametrize("kind", sorted(LOADS))
def test_every_kind_of_load_acts_is_told_is_drawn_and_documented(kind: str) -> None:
    project = load_project(strip(kind))
    found = Runner().run(Snapshot(project), Plan("modes"))
    case = judge_project(project, found).cases[0]
    assert case.facts.strength is not None and case.facts.strength.displacement_growing.any()
    assert len(case.facts.modes.factors) or kind in ("pressure", "moment")  # type: ignore[union-attr]
    words = "".join(span.text for span in load_sentences(project)[0])
    assert words.startswith("it: ") and any(span.path for span in load_sentences(project)[0])
    view = found[stage_keys(project).shape]
    loads = marks_of(project, view, "case").loads
    assert bool(loads) == (kind not in NO_MARK)
    assert f'"kind": "{kind}"' in DOCS  # in an example that the tests run


def test_every_kind_of_recipe_is_made_told_and_documented() -> None:
    assert set(kinds(Recipe)) == set(MAKERS)
    offered = {str(make().kind) for make in OFFERED.values()}
    assert offered == set(MAKERS)  # in the window's list
    for key, make in OFFERED.items():
        project = load_project({"materials": [{"name": "steel"}], "pieces": []})
        piece = Piece(name="it", recipe=make(), material="steel", mesh_as="solid")
        spans = recipe_spans(project.changed(pieces=[piece]), piece, ("pieces", 0))
        assert any(span.path for span in spans), key
    for kind in MAKERS:
        assert f'"{kind}"' in DOCS or f"`{kind}`" in DOCS, kind


def _strings(source: str) -> set[str]:
    return {
        node.value
        for node in ast.walk(ast.parse(source))
        if isinstance(node, ast.Constant) and isinstance(node.value, str)
    }


def test_evidence_that_gates_and_notes_call_by_name_exists() -> None:
    """A name that nobody gives any more would let a bad state pass without a word."""
    folder = ROOT / "src/labilis/judge/evidence"
    given = set().union(*(_strings(path.read_text()) for path in folder.glob("*.py")))
    called = {*gates.STATED, *gates.COMPUTED, *gates.DOUBTS, gates.CENTRED}
    assert called <= given
    for path in ("ui/drawer/modes.py", "ui/sheet/sheet.py", "words/stations.py"):
        source = (ROOT / "src/labilis" / path).read_text()
        for node in ast.walk(ast.parse(source)):
            if (
                isinstance(node, ast.Compare)
                and isinstance(node.left, ast.Attribute)
                and node.left.attr == "name"
                and isinstance(node.left.value, ast.Name)
                and node.left.value.id == "item"
            ):
                for text in _strings(ast.unparse(node.comparators[0])):
                    assert text in given, (path, text)


def test_every_file_of_evidence_is_asked() -> None:
    """Each file gives at least one piece of evidence to the registry."""
    folder = ROOT / "src/labilis/judge/evidence"
    asked = {Path(inspect.getsourcefile(item) or "").stem for item in REGISTRY}
    files = {path.stem for path in folder.glob("*.py")} - {"__init__", "base"}
    assert files <= asked, files - asked
    assert len({item.__name__ for item in REGISTRY}) == len(REGISTRY)
    assert Evidence.__dataclass_fields__.keys() >= {"name", "state", "text", "station"}


def test_every_end_of_a_trace_has_its_words() -> None:
    """Reasons are given by the tracer and by the stage that runs it."""
    sources = [
        inspect.getsource(tracing),
        (ROOT / "src/labilis/analysis/trace_stage.py").read_text(),
    ]
    given = set()
    for source in sources:
        for node in ast.walk(ast.parse(source)):
            if isinstance(node, ast.Assign) and any(
                isinstance(target, ast.Attribute) and target.attr == "reason"
                for target in node.targets
            ):
                given |= _strings(ast.unparse(node.value))
    assert given <= set(ENDS), given - set(ENDS)
    assert {"limit", "stuck", "line", "yield"} <= set(ENDS)
    assert len({words for words, _ in ENDS.values()}) == len(ENDS)


def test_every_hand_check_is_documented_with_its_source() -> None:
    method = (ROOT / "docs/method/README.md").read_text() + (
        ROOT / "docs/guide/README.md"
    ).read_text()
    for key, form in FORMS.items():
        assert form.key == key and form.source and form.title
        assert form.title.split()[0] in method, form.title
