"""python -m benchmarks [--unknowns 50000 270000 600000] [--json FILE] [--no-plain]

A clamped second-order plate of solids is solved for ten modes, part by part. Each size runs in a
process of its own, so that peak memory is its own. Writes docs/performance.md.
"""

from __future__ import annotations

import argparse
import json
import platform
import resource
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]


def _solids(unknowns: int) -> tuple[Any, Any, Any, Any]:
    """Mesh, ties, block and forces of a clamped plate of ten-node tetrahedra, pushed at its free
    end."""
    import numpy as np
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
    from OCP.gp import gp_Pnt

    from labilis.mechanics import loads, ties
    from labilis.mechanics.blocks import SolidBlock
    from labilis.mesh import mesh_body
    from labilis.shape import build_body

    body = build_body(BRepPrimAPI_MakeBox(gp_Pnt(0, 0, 0), 300.0, 200.0, 6.0).Solid())
    low, high = 1.5, 12.0  # mm; the count jumps where another layer fits into the thickness
    tried = []
    for _ in range(6):
        size = (low * high) ** 0.5
        tried.append(mesh_body(body, size))
        low, high = (size, high) if 3 * len(tried[-1].nodes) > unknowns else (low, size)
    mesh = min(tried, key=lambda made: abs(3 * len(made.nodes) / unknowns - 1))
    ends = [int(np.argmin(body.faces.direction[:, 0])), int(np.argmax(body.faces.direction[:, 0]))]
    foot = mesh.region_nodes(np.array(ends[:1]), np.array([], dtype=int))
    tied = ties.make_ties(
        mesh.nodes, [ties.HeldNodes(foot, np.broadcast_to(np.eye(3), (len(foot), 3, 3)), 0)]
    )
    top = mesh.skin(np.array(ends[1:]))[0]
    weights, _ = loads.face_weights(mesh.nodes, top)
    force = loads.traction(mesh.nodes, weights, top, np.array([-1000.0, 0, 0])).ravel()
    return mesh, tied, SolidBlock(mesh.nodes, mesh.elements, 210e3, 0.3), force


def _shells(unknowns: int) -> tuple[Any, Any, Any, Any]:
    """The same for a clamped square tube of shells, 100 mm wide, 1000 mm long, pushed at its
    free end."""
    import numpy as np

    from labilis.analysis.unknowns import make_numbering
    from labilis.mechanics import ties
    from labilis.mechanics.blocks import ShellBlock
    from labilis.mechanics.shell import smooth_triads
    from labilis.mesh import mesh_part
    from labilis.model import load_project
    from labilis.shape import build_part

    project = load_project(
        {
            "pieces": [
                {
                    "name": "tube",
                    "mesh_as": "shell",
                    "recipe": {
                        "kind": "strut",
                        "length": "1000 mm",
                        "section": {"shape": "square tube", "width": "102 mm", "thickness": "2 mm"},
                    },
                }
            ]
        }
    )
    part = build_part(project, {})
    mesh = mesh_part(part, (6 * 400_000 / unknowns) ** 0.5)
    numbering = make_numbering(mesh, [])
    foot = np.flatnonzero(mesh.nodes[:, 2] < 1e-6)
    held = [
        ties.HeldNodes(nodes, np.broadcast_to(np.eye(3), (len(nodes), 3, 3)), 0, turn)
        for nodes, turn in ((foot, False), (numbering.turn_of[foot], True))
    ]
    tied = ties.make_ties(numbering.places, held, place_of=numbering.place_of)
    cell = mesh.cells[0]
    triads = smooth_triads(mesh.nodes[cell.elements], cell.elements)
    block = ShellBlock(
        mesh.nodes, cell.elements, numbering.turn_of, cell.thickness, triads, 210e3, 0.3
    )
    head = np.flatnonzero(mesh.nodes[:, 2] > 1000 - 1e-6)
    force = np.zeros((numbering.total, 3))
    force[head, 2] = -1000.0 / len(head)
    return mesh, tied, block, force.ravel()


