"""python -m validation corpus --count N --seed S: parts of every family, drawn at random and run
both ways."""

from __future__ import annotations

import argparse
import json
import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np

from validation.corpus import assemblies, families  # noqa: F401  (they register themselves)
from validation.corpus.part import FAMILIES

WAYS = ("proposed", "other")
LONGEST = 60.0  # s that a part may take one way
_NEAR, _OFF = 0.05, 0.10  # of the first factor, between shells and solids


def jobs(count: int, seed: int, only: list[str] | None = None) -> Iterator[tuple[str, int]]:
    """(family, number) of the parts: all families in turn."""
    names = only or list(FAMILIES)
    for row in range(count):
        yield names[row % len(names)], row // len(names)


def run_apart(
    name: str, seed: int, number: int, way: str, keep: Path | None = None
) -> dict[str, Any]:
    """A part run one way in a process of its own, ended after LONGEST."""
    call = [sys.executable, "-m", "validation.corpus.one", name, str(seed), str(number), way]
    base = {"family": name, "seed": seed, "number": number, "way": way}
    with tempfile.TemporaryDirectory(prefix="labilis-corpus-") as folder:
        process = subprocess.Popen(
            [*call, str(keep or folder)],
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
            start_new_session=True,
            env=os.environ | {"MKL_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"},
        )
        try:
            out, error = process.communicate(timeout=LONGEST + 10)
        except subprocess.TimeoutExpired:
            os.killpg(process.pid, 9)
            process.wait()
            return base | {"state": "hang", "what": f"over {LONGEST:g} s", "seconds": LONGEST + 10}
    line = out.strip().splitlines()[-1:] or [""]
    if process.returncode != 0 or not line[0].startswith("{"):
        return base | {
            "state": "crash",
            "what": f"exit {process.returncode}: {error.strip().splitlines()[-1:]}",
            "seconds": 0.0,
        }
    found: dict[str, Any] = json.loads(line[0])
    if found.get("seconds", 0.0) > LONGEST:
        found |= {"state": "hang", "what": f"{found['seconds']:.0f} s"}
    return found


def batch(
    count: int,
    seed: int,
    folder: Path | None = None,
    only: list[str] | None = None,
    ways: tuple[str, ...] = WAYS,
) -> list[dict[str, Any]]:
    """All parts both ways, two at a time; a line of progress each. What failed is kept in
    `folder` as a user's files."""
    calls = [(name, number, way) for name, number in jobs(count, seed, only) for way in ways]

    def one(call: tuple[str, int, str]) -> dict[str, Any]:
        name, number, way = call
        found = run_apart(name, seed, number, way)
        if found["state"] in ("crash", "hang", "refused") and folder is not None:
            found["kept"] = str(folder / f"{name.replace(' ', '-')}-{number}")
            _keep(name, seed, number, Path(found["kept"]))
        print(line_of(found), flush=True)
        return found

    with ThreadPoolExecutor(2) as pool:
        return list(pool.map(one, calls))


def _keep(name: str, seed: int, number: int, folder: Path) -> None:
    """The part as a user's files."""
    from validation.corpus.model import write_model
    from validation.corpus.one import draw_part

    folder.mkdir(parents=True, exist_ok=True)
    write_model(draw_part(name, seed, number), folder, name=name)


def line_of(found: dict[str, Any]) -> str:
    """A part in a line."""
    head = f"{found['state']:8s} {found['family']} {found['number']} {found['way']}"
    if found["state"] == "verdict":
        factor = "none" if found["factor"] is None else f"{found['factor']:.5g}"
        return (
            f"{head}: {'+'.join(found['as'])} {factor}, {found['unknowns']:,} unknowns, "
            f"{found['seconds']:.1f} s"
        )
    return f"{head}: {found.get('what', '')} {found.get('seconds', 0.0):.1f} s"


