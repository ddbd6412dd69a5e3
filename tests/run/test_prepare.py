"""What set-up compiles is all that there is to compile."""

import subprocess
import sys
import threading

import pytest

_FIND = """
import importlib, inspect, pkgutil, re
from numba.core.registry import CPUDispatcher
from labilis.run.prepare import prepare

prepare()
missing, inside = [], []
for room in ("mechanics", "mesh", "shape"):
    package = importlib.import_module(f"labilis.{room}")
    for module in pkgutil.iter_modules(package.__path__):
        for name, value in vars(importlib.import_module(f"labilis.{room}.{module.name}")).items():
            if isinstance(value, CPUDispatcher):
                inside.append(inspect.getsource(value.py_func).partition("-> ")[2])
                if not value.signatures:
                    missing.append(name)
# what is called by what is compiled comes with it
print(*(name for name in set(missing) if not re.search(rf"\\b{name}\\(", " ".join(inside))))
"""


def test_nothing_is_left_to_compile_after_set_up() -> None:
    done = subprocess.run([sys.executable, "-c", _FIND], capture_output=True, text=True, check=True)
    assert done.stdout.split() == []


def test_what_is_loaded_before_a_fork_starts_no_thread(monkeypatch: pytest.MonkeyPatch) -> None:
    """A thread does not come along with a fork: a pool that was made before waits for ever."""
    from labilis.mechanics import parallel
    from labilis.run.prepare import load_kernels

    monkeypatch.setattr(parallel, "_pool", lambda: pytest.fail("a thread was asked for"))
    monkeypatch.setenv("LABILIS_CORES", "4")
    before = threading.active_count()
    load_kernels()
    assert threading.active_count() == before