def measure(unknowns: int, plain: bool, kind: str = "solid") -> dict[str, Any]:
    """Figures of one size."""
    import numpy as np

    from labilis.mechanics.assembly import assemble, full
    from labilis.solve.factor import PardisoFactor, factor
    from labilis.solve.modes import find_modes
    from labilis.solve.strength import solve_linear
    from labilis.solve.system import System

    mesh, tied, block, force = _shells(unknowns) if kind == "shell" else _solids(unknowns)
    part: dict[str, float] = {}
    high: dict[str, float] = {}  # peak memory so far, bytes

    def timed(name: str, call: Any) -> Any:
        started = time.perf_counter()
        result = call()
        part[name] = time.perf_counter() - started
        high[name] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024 - before
        return result

    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    system = System(mesh.nodes, (block,), tied)
    timed("pattern and geometry", lambda: (system.blocks[0].geometry, system.pattern))
    k = timed("assembly of K", lambda: system.reduced_stiffness)
    solver = timed("factorisation with ordering", lambda: factor(k, groups=tied.groups))
    answer = timed("static", lambda: solve_linear(system, solver, force, np.zeros(tied.size)))
    k_g = timed(
        "stress and K_G", lambda: system.geometric(system.stress(answer.u), answer.internal)
    )
    found = timed("ten modes with pivot count", lambda: find_modes(k, solver, k_g, 10))
    timed(
        "recovery",
        lambda: [system.ties.expand(found.vectors[:, i]) for i in range(len(found.factors))],
    )
    total = sum(part.values())
    bare = (
        solver.numeric_s
        if isinstance(solver, PardisoFactor)
        else part["factorisation with ordering"]
    )
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    matrices = 2 * (12 * k.nnz) + 12 * system.stiffness.nnz
    factors = getattr(solver, "memory", 0)

    def again() -> Any:
        return assemble(
            system.pattern, ((0, rows, matrices) for rows, matrices in system.blocks[0].stiffness())
        )

    timed("assembly again on the known pattern", again)
    result: dict[str, Any] = {
        "unknowns": tied.size,
        "kind": kind,
        "elements": mesh.count,
        "bare_factorisation_s": bare,
        "parts_s": dict(part),
        "peaks": dict(high),
        "total_s": total,
        "multiple": total / bare,
        "assembly_multiple": part["assembly again on the known pattern"] / bare,
        "solves": found.solves,
        "factors": [float(value) for value in found.factors],
        "complete": all(check.holds for check in found.checks),
        "peak_bytes": peak,
        "before_bytes": before,
        "factor_bytes": factors,
        "matrix_bytes": matrices,
        "memory_multiple": (peak - before) / (factors + matrices) if factors else None,
    }
    if plain:
        from scipy.sparse.linalg import LinearOperator, eigsh, splu

        started = time.perf_counter()
        whole, geometric = full(k).tocsc(), full(k_g)
        lu = splu(whole)
        q = lu.solve(tied.reduce_vector(force))
        inverse = LinearOperator(whole.shape, matvec=lu.solve, dtype=float)
        mu = eigsh(-geometric, k=10, M=whole, Minv=inverse, which="LA", return_eigenvectors=False)
        result["plain_s"] = time.perf_counter() - started
        ours = (
            total
            - part["pattern and geometry"]
            - part["assembly of K"]
            - part["stress and K_G"]
            - part["recovery"]
        )
        result["faster_than_plain"] = result["plain_s"] / ours
        result["agrees"] = bool(
            np.allclose(np.sort(1 / mu), np.sort(found.factors), rtol=1e-6) and np.isfinite(q).all()
        )
    return result


