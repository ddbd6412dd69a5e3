"""Where trials are run: in processes of this machine, or on a Dask cluster. What crosses is
text, the bytes of files, and plain figures."""

from __future__ import annotations

import multiprocessing
import os
import threading
import time
from collections.abc import Mapping
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from typing import Any, Protocol

import labilis
from labilis.model import LabilisError

Answer = dict[str, Any]


class Place(Protocol):
    """Runs trials; `count` of them side by side."""

    @property
    def count(self) -> int:
        """Trials that run at once."""

    def submit(self, model: str, traced: bool) -> Future[Answer]:
        """Begin a trial, given by its statements in the JSON form, with its trace if asked for.
        The future may raise Lost."""

    def lost(self) -> None:
        """What was submitted is gone; begin anew with the next."""

    def close(self, at_once: bool) -> None:
        """Give everything up."""


Lost = BrokenProcessPool


class Processes:
    """Processes of this machine, one thread each where several stand side by side; none until
    one is needed."""

    def __init__(self, files: Mapping[str, bytes], count: int) -> None:
        self._files, self.count = dict(files), max(1, count)
        self._pool: ProcessPoolExecutor | None = None

    def submit(self, model: str, traced: bool) -> Future[Answer]:
        """See Place."""
        from labilis.run.trials.running import run_trial

        if self._pool is None:
            context = multiprocessing.get_context("forkserver")
            context.set_forkserver_preload(["labilis.run.preload"])
            self._pool = ProcessPoolExecutor(
                self.count, context, _begin, (self._files, self.count > 1)
            )
        try:
            return self._pool.submit(run_trial, model, traced)
        except BrokenProcessPool:
            self.lost()
            return self.submit(model, traced)

    def lost(self) -> None:
        """See Place."""
        if self._pool is not None:
            self._pool.shutdown(wait=False, cancel_futures=True)
        self._pool = None

    def close(self, at_once: bool) -> None:
        """Ends the processes, whatever they are at."""
        pool, self._pool = self._pool, None
        if pool is not None:
            if at_once:
                for process in list((getattr(pool, "_processes", None) or {}).values()):
                    process.terminate()
            pool.shutdown(wait=True, cancel_futures=True)


class Cluster:
    """Workers of a Dask cluster, found by the address of its scheduler. A trial whose worker is
    lost is taken up by another by itself."""

    def __init__(self, address: str, files: Mapping[str, bytes]) -> None:
        """Raises LabilisError where there is no scheduler, no worker, or a worker with another
        program."""
        try:
            from distributed import Client
        except ImportError as error:
            raise LabilisError(
                "The package `distributed` is not installed.",
                "--scheduler",
                "Install it: pip install distributed.",
                "no-distributed",
            ) from error
        try:
            self._client = Client(address, timeout="5s", set_as_default=False)
        except (OSError, ValueError, TimeoutError) as error:
            raise LabilisError(
                f"No scheduler answers at {address}.",
                "--scheduler",
                "Start one with `dask scheduler`, and workers with "
                "`dask worker ADDRESS --nthreads 1`.",
                "no-scheduler",
            ) from error
        self.count = sum(self._client.nthreads().values())
        try:
            self._check(address)
        except LabilisError:
            self._client.close()
            raise
        (self._files,) = self._client.scatter([dict(files)], broadcast=True, hash=False)
        self._executor = self._client.get_executor(pure=False)

    def _check(self, address: str) -> None:
        if not self.count:
            raise LabilisError(
                f"The cluster at {address} has no worker.",
                "--scheduler",
                f"Start one: dask worker {address} --nthreads 1.",
                "no-worker",
            )
        try:
            found = self._client.run(_version)
        except Exception as error:
            raise LabilisError(
                f"A worker cannot load Labilis ({type(error).__name__}: {error}).",
                "--scheduler",
                "Start the workers from the environment that Labilis is installed in.",
                "worker",
            ) from error
        other = next(
            (
                (worker, version)
                for worker, version in found.items()
                if version != labilis.__version__
            ),
            None,
        )
        if other is not None:
            raise LabilisError(
                f"Worker {other[0]} has Labilis {other[1]}, this is {labilis.__version__}.",
                "--scheduler",
                "Start the workers from the same version.",
                "worker",
            )

    def submit(self, model: str, traced: bool) -> Future[Answer]:
        """See Place; a trial that has taken several workers down with it is answered with that
        reason."""
        answer: Future[Answer] = Future()
        task = self._executor.submit(_there, model, traced, self._files)

        def pass_on(done: Future[Answer]) -> None:
            if done.cancelled():
                answer.cancel()
                return
            error = done.exception()
            answer.set_result(
                done.result()
                if error is None
                else {
                    "reason": "The workers that ran it ended without an answer "
                    f"({type(error).__name__})."
                }
            )

        task.add_done_callback(pass_on)
        return answer

    def lost(self) -> None:
        """Nothing: the scheduler begins it anew."""

    def close(self, at_once: bool) -> None:
        """Leaves the cluster, which stays."""
        self._executor.shutdown(wait=not at_once)  # without waiting it cancels what is under way
        self._client.close()


# --- in the processes
# --------------------------------------------------------------------------------------------------
FILES: dict[str, bytes] = {}  # what all trials of a process share, by SHA-256


def _begin(files: dict[str, bytes], alone: bool) -> None:
    """First thing in a process of trials: what they share, and one thread where several stand
    side by side."""
    FILES.update(files)
    threading.Thread(target=_end_with, args=(os.getppid(),), daemon=True).start()
    if alone:
        _one_thread()


def _one_thread() -> None:
    from threadpoolctl import ThreadpoolController

    os.environ["LABILIS_CORES"] = "1"
    os.environ["MKL_NUM_THREADS"] = os.environ["OMP_NUM_THREADS"] = "1"
    ThreadpoolController().limit(limits=1)


def _end_with(parent: int) -> None:
    """Ends this process when the one that began it is gone: nobody would take its answer."""
    while os.getppid() == parent:
        time.sleep(1.0)
    os._exit(1)


def _version() -> str:
    return labilis.__version__


def _there(model: str, traced: bool, files: dict[str, bytes]) -> Answer:
    """A trial on a worker of a cluster."""
    from labilis.run.trials.running import run_trial

    FILES.update(files)
    _one_thread()
    return run_trial(model, traced)
