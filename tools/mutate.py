"""Breaks single lines of the program, one at a time, and says whether a test notices.

    pip install -e ".[mutate]" -c constraints.txt
    python tools/mutate.py --count 60 --seed 7

Works in a clone of its own of the last commit, so that nothing here is touched. The tests without
the window and the validation table are run once under coverage, with a context per test (kept in
the clone; --work names it, to go on there). Then lines that a test executes are drawn from model,
run, judge, solve and mesh; on each one thing is changed (a sign, a bound, a constant, a dropped
term, a condition turned round), and the tests that execute the line are run, those first that
execute the least besides. Caught means that one of them fails, or does not end in 300 s.
"""

from __future__ import annotations

import argparse
import ast
import json
import os
import random
import subprocess
import sys
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

ROOT = Path(__file__).resolve().parents[1]
ROOMS = ("model", "run", "judge", "solve", "mesh")
MOST_TESTS = 80  # of one line
LONGEST = 900.0  # s for the tests of one line; what has not been noticed by then counts as missed
_COMPARED = {
    ast.Lt: ast.LtE,
    ast.LtE: ast.Lt,
    ast.Gt: ast.GtE,
    ast.GtE: ast.Gt,
    ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq,
    ast.In: ast.NotIn,
    ast.NotIn: ast.In,
    ast.Is: ast.IsNot,
    ast.IsNot: ast.Is,
}
_TURNED = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult}


@dataclass(frozen=True)
class Change:
    """One way to break a line: file, line, what is done, and the whole file with it."""

    file: str
    line: int
    what: str
    text: str


def changes_of(path: Path, relative: str) -> list[Change]:
    """All changes of a file."""
    source = path.read_text(encoding="utf-8")
    tree = ast.parse(source)
    skipped = _skipped(tree)
    found = []

    def add(node: ast.AST, new: ast.AST, what: str) -> None:
        start, end = _span(source, node)
        old, text = source[start:end], ast.unparse(new)
        if isinstance(node, (ast.BinOp, ast.BoolOp, ast.Compare, ast.UnaryOp)):
            text = f"({text})"
        found.append(
            Change(
                relative,
                node.lineno,
                f"{what}: {old} -> {text}",
                source[:start] + text + source[end:],
            )
        )  # type: ignore[attr-defined]

    for node in ast.walk(tree):
        if id(node) in skipped or getattr(node, "lineno", None) != getattr(
            node, "end_lineno", None
        ):
            continue
        if isinstance(node, ast.Compare) and len(node.ops) == 1:
            if _of_whole_numbers(node):
                add(
                    node,
                    ast.Compare(node.left, [_COMPARED[type(node.ops[0])]()], node.comparators),
                    "bound",
                )
            add(node, ast.UnaryOp(ast.Not(), node), "condition")
        elif isinstance(node, ast.BinOp) and type(node.op) in _TURNED and not _of_text(node):
            add(node, ast.BinOp(node.left, _TURNED[type(node.op)](), node.right), "sign")
            add(node, node.left, "dropped term")
        elif isinstance(node, ast.BoolOp):
            add(
                node,
                ast.BoolOp(ast.Or() if isinstance(node.op, ast.And) else ast.And(), node.values),
                "condition",
            )
            add(
                node,
                node.values[0] if len(node.values) == 2 else ast.BoolOp(node.op, node.values[:-1]),
                "dropped condition",
            )
        elif (
            isinstance(node, ast.UnaryOp)
            and isinstance(node.op, (ast.USub, ast.Not))
            and not isinstance(node.operand, ast.Constant)
        ):
            add(node, node.operand, "sign")
        elif (
            isinstance(node, ast.Constant)
            and type(node.value) in (int, float)
            and node.value not in (0, 0.0)
        ):
            add(
                node,
                ast.Constant(node.value * 10 if isinstance(node.value, float) else node.value + 1),
                "constant",
            )
    return found


