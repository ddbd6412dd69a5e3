"""Runs one part of the corpus one way, in a process of its own: prints a line of JSON."""

from __future__ import annotations

import json
import resource
import sys
import tempfile
import time
import traceback
from pathlib import Path
from typing import Any

import numpy as np

from labilis.model import LabilisError
from labilis.shape import list_bodies
from validation.corpus import assemblies, families  # noqa: F401
from validation.corpus.model import write_model
from validation.corpus.part import FAMILIES, Part


def draw_part(name: str, seed: int, number: int) -> Part:
    """The part of a family with sizes drawn from a seed."""
    return FAMILIES[name](np.random.default_rng([seed, number, sum(name.encode())]))


def run_part(
    name: str, seed: int, number: int, way: str, keep: Path | None = None
) -> dict[str, Any]:
    """What came of a part: `way` is 'proposed', 'other' (than proposed; state 'none' where nothing
    else is offered), 'solid' or 'shell'. The time counts from the file on: what is proposed for its
    bodies is found in it."""
    from labilis.run import Plan, Runner, judge_project
    from labilis.store import load_model

    found: dict[str, Any] = {"family": name, "seed": seed, "number": number, "way": way}
    with tempfile.TemporaryDirectory(prefix="labilis-corpus-") as temporary:
        folder = keep or Path(temporary)
        folder.mkdir(parents=True, exist_ok=True)
        part = draw_part(name, seed, number)
        path = write_model(part, folder, name=name)
        started = time.perf_counter()
        runner = Runner()
        try:
            snapshot = load_model(path)
            ways = ways_of(snapshot, way)
            if not ways:
                return found | {"state": "none"}
            snapshot = represented(snapshot, ways)
            found["as"] = sorted({piece.mesh_as for piece in snapshot.project.pieces})
            report = judge_project(snapshot.project, runner.run(snapshot, Plan("modes")))
            case = report.cases[0]
            assert case.facts.modes is not None and report.mesh is not None
            positive = case.facts.modes.positive
            found |= {
                "state": "verdict",
                "factor": float(positive[0]) if len(positive) else None,
                "factors": [float(f) for f in positive[:2]],
                "headline": case.verdict.headline,
                "unknowns": report.mesh.unknowns,
                "size": report.mesh.size,
                "evidence": {
                    item.name: f"{item.state}: {item.figure} {item.unit}. {item.text}"
                    for item in case.evidence
                    if item.state in ("bad", "caution")
                },
            }
        except LabilisError as error:
            found |= {"state": "refused", "what": str(error), "code": error.code}
        except Exception as error:
            found |= {
                "state": "crash",
                "what": f"{type(error).__name__}: {error}",
                "trace": traceback.format_exc(),
            }
        found["seconds"] = time.perf_counter() - started
        found["timing"] = {key: round(value, 3) for key, value in runner.timing.items()}
        found["memory_gib"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20
    return found


def ways_of(snapshot: Any, way: str) -> list[str]:
    """How each piece is meshed, in order; empty when there is no other way than the proposed
    one."""
    pieces = snapshot.project.pieces
    if way in ("solid", "shell"):
        return [way] * len(pieces)
    bodies = list_bodies(next(iter(snapshot.files.values())), "part.step")
    proposed = [bodies[piece.body - 1].mesh_as for piece in pieces]
    if way == "proposed":
        return proposed
    if "shell" in proposed:
        return ["solid"] * len(pieces)
    either = [bodies[piece.body - 1].other or "solid" for piece in pieces]
    return either if "shell" in either else []


def represented(snapshot: Any, ways: list[str]) -> Any:
    """The model with its pieces meshed in these ways."""
    project = snapshot.project
    pieces = [piece.model_copy(update={"mesh_as": way}) for piece, way in zip(project.pieces, ways)]
    return type(snapshot)(project.changed(pieces=pieces), snapshot.files)


if __name__ == "__main__":
    family, seed_text, number_text, way_text, *rest = sys.argv[1:]
    print(
        json.dumps(
            run_part(
                family, int(seed_text), int(number_text), way_text, Path(rest[0]) if rest else None
            )
        )
    )
