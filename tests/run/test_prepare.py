"""What set-up compiles is all that there is to compile."""

import subprocess
import sys

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