def _span(source: str, node: Any) -> tuple[int, int]:
    """Places of a node in the text; its columns count bytes."""
    lines = source.splitlines(keepends=True)
    before = sum(len(line) for line in lines[: node.lineno - 1])
    line = lines[node.lineno - 1].encode()
    return (
        before + len(line[: node.col_offset].decode()),
        before + len(line[: node.end_col_offset].decode()),
    )


def _of_whole_numbers(node: ast.Compare) -> bool:
    """Whether < and <= can differ: of real numbers they are the same but for a case that never
    comes."""
    sides = (node.left, node.comparators[0])
    return not isinstance(node.ops[0], (ast.Lt, ast.LtE, ast.Gt, ast.GtE)) or any(
        (isinstance(side, ast.Constant) and type(side.value) is int)
        or (isinstance(side, ast.Call) and getattr(side.func, "id", "") in ("len", "int"))
        for side in sides
    )


def _of_text(node: ast.BinOp) -> bool:
    return any(
        isinstance(side, (ast.JoinedStr, ast.List, ast.Tuple))
        or (isinstance(side, ast.Constant) and isinstance(side.value, str))
        for side in (node.left, node.right)
    )


def _skipped(tree: ast.AST) -> set[int]:
    """What is no arithmetic of the program: annotations, words with numbers in them and their
    formats, decorators, subscripts of types."""
    found: set[int] = set()
    for node in ast.walk(tree):
        parts: list[Any] = []
        if isinstance(node, ast.JoinedStr):
            parts = [
                value.format_spec for value in node.values if isinstance(value, ast.FormattedValue)
            ]
        elif isinstance(node, (ast.FunctionDef, ast.ClassDef)):
            parts = [
                *node.decorator_list,
                *([node.returns] if isinstance(node, ast.FunctionDef) else []),
            ]
        elif isinstance(node, (ast.arg, ast.AnnAssign)):
            parts = [node.annotation]
        elif (
            isinstance(node, ast.Call)
            and getattr(node.func, "attr", "") in ("zeros", "empty")
            and node.args
            and _is_empty(node.args[0])
        ):
            parts = [node]  # whose shape says nothing
        elif isinstance(node, ast.Call) and getattr(
            node.func, "id", getattr(node.func, "attr", "")
        ) in ("deque", "lru_cache", "Progress", "case_progress", "progress", "show", "tell"):
            parts = [node]  # memory and where a bar stands
        for part in parts:
            found.update(id(inner) for inner in ast.walk(part)) if part is not None else None
    return found


def _is_empty(shape: ast.AST) -> bool:
    first = shape.elts[0] if isinstance(shape, ast.Tuple) and shape.elts else shape
    return isinstance(first, ast.Constant) and first.value == 0


def clone(work: Path) -> None:
    """The last commit, its own copy."""
    if not (work / ".git").exists():
        subprocess.run(["git", "clone", "-q", str(ROOT), str(work)], check=True)


def surroundings(work: Path) -> dict[str, str]:
    """Environment in which the clone's program is the one that is imported, on one thread."""
    return {
        **os.environ,
        "PYTHONPATH": f"{work / 'src'}{os.pathsep}{work}",
        "MKL_NUM_THREADS": "1",
        "OMP_NUM_THREADS": "1",
        "PYTHONDONTWRITEBYTECODE": "1",
        "PYTEST_ADDOPTS": f"--basetemp={work}-tests",
    }  # pytest takes old folders away, those of a run that is on among them


def covered(work: Path) -> dict[str, dict[int, list[str]]]:
    """Tests that execute each line, by file under src/labilis."""
    data = work / "contexts.json"
    if not data.exists():
        subprocess.run(
            [sys.executable, "-m", "labilis.run.prepare"],
            cwd=work,
            env=surroundings(work),
            check=False,
        )
        subprocess.run(
            [
                sys.executable,
                "-m",
                "pytest",
                "-n",
                "2",
                "--dist",
                "worksteal",
                "-m",
                "not full",
                "--ignore=tests/interface",
                "--ignore=tests/validation",
                "--timeout=900",
                "--cov=labilis",
                "--cov-context=test",
                "--cov-report=",
                f"--junitxml={work / 'first.xml'}",
            ],
            cwd=work,
            env=surroundings(work),
            check=False,
        )
        subprocess.run(
            [sys.executable, "-m", "coverage", "json", "--show-contexts", "-q", "-o", str(data)],
            cwd=work,
            env=surroundings(work),
            check=True,
        )
    files, failed = json.loads(data.read_text())["files"], failing(work / "first.xml")
    return {
        name[name.index("src/labilis/") :]: {
            int(line): sorted({context.split("|")[0] for context in contexts if context} - failed)
            for line, contexts in file["contexts"].items()
        }
        for name, file in files.items()
        if "src/labilis/" in name
    }