def pairs(rows: list[dict[str, Any]]) -> list[tuple[dict[str, Any], dict[str, Any], float]]:
    """(shell, solid, difference of the first factors over the solid's) of the parts that have
    both."""
    parts: dict[tuple[str, int], list[dict[str, Any]]] = {}
    for row in rows:
        if row["state"] == "verdict" and row["factor"] is not None:
            parts.setdefault((row["family"], row["number"]), []).append(row)
    found = []
    for two in parts.values():
        shell = next((row for row in two if "shell" in row["as"]), None)
        solid = next((row for row in two if row["as"] == ["solid"]), None)
        if shell is not None and solid is not None:
            found.append((shell, solid, shell["factor"] / solid["factor"] - 1))
    return found


def summary(rows: list[dict[str, Any]]) -> str:
    """Success, time, unknowns and agreement in a few lines, and each failure once."""
    ran = [row for row in rows if row["state"] != "none"]
    states = {
        state: sum(row["state"] == state for row in ran)
        for state in ("verdict", "refused", "crash", "hang")
    }
    text = [
        f"{len(ran)} runs: "
        + ", ".join(f"{count} {state}" for state, count in states.items())
        + f" ({100 * states['verdict'] / max(len(ran), 1):.1f} % end in a verdict)"
    ]
    verdicts = [row for row in ran if row["state"] == "verdict"]
    if verdicts:
        for way in WAYS:
            seconds = np.array([row["seconds"] for row in verdicts if row["way"] == way] or [0.0])
            unknowns = np.array([row["unknowns"] for row in verdicts if row["way"] == way] or [0])
            text.append(
                f"{way}: median {np.median(seconds):.1f} s, 95 % under "
                f"{np.percentile(seconds, 95):.1f} s, "
                f"most {seconds.max():.0f} s; unknowns: median {int(np.median(unknowns)):,}, most "
                f"{unknowns.max():,}"
            )
    both = pairs(rows)
    if both:
        off = np.array([abs(item[2]) for item in both])
        told = [item for item in both if abs(item[2]) > _NEAR]
        text.append(
            f"shell against solid in {len(both)} parts: {100 * (off <= _NEAR).mean():.0f} % within "
            "5 %, "
            f"{100 * (off <= _OFF).mean():.0f} % within 10 %"
        )
        for shell, solid, difference in sorted(told, key=lambda item: -abs(item[2])):
            evidence = ", ".join(sorted({*shell["evidence"], *solid["evidence"]})) or "silent"
            text.append(
                f"  {shell['family']} {shell['number']}: shell {shell['factor']:.5g}, solid "
                f"{solid['factor']:.5g}, "
                f"{100 * difference:+.1f} %; evidence: {evidence}"
            )
    failed: dict[str, list[dict[str, Any]]] = {}
    for row in ran:
        if row["state"] != "verdict":
            failed.setdefault(f"{row['state']}: {row.get('what', '')}", []).append(row)
    for what, whose in failed.items():
        names = ", ".join(f"{row['family']} {row['number']} {row['way']}" for row in whose)
        text.append(
            f"  {what}\n    {names}"
            + (f"\n    kept: {whose[0]['kept']}" if "kept" in whose[0] else "")
        )
    return "\n".join(text)


def main(arguments: list[str]) -> int:
    """The command; 0 when nothing crashed or hung."""
    parser = argparse.ArgumentParser(prog="python -m validation corpus", description=__doc__)
    parser.add_argument(
        "--count", type=int, default=len(FAMILIES), help="parts; all families in turn"
    )
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", help="families whose name holds this word")
    parser.add_argument("--keep", type=Path, help="folder for the files of parts that failed")
    parser.add_argument("--json", type=Path, help="every row")
    options = parser.parse_args(arguments)
    names = [name for name in FAMILIES if (options.only or "") in name]
    rows = batch(options.count, options.seed, options.keep, names)
    print(summary(rows))
    if options.json:
        options.json.write_text(json.dumps(rows, indent=1), encoding="utf-8")
    return 0 if all(row["state"] not in ("crash", "hang") for row in rows) else 1
