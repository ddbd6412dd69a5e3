"""The command line run as a user runs it, in a process forked from one that has all packages
loaded, which saves their seconds."""

from __future__ import annotations

import io
import multiprocessing
import os
import sys
import tempfile
from pathlib import Path
from subprocess import CompletedProcess


def labilis(*arguments: object) -> CompletedProcess[str]:
    """The whole program with its arguments; no display. What it writes and its exit status."""
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["labilis.run.preload", "labilis.cli.main"])
    words = [str(word) for word in arguments]
    with tempfile.TemporaryDirectory() as folder:
        process = context.Process(target=_run, args=(words, folder, os.getcwd(), dict(os.environ)))
        process.start()
        process.join(120)
        if process.is_alive():
            process.kill()
            raise TimeoutError(f"labilis {' '.join(words)} did not end")
        out, error = ((Path(folder) / name).read_text(encoding="utf-8") for name in ("out", "err"))
    assert process.exitcode is not None
    return CompletedProcess(["labilis", *words], process.exitcode, out, error)


def _run(words: list[str], folder: str, at: str, environment: dict[str, str]) -> None:
    os.chdir(at)
    os.environ.clear()
    os.environ.update(
        {
            key: value
            for key, value in environment.items()
            if key not in ("DISPLAY", "WAYLAND_DISPLAY")
        }
    )
    for number, name in ((1, "out"), (2, "err")):
        target = os.open(Path(folder) / name, os.O_CREAT | os.O_WRONLY)
        os.dup2(target, number)
    sys.stdout = io.TextIOWrapper(
        os.fdopen(1, "wb", closefd=False), encoding="utf-8", line_buffering=True
    )
    sys.stderr = io.TextIOWrapper(
        os.fdopen(2, "wb", closefd=False), encoding="utf-8", line_buffering=True
    )
    sys.argv = ["labilis", *words]
    status = 0
    try:
        from labilis.cli.main import main

        main()
    except SystemExit as ended:
        status = ended.code if isinstance(ended.code, int) else 0 if ended.code is None else 1
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
    os._exit(status)
