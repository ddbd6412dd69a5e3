"""xvfb-run -a -s "-screen 0 1400x1000x24" python -m benchmarks.window [MODEL ...]

How long the real window is held by what a user does: by the handler (nothing else can happen
meanwhile) and by the painting after it.
Without MODEL: the cabinet stand with its results, and a made-up part of a hundred plates. Adds its
table to docs/performance.md."""

from __future__ import annotations

import argparse
import json
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

ROOT = Path(__file__).parents[1]
HEAD = "## The window"


def hundred_plates(folder: Path) -> Path:
    """A model of a hundred plates in rows, held and pushed."""
    outline = [
        {"x": x, "y": y}
        for x, y in (("0 mm", "0 mm"), ("60 mm", "0 mm"), ("60 mm", "40 mm"), ("0 mm", "40 mm"))
    ]
    pieces = [
        {
            "name": f"plate {n}",
            "material": "steel",
            "mesh_as": "shell",
            "recipe": {"kind": "plate", "thickness": "t", "outline": outline},
            "place": {"at": [f"{60 * (n % 10)} mm", f"{40 * (n // 10)} mm", "0 mm"]},
        }
        for n in range(100)
    ]
    names = [f"plate {n}/side.4" for n in range(0, 100, 10)]
    model = {
        "name": "Hundred plates",
        "parameters": {"t": "2 mm"},
        "pieces": pieces,
        "materials": [{"name": "steel", "youngs_modulus": "210 GPa", "poisson_ratio": "0.3"}],
        "regions": [
            {"name": "foot", "names": names},
            {"name": "head", "names": [name.replace("0/side.4", "9/side.2") for name in names]},
        ],
        "supports": [{"name": "foot", "on": "foot", "held": ["x", "y", "z"]}],
        "loads": [
            {"kind": "force", "name": "push", "on": "head", "components": ["-1 kN", "0 N", "0 N"]}
        ],
        "cases": [{"name": "push", "loads": [{"load": "push"}]}],
        "mesh": {"size": "10 mm"},
    }
    path = folder / "hundred-plates.json"
    path.write_text(json.dumps(model), encoding="utf-8")
    return path


def measure(path: Path, rounds: int) -> dict[str, list[tuple[float, float]]]:
    """(ms in the handler, ms of painting after it) of each round, by what was done."""
    from PyQt6.QtCore import QEventLoop

    from labilis.app import Session
    from labilis.ui.app import make_application
    from labilis.ui.window import Window

    application = make_application()
    window = Window(Session())
    window.resize(1280, 800)
    window.show()
    session = window.session

    def settle() -> None:
        end = time.monotonic() + 600
        quiet = 0
        while quiet < 5 and time.monotonic() < end:
            application.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 20)
            quiet = quiet + 1 if session.running is None else 0
            time.sleep(0.01)

    session.open(path)
    settle()
    window.run_button.click()
    settle()
    load = session.project.loads[0]
    found: dict[str, list[tuple[float, float]]] = {}

    def timed(name: str, act: Callable[[], Any]) -> None:
        start = time.perf_counter()
        act()
        between = time.perf_counter()
        application.processEvents()
        found.setdefault(name, []).append(
            (1000 * (between - start), 1000 * (time.perf_counter() - between))
        )
        settle()

    leaf = next(
        leaf
        for leaf, kind in session.project.quantities()
        if leaf.path[:2] == ("loads", 0) and kind != "angle"
    )
    modes = session.current("modes")
    for number in range(rounds):
        grown = f"({leaf.text}) * {1 + 0.001 * (number + 1)}"
        timed("edit of a load", lambda grown=grown: session.set_value(leaf.path, grown, load.name))
        timed("undo", session.undo)
        timed(
            "another station",
            lambda number=number: window.sheet.open_station(
                ("Part", "Loads", "Modes", "Mesh")[number % 4]
            ),
        )
        if modes is not None and len(modes.factors) > 1:
            timed("another mode", lambda number=number: window.stage.show_view("Mode", number % 2))
    window.close()
    return found


def table(results: dict[str, dict[str, list[tuple[float, float]]]]) -> str:
    """Markdown of what was measured."""
    lines = [
        HEAD,
        "",
        "`python -m benchmarks.window`: the real window on a virtual screen with software drawing; "
        "milliseconds until the "
        "handler gives the thread back, and of painting after it. Median, 95 of 100, longest.",
        "",
        "| model | what is done | handler | painting |",
        "|---|---|---|---|",
    ]
    for model, found in results.items():
        for name, rows in found.items():
            said = [
                " / ".join(
                    f"{value:.0f}" for value in (*np.percentile(column, [50, 95]), max(column))
                )
                for column in zip(*rows)
            ]
            lines.append(f"| {model} | {name} | {said[0]} | {said[1]} |")
    return "\n".join(lines) + "\n"


def main() -> None:
    """Measure and write."""
    parser = argparse.ArgumentParser(prog="benchmarks.window", description=__doc__)
    parser.add_argument("models", nargs="*", type=Path)
    parser.add_argument("--rounds", type=int, default=30)
    parser.add_argument("--dry", action="store_true", help="write nothing")
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        models = options.models or [
            ROOT / "src/labilis/demos/cabinet-stand/cabinet-stand.json",
            hundred_plates(Path(folder)),
        ]
        found = {model.stem.replace("-", " "): measure(model, options.rounds) for model in models}
    text = table(found)
    sys.stdout.write(text)
    page = ROOT / "docs/performance.md"
    if not options.dry:
        before = page.read_text(encoding="utf-8").split(HEAD)[0].rstrip()
        page.write_text(f"{before}\n\n{text}", encoding="utf-8")


if __name__ == "__main__":
    main()