def measure_trace(size: str) -> dict[str, Any]:
    """Figures of the cabinet stand's elastic-plastic trace: iterations beside bare
    factorisations of the same tangents."""
    from labilis.run import Plan, Runner, Snapshot, stage_keys
    from labilis.solve import trace as following
    from labilis.solve.factor import PardisoFactor
    from labilis.store import load_model

    project = load_model(ROOT / "examples/cabinet-stand.json").project
    project = project.changed(mesh={**project.mesh.model_dump(), "size": size}, trace={"steps": 40})
    counts, numeric = {"tangents": 0, "residuals": 0}, []
    balance, bare = following.Tracer._balance, following.factor

    def counted(self: Any, state: Any, value: float, tangent: bool = True) -> Any:
        counts["tangents" if tangent else "residuals"] += 1
        return balance(self, state, value, tangent)

    def timed(*arguments: Any, **more: Any) -> Any:
        made = bare(*arguments, **more)
        numeric.append(made.numeric_s if isinstance(made, PardisoFactor) else 0.0)
        return made

    following.Tracer._balance, following.factor = counted, timed  # type: ignore[method-assign]
    runner = Runner()
    case = project.cases[0].name
    results = runner.run(Snapshot(project), Plan("trace", (case,)))
    keys = stage_keys(project, case)
    trace, mesh = results[keys.trace], results[keys.mesh]
    seconds = runner.timing["trace"]
    return {
        "elements": mesh.count,
        "unknowns": mesh.unknowns,
        "steps": len(trace.factors) - 1,
        "reason": trace.reason,
        "cut_backs": trace.cut_backs,
        **counts,
        "factorisations": len(numeric),
        "seconds": seconds,
        "per_iteration_s": seconds / max(counts["tangents"], 1),
        "bare_factorisation_s": sorted(numeric)[len(numeric) // 2],
        "limit": float(trace.limit),
        "forty_steps_s": 40 * seconds / max(len(trace.factors) - 1, 1),
    }


def trace_table(found: dict[str, Any]) -> str:
    """The part of docs/performance.md about traces."""
    rows = [
        ("elements", f"{found['elements']:,}"),
        ("unknowns", f"{found['unknowns']:,}"),
        (
            "steps until it ended",
            f"{found['steps']} ({found['reason']}), {found['cut_backs']} cut back",
        ),
        (
            "tangents, further residuals, factorisations",
            f"{found['tangents']}, {found['residuals']}, {found['factorisations']}",
        ),
        ("whole trace, s", f"{found['seconds']:.0f}"),
        ("one iteration, s", f"{found['per_iteration_s']:.2f}"),
        ("one bare factorisation, s", f"{found['bare_factorisation_s']:.2f}"),
        (
            "one iteration with a tangent, its share of the others included, over one "
            "factorisation (asked: at most 2.0)",
            f"**{found['per_iteration_s'] / found['bare_factorisation_s']:.1f}**",
        ),
        ("forty such steps, s (asked: at most 100)", f"**{found['forty_steps_s']:.0f}**"),
    ]
    head = (
        "\n## A trace\n\nThe cabinet stand, elastic-plastic, five layers through the sheet, "
        "from the shape of mode 1.\n\n"
    )
    return (
        head
        + "| | |\n|---|---|\n"
        + "\n".join(f"| {name} | {value} |" for name, value in rows)
        + "\n"
    )


def table(results: list[dict[str, Any]]) -> str:
    """docs/performance.md."""
    from labilis.run.environment import solver_name

    lines = [
        "# Performance",
        "",
        "Measured by `python -m benchmarks`: a clamped plate 300 × 200 × 6 mm of ten-node "
        "tetrahedra (solid) and a clamped square "
        "tube 100 × 100 × 1000 mm of MITC4 shells (shell), pushed at the free end, ten modes with "
        "proof of completeness. Times are "
        "multiples of **one bare numeric factorisation** of the same K by the same library in the "
        "same process; these machines "
        "are shared and noisy.",
        "",
        f"Solver: {solver_name()}. Machine: {platform.machine()}, {platform.system()}.",
        "",
        "| | " + " | ".join(f"{r['kind']}, {r['unknowns']:,} unknowns" for r in results) + " |",
        "|---" * (len(results) + 1) + "|",
    ]

    def row(name: str, values: list[str]) -> None:
        lines.append(f"| {name} | " + " | ".join(values) + " |")

    row("elements", [f"{r['elements']:,}" for r in results])
    row("one bare factorisation, s", [f"{r['bare_factorisation_s']:.2f}" for r in results])
    for name in results[0]["parts_s"]:
        row(name, [f"{r['parts_s'][name] / r['bare_factorisation_s']:.2f}" for r in results])
    row(
        "**whole modes run** (asked: at most 4.0 of solids, 6.0 of shells)",
        [f"**{r['multiple']:.2f}**" for r in results],
    )
    row("block solves of the Lanczos process", [str(r["solves"]) for r in results])
    row(
        "peak memory over factors and matrices (asked: at most 1.5)",
        [f"{r['memory_multiple']:.2f}" if r["memory_multiple"] else "–" for r in results],
    )
    row("peak memory, GiB", [f"{r['peak_bytes'] / 2**30:.1f}" for r in results])
    row(
        "times faster than plain SciPy (asked: 20 of solids, 15 of shells, at 270,000)",
        [f"{r['faster_than_plain']:.1f}" if "plain_s" in r else "not run" for r in results],
    )
    return "\n".join(lines) + "\n"


def main() -> None:
    parser = argparse.ArgumentParser(prog="benchmarks", description=__doc__)
    parser.add_argument("--unknowns", type=int, nargs="+", default=[50_000, 270_000, 600_000])
    parser.add_argument("--json", type=Path)
    parser.add_argument(
        "--no-plain", action="store_true", help="leave the plain SciPy route out (it takes minutes)"
    )
    parser.add_argument("--kind", choices=["solid", "shell"], help="only one kind")
    parser.add_argument("--trace", action="store_true", help="only the trace of the cabinet stand")
    parser.add_argument("--one", type=int, help=argparse.SUPPRESS)
    options = parser.parse_args()
    if options.one:
        print(json.dumps(measure(options.one, not options.no_plain, options.kind)))
        return
    page = ROOT / "docs/performance.md"
    if options.trace:
        found = measure_trace("7.2 mm")
        print(json.dumps(found, indent=2))
        before, _, after = page.read_text(encoding="utf-8").partition("\n## A trace")
        window = after.partition("\n## The window")
        page.write_text(
            before.rstrip() + "\n" + trace_table(found) + window[1] + window[2], encoding="utf-8"
        )
        return
    results = []
    for kind, unknowns in (
        (kind, unknowns)
        for kind in ([options.kind] if options.kind else ["solid", "shell"])
        for unknowns in options.unknowns
    ):
        command = [sys.executable, "-m", "benchmarks", "--one", str(unknowns), "--kind", kind]
        if options.no_plain or unknowns > 300_000:
            command.append("--no-plain")
        done = subprocess.run(command, capture_output=True, text=True, cwd=ROOT, check=False)
        if done.returncode:
            sys.exit(done.stderr)
        results.append(json.loads(done.stdout.splitlines()[-1]))
        print(
            f"{kind}, {results[-1]['unknowns']:,} unknowns: {results[-1]['multiple']:.2f} "
            "factorisations in all"
        )
    traced = page.read_text(encoding="utf-8").partition("\n## A trace")
    page.write_text(table(results) + traced[1] + traced[2], encoding="utf-8")
    if options.json:
        options.json.write_text(json.dumps(results, indent=2), encoding="utf-8")


if __name__ == "__main__":
    main()
