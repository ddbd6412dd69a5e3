"""No function grows past what fits on a screen."""

from __future__ import annotations

import ast
from pathlib import Path

import labilis

LONGEST = 60  # lines, the head and the docstring included
TABLES = {"style_sheet"}  # a sheet of rules in one string, no program


def test_no_function_is_longer_than_a_screen() -> None:
    root = Path(labilis.__file__).parent
    long = [
        f"{path.relative_to(root)}:{node.lineno} {node.name}, {node.end_lineno - node.lineno + 1}"
        for path in sorted(root.rglob("*.py"))
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef)
        and node.end_lineno is not None
        and node.end_lineno - node.lineno + 1 > LONGEST
        and node.name not in TABLES
    ]
    assert long == []
