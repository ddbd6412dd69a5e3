"""Every mistake that the user can mend comes with what to do."""

import ast
from pathlib import Path

import labilis

ROOT = Path(labilis.__file__).parent


def test_every_error_has_a_remedy() -> None:
    """Where one is raised a third argument or `remedy` is there, and no empty text."""
    bare = []
    for path in sorted(ROOT.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            called = node.func if isinstance(node, ast.Call) else None
            if not isinstance(called, ast.Name) or called.id != "LabilisError":
                continue
            assert isinstance(node, ast.Call)
            if any(isinstance(argument, ast.Starred) for argument in node.args):
                continue
            told = [word.value for word in node.keywords if word.arg == "remedy"] + node.args[2:3]
            empty = told and isinstance(told[0], ast.Constant) and not told[0].value
            if not told or empty:
                bare.append(f"{path.relative_to(ROOT)}:{node.lineno}")
    assert bare == []
