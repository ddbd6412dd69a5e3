"""What has the same key is the same result: a leaf of a model is changed, and what a run finds that
keeps what it may is held against a run from nothing."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from labilis.model import LabilisError, Project, load_project
from labilis.run import Plan, Runner, Snapshot
from labilis.run.codec import pack
from tests.drawn_statements import drawn
from tests.run.test_keys import EVERYTHING, another, leaves, with_leaf

JOINT = Path(__file__).parents[2] / "src/labilis/starts/joint.json"


def everything() -> dict[str, Any]:
    """Of all sorts of statements those that one strip can have; a short trace."""
    stated = json.loads(
        json.dumps(
            {key: value for key, value in EVERYTHING.items() if key not in ("seams", "bolts")}
        )
        .replace("strip/front", "strip/face")
        .replace('["0", "235 MPa"]', '["0.02", "260 MPa"]')
    )
    stated["trace"] |= {"steps": 3, "target": "0.3", "modes_at": "0.1"}
    return stated | {"criteria": EVERYTHING["criteria"] | {"mesh_error": True}}


def told(runner: Runner, project: Project, upto: Any) -> dict[str, Any] | str:
    try:
        found = runner.run(Snapshot(project), Plan(upto))
    except LabilisError as error:
        return str(error)
    return {key: list(pack(result)[1:]) for key, result in found.items()}


def unlike(one: Any, other: Any, where: str = "") -> list[str]:
    """Where two results differ by more than rounding of a mesh that is the same."""
    if isinstance(one, dict) and isinstance(other, dict):
        return [
            line
            for key in sorted({*one, *other}, key=str)
            for line in unlike(one.get(key), other.get(key), f"{where}/{key}")
        ]
    if isinstance(one, list | tuple) and isinstance(other, list | tuple) and len(one) == len(other):
        return [
            line
            for number, (a, b) in enumerate(zip(one, other))
            for line in unlike(a, b, f"{where}/{number}")
        ]
    if isinstance(one, np.ndarray | float) and isinstance(other, np.ndarray | float):
        a, b = np.asarray(one), np.asarray(other)
        if a.dtype.kind == "f" and b.dtype.kind == "f" and a.shape == b.shape:
            small = 1e-6 * np.max(np.abs(a), initial=1e-30, where=np.isfinite(a))
            return [] if np.allclose(a, b, 1e-6, small, equal_nan=True) else [where]
        return [] if np.array_equal(a, b) else [where]
    return [] if one == other else [where]


@pytest.mark.parametrize(
    ("name", "upto", "many"),
    [
        ("everything", "modes", 3),
        *(
            pytest.param(name, upto, 1000, marks=[pytest.mark.full, pytest.mark.timeout(7200)])
            for name, upto in (
                ("everything", "trace"),
                ("shell", "modes"),
                ("solid", "modes"),
                ("joint", "modes"),
            )
        ),
    ],
)
def test_what_is_kept_is_what_is_found_anew(name: str, upto: str, many: int) -> None:
    models = {"everything": everything, "joint": lambda: json.loads(JOINT.read_text())}
    first = load_project(models[name]() if name in models else drawn(3, name))
    stated = first.model_dump(mode="json")
    before = told(Runner(), first, upto)
    assert isinstance(before, dict), before
    tried = 0
    every = list(leaves(stated))
    for row in np.random.default_rng(many).permutation(len(every)):
        path, value = every[row]
        try:
            changed = load_project(with_leaf(stated, path, another(value)))
        except LabilisError:
            continue
        if another(value) == value or tried == many:
            continue
        tried += 1
        runner = Runner()
        told(runner, first, upto)
        kept, anew = told(runner, changed, upto), told(Runner(), changed, upto)
        if isinstance(kept, str) or isinstance(anew, str):
            assert kept == anew, path
            continue
        # what was found on meshes that were made finer after is told once only
        assert kept.keys() <= anew.keys(), path
        assert unlike(kept, {key: anew[key] for key in kept}) == [], path
        same = before.keys() & anew.keys()
        assert unlike({k: before[k] for k in same}, {k: anew[k] for k in same}) == [], path
    assert tried == many or many > tried > 30
