"""The best point within limits, of a few dozen trials: an even spread first, then SciPy's linear
approximations (COBYLA, Powell 1994) from the best of it, then the neighbours of what is chosen from
lists. Works in shares of the ranges, 0 to 1; a list is a range of its places."""

from __future__ import annotations

import math
import queue
import threading
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from labilis.model import Project, TrialPlan, Vary, is_choice
from labilis.results.findings import TrialFindings
from labilis.run.trials.points import Point, kernel_number, value_text
from labilis.run.trials.ranking import margins, ordered, rank

Shares = NDArray[np.float64]
RunAll = Callable[[list[Point]], Iterator[TrialFindings]]
_SPREAD = 0.3  # of the trials that are allowed go into the first even spread
# of a range. In twelve searches of 30 trials for the lightest strut (tests) first steps from 0.25
# came within 0.2 %, of 0.1 within 4 %
_FIRST_STEP, _LAST_STEP = 0.25, 0.01
_INSIDE = 0.002  # of a limit: the approximations end on it, a hair to either side
_NO_ANSWER = 10.0  # what a trial without an answer counts for, beside values about 1


def search(
    project: Project, plan: TrialPlan, run_all: RunAll, stopped: Callable[[], bool]
) -> Iterator[TrialFindings]:
    """Trials as they are done, at most `plan.points` of them that differ."""
    from scipy.stats import qmc  # takes half a second, which every command would wait for

    seen: dict[tuple[str, ...], TrialFindings] = {}
    shares: dict[tuple[str, ...], Shares] = {}
    digits = {vary.parameter: _digits(project, vary) for vary in plan.vary}

    def point_at(x: Sequence[float] | Shares) -> Point:
        texts = {
            vary.parameter: value_text(project, vary.parameter, _text_at(vary, float(share)))
            for vary, share in zip(plan.vary, x)
        }
        return {
            name: text if is_choice(name) else _short(text, digits[name])
            for name, text in texts.items()
        }

    def fresh(rows: Sequence[Sequence[float]]) -> list[Point]:
        found = []
        for x in rows:
            point = point_at(x)
            texts = tuple(point.values())
            if texts not in shares and len(shares) < plan.points:
                shares[texts] = np.asarray(x, dtype=float)
                found.append(point)
        return found

    def done(points: list[Point]) -> Iterator[TrialFindings]:
        for trial in run_all(points):
            seen[tuple(trial.texts.tolist())] = trial
            yield trial

    count = min(max(len(plan.vary) + 2, round(_SPREAD * plan.points)), plan.points)
    middle = [[0.5] * len(plan.vary)]
    yield from done(
        fresh(
            [
                *middle,
                *qmc.LatinHypercube(len(plan.vary), seed=plan.seed).random(count - 1).tolist(),
            ]
        )
    )
    if stopped() or not seen:
        return
    yield from _approximated(project, plan, seen, shares, point_at, fresh, done, stopped)
    yield from _beside(project, plan, seen, shares, fresh, done, stopped)


def _text_at(vary: Vary, share: float) -> str:
    share = min(max(share, 0.0), 1.0)
    if vary.values:
        return vary.values[min(int(share * len(vary.values)), len(vary.values) - 1)]
    return vary.between(round(share, 6))


def _digits(project: Project, vary: Vary) -> int:
    """Digits that tell a thousandth of a range apart; all of them for a list."""
    if vary.values:
        return 15
    ends = [
        kernel_number(project, value_text(project, vary.parameter, str(end)))
        for end in (vary.low, vary.high)
    ]
    apart = abs(ends[1] - ends[0])
    return 15 if apart == 0 else 4 + max(math.ceil(math.log10(max(map(abs, ends)) / apart)), 0)


def _short(text: str, digits: int) -> str:
    """'5.792112 mm' to so many digits."""
    number, _, unit = text.partition(" ")
    try:
        return f"{float(number):.{digits}g} {unit}".strip()
    except ValueError:
        return text


def _typical(trials: Iterable[TrialFindings], objective: str) -> float:
    """Median size of what was found of the objective, 1 without any."""
    sizes = [
        abs(one) for trial in trials if math.isfinite(one := trial.response(objective)) and one
    ]
    return float(np.median(sizes)) if sizes else 1.0


def _approximated(
    project: Project,
    plan: TrialPlan,
    seen: dict[tuple[str, ...], TrialFindings],
    shares: dict[tuple[str, ...], Shares],
    point_at: Callable[[Sequence[float] | Shares], Point],
    fresh: Callable[[Sequence[Sequence[float]]], list[Point]],
    done: Callable[[list[Point]], Iterator[TrialFindings]],
    stopped: Callable[[], bool],
) -> Iterator[TrialFindings]:
    """COBYLA asks for points in a thread of its own; here they are run, each given at once."""
    asked, answers = queue.Queue[Any](), queue.Queue[TrialFindings | None]()
    size = _typical(seen.values(), plan.objective)

    def trial_at(x: Shares) -> TrialFindings:
        known = seen.get(tuple(point_at(x).values()))
        if known is None:
            asked.put(np.clip(x, 0.0, 1.0))
            if (known := answers.get()) is None:
                raise StopIteration
        return known

    def value(x: Shares) -> float:
        found = rank(project, plan, trial_at(x)) / size
        return found if math.isfinite(found) else _NO_ANSWER

    def kept(x: Shares) -> Shares:
        found = np.maximum(margins(project, plan, trial_at(x)), -_NO_ANSWER)
        # factors go with powers of sizes: so they are less bent
        return np.sign(found) * np.log1p(np.abs(found))

    def ask() -> None:
        from scipy.optimize import NonlinearConstraint, minimize

        try:
            first = shares[tuple(ordered(project, plan, list(seen.values()))[0].texts.tolist())]
            minimize(
                value,
                first,
                method="COBYLA",
                bounds=[(0.0, 1.0)] * len(plan.vary),
                constraints=[NonlinearConstraint(kept, _INSIDE, np.inf)],
                options={"rhobeg": _FIRST_STEP, "tol": _LAST_STEP, "maxiter": 10 * plan.points},
            )
        except (StopIteration, RuntimeError):
            pass
        except Exception as error:  # told where it can be
            asked.put(error)
        asked.put(None)

    (thread := threading.Thread(target=ask, daemon=True, name="labilis-search")).start()
    while (x := asked.get()) is not None:
        if isinstance(x, Exception):
            raise x
        found = None
        for trial in done([] if stopped() else fresh([x])):
            found = trial
            yield trial
        answers.put(found)
    thread.join()


def _beside(
    project: Project,
    plan: TrialPlan,
    seen: dict[tuple[str, ...], TrialFindings],
    shares: dict[tuple[str, ...], Shares],
    fresh: Callable[[Sequence[Sequence[float]]], list[Point]],
    done: Callable[[list[Point]], Iterator[TrialFindings]],
    stopped: Callable[[], bool],
) -> Iterator[TrialFindings]:
    """Values next to the best one's in their lists, until none is better."""
    lists = [place for place, vary in enumerate(plan.vary) if vary.values]
    while lists and not stopped():
        best = shares[tuple(ordered(project, plan, list(seen.values()))[0].texts.tolist())]
        rows = []
        for place in lists:
            count = len(plan.vary[place].values)
            at = min(int(best[place] * count), count - 1)
            for other in (at - 1, at + 1):
                if 0 <= other < count:
                    row = best.copy()
                    row[place] = (other + 0.5) / count
                    rows.append(row.tolist())
        points = fresh(rows)
        if not points:
            return
        yield from done(points)
