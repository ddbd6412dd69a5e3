"""What is installed and what is missing."""

from __future__ import annotations

import importlib.metadata
import importlib.util
import os
import platform
import sqlite3
from collections.abc import Callable

from labilis import __version__
from labilis.run.environment import available_gib, solver_name

_PACKAGES = {
    "numpy": True,
    "scipy": True,
    "cadquery-ocp-novtk": True,
    "tetgen": True,
    "PyQt6": True,
    "pyvista": True,
    "pyvistaqt": True,
    "vtk": True,
    "pydantic": True,
    "pint": True,
    "meshio": True,
    "typer": True,
    "rich": True,
    "platformdirs": True,
    "threadpoolctl": True,
    "pypardiso": False,
    "mkl": False,
}


def examine(say: Callable[[str], None]) -> bool:
    """Print the findings; True when everything needed is there."""
    whole = True
    say(
        f"labilis {__version__}, Python {platform.python_version()}, {platform.platform()}, "
        f"{os.cpu_count()} cores, "
        f"{available_gib():.1f} GiB of memory free"
    )
    for package, needed in _PACKAGES.items():
        try:
            say(f"  {package} {importlib.metadata.version(package)}")
        except importlib.metadata.PackageNotFoundError:
            say(
                f"  {package} missing"
                + (": needed, run ./demo again" if needed else " (SuperLU is used: slower)")
            )
            whole = whole and not needed
    say(f"  SQLite {sqlite3.sqlite_version}")
    say(f"Solver: {solver_name()}")
    display = os.environ.get("WAYLAND_DISPLAY") or os.environ.get("DISPLAY")
    say(
        f"Display: {display}"
        if display
        else "Display: none; the window cannot be opened, `labilis check` works"
    )
    if importlib.util.find_spec("PyQt6") is not None:
        try:
            from PyQt6 import QtWidgets

            say(f"Window: Qt {QtWidgets.QApplication.__module__.split('.')[0]} loads")
        except ImportError as error:
            say(
                f"Window: Qt does not load ({error}); a system library is missing, ./demo names "
                "them"
            )
            whole = False
    return whole