def failing(report: Path) -> set[str]:
    """Tests that fail with nothing broken, which would notice anything."""
    found = set()
    for case in ElementTree.parse(report).iter("testcase"):
        if case.find("failure") is not None or case.find("error") is not None:
            place = case.get("classname", "").replace(".", "/")
            found.add(f"{place}.py::{case.get('name')}")
    return found


def tests_for(change: Change, work: Path, lines: dict[int, list[str]]) -> list[str]:
    """Tests that execute the line; for a constant of the file those that execute a line where
    its name stands."""
    if lines.get(change.line):
        return lines[change.line]
    text = (work / change.file).read_text(encoding="utf-8").splitlines()
    name = text[change.line - 1].split("=")[0].split(":")[0].strip()
    if not name.isidentifier():
        return []
    return sorted(
        {test for number, tests in lines.items() if name in text[number - 1] for test in tests}
    )


def caught(change: Change, work: Path, tests: list[str]) -> tuple[bool, float]:
    """Whether one of the tests notices, and how long it took."""
    path, started = work / change.file, time.perf_counter()
    before = path.read_text(encoding="utf-8")
    path.write_text(change.text, encoding="utf-8")
    try:
        done = subprocess.run(
            [sys.executable, "-m", "pytest", "-x", "-q", "-n", "2", "--timeout=300", *tests],
            cwd=work,
            env=surroundings(work),
            timeout=LONGEST,
            capture_output=True,
        )
        return done.returncode != 0, time.perf_counter() - started
    except subprocess.TimeoutExpired:  # of a single test that does not end pytest's own limit tells
        return False, time.perf_counter() - started
    finally:
        path.write_text(before, encoding="utf-8")


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--count", type=int, default=60)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument(
        "--work",
        type=Path,
        default=Path("/tmp/labilis-mutate"),
        help="the clone, kept to go on with",
    )
    options = parser.parse_args()
    clone(options.work)
    known = covered(options.work)
    weight: dict[str, int] = {}
    for lines in known.values():
        for tests in lines.values():
            for test in tests:
                weight[test] = weight.get(test, 0) + 1
    places: dict[tuple[str, int], list[Change]] = {}
    for room in ROOMS:
        for path in sorted((options.work / "src/labilis" / room).rglob("*.py")):
            relative = str(path.relative_to(options.work))
            for change in changes_of(path, relative):
                if tests_for(change, options.work, known.get(relative, {})):
                    places.setdefault((relative, change.line), []).append(change)
    chosen = random.Random(options.seed)
    drawn = chosen.sample(sorted(places), min(options.count, len(places)))
    noticed = 0
    for number, place in enumerate(drawn, 1):
        change = chosen.choice(places[place])
        tests = sorted(
            tests_for(change, options.work, known[change.file]), key=lambda test: weight[test]
        )[:MOST_TESTS]
        found, seconds = caught(change, options.work, tests)
        noticed += found
        print(
            f"{'caught' if found else 'MISSED'} "
            f"{change.file.removeprefix('src/labilis/')}:{change.line} {change.what} "
            f"({len(tests)} tests, {seconds:.0f} s; {noticed} of {number})",
            flush=True,
        )
    print(
        f"{noticed} of {len(drawn)} caught, {100 * noticed / max(len(drawn), 1):.0f} %, of "
        f"{len(places)} lines that tests execute"
    )


if __name__ == "__main__":
    main()
