"""Following the load-deflection path r(u, λ) = 0 at large motions: Newton, load control first, arc
length as stiffness falls.

The state is kept in space: places of all nodes, rotations of all turns. Ties are made anew about
the present places at every iteration, so that hubs and bonds turn by finite rotations: plain
unknowns move by the solution, hub nodes rotate with their hub, bonded nodes ride on the end of
their turned arm. Arc length after Crisfield (1981), cylindrical; the sign of the path by the angle
to the step before. Limit and bifurcation are told apart by the pivots of the tangent.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from labilis.mechanics import assembly, loads
from labilis.mechanics.plastic import Memory, YieldLaw
from labilis.mechanics.reduction import Reduction
from labilis.mechanics.shell import exponential
from labilis.mechanics.ties import Ties
from labilis.results.checkpoint import PathState
from labilis.solve.factor import Factor, NotPositive, factor
from labilis.solve.modes import NotConverged, find_modes
from labilis.solve.system import System

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
# of the size of all places: motions that are nothing but rounding
_STILL = 1e-13
# residual beside the load from which on the last factor is used again, and how much smaller each
# correction by it must leave the residual. Of the stand's path: from 0.1 on tangents change the
# result of a correction by a few per cent, and a correction without one costs a third
_CLOSE, _SERVES = 0.1, 0.1
_SHARP = 0.002  # by how much the first point after a limit may lie under the one before it
_MOST_AHEAD = 2.0  # steps longer than this many of the last are begun along the tangent only
_MOST_BEND = 0.5  # of a step: more than that is no curvature of a smooth path
_SOFTER = 0.3  # of the slope before: a step that moves the part so much further has snapped
TiesAt = Callable[[Floats], Ties]  # places of all nodes (total, 3) -> ties about them


@dataclass(frozen=True)
class TraceControl:
    """first, least and largest step of the factor (or of what it stands for on the arc); target:
    factor to stop at; steps: most of them; iterations: most in one step; tolerance of the residual
    relative to the load; fall: part of the largest factor by which a path that falls has been
    followed far enough; plastic_step: most that the equivalent plastic strain may grow in one
    step."""

    first: float = 0.1
    least: float = 1e-4
    largest: float = 0.5
    target: float = 10.0
    steps: int = 60
    iterations: int = 20
    tolerance: float = 1e-6
    fall: float = 0.1
    plastic_step: float = np.inf


@dataclass(frozen=True)
class TracePoint:
    """One converged state: factor; motion (total, 3) mm of all places; rotation (total, 3, 3) of
    turns; iterations; negative pivots of the tangent; peak (m,) largest von Mises stress of each
    element, MPa; arc: whether arc length found it; demand (m,): largest elastic predictor over the
    yield stress, 0 where nothing yields; plastic (m,): largest equivalent plastic strain; shear
    (m,): that of lines that yield beside what their law takes, 0 elsewhere;
    driving N: force that the prescribed motions need, as work over their largest, nan without
    them."""

    factor: float
    motion: Floats
    rotation: Floats
    iterations: int
    negative: int
    peak: Floats
    arc: bool
    demand: Floats
    plastic: Floats
    driving: float
    shear: Floats


@dataclass
class TraceResult:
    """points of the path, the unloaded one first; reason: why it ended, one of target, limit,
    steps, stuck, mechanism, inverted; cut_backs;
    earlier: factors of the points before, where the path was taken up."""

    points: list[TracePoint] = field(default_factory=list)
    reason: str = "steps"
    cut_backs: int = 0
    earlier: Floats = field(default_factory=lambda: np.zeros(0))

    @property
    def factors(self) -> Floats:
        """(s,), with the `earlier` ones of a path that was taken up again."""
        return np.concatenate([self.earlier, [point.factor for point in self.points]])

    @property
    def limit(self) -> float:
        """Largest factor on the path, nan while it still rises at its end."""
        values = self.factors
        peak = int(values.argmax())
        return float(values[peak]) if peak < len(values) - 1 else float("nan")


@dataclass(frozen=True)
class _State:
    motion: Floats
    rotation: Floats
    moved: float = 0.0  # factor whose prescribed motions it has


@dataclass(frozen=True)
class _Looked:
    """What the last balance with a tangent found: the state and factor it belongs to, ties,
    tangent, largest stress of each element (m,), inner forces (total, 3)."""

    state: _State
    value: float
    ties: Ties
    tangent: sparse.csr_matrix
    peaks: Floats
    inner: Floats


def longest_arc(scale: float, length: float) -> float:
    """Longest next step along the arc: eight times the last step under load control, or a half of
    the path so far. A nearly perfect part hardly moves under load control, and goes a thousand
    times as far behind its buckling load."""
    return max(8.0 * scale, 0.5 * length)


class _NotConverged(ArithmeticError):
    """A step did not come to balance."""


class _Inverted(ArithmeticError):
    """An element turned inside out."""


@dataclass
class _Walk:
    """Where a path stands, and what steers its next step; see PathState."""

    state: _State
    value: float
    step: float
    arc: bool
    before: Floats | None
    first_slope: float
    last_slope: float
    past: bool
    negative: int
    strain: float
    length: float
    bend: Floats
    bend_value: float
    bend_step: float

    @classmethod
    def of(cls, kept: PathState) -> _Walk:
        """The walk that goes on from a kept state."""
        return cls(
            _State(kept.motion, kept.rotation, kept.moved),
            kept.value,
            kept.step,
            kept.arc,
            kept.before if len(kept.before) else None,
            kept.first_slope,
            kept.last_slope,
            kept.past,
            kept.negative,
            kept.strain,
            kept.length,
            kept.bend,
            kept.bend_value,
            kept.bend_step,
        )

    def ahead(self, line: Floats) -> tuple[Floats, float]:
        """(step, change of the factor) that the path's curvature adds to what the tangent says of
        the next step, `line` (q,): as much as in the step before, by the square of their lengths;
        nothing where it is not known, or too much to be taken for a curvature."""
        if self.before is None or not len(self.bend):
            return 0.0 * line, 0.0
        last = float(np.linalg.norm(self.before)) if self.arc else self.bend_step
        ratio = self.step / last if last > 0.0 else np.inf
        if ratio > _MOST_AHEAD or self.bend.shape != line.shape:
            return 0.0 * line, 0.0
        bend = ratio**2 * self.bend
        if np.linalg.norm(bend) > _MOST_BEND * np.linalg.norm(line):
            return 0.0 * line, 0.0
        return bend, ratio**2 * self.bend_value


class _Tried(NamedTuple):
    """A state in balance at the factor `value`: the step to it in reduced unknowns, iterations;
    line: what the tangent alone said of the step and of the factor's change, None where it was not
    asked."""

    state: _State
    moved: Floats
    value: float
    iterations: int
    line: tuple[Floats, float] | None
    tangents: int  # that were factorised on the way


class _Near(NamedTuple):
    """The factor that the last correction was found with, and what the residual was then: its
    size, and beside the load."""

    solver: Factor
    size: float
    part: float


class _Found(NamedTuple):
    """A `_Tried` that stays: slope of the path up to it, and the point."""

    tried: _Tried
    slope: float
    point: TracePoint


@dataclass(frozen=True)
class _Stand:
    """Where the walk stands, for the first correction of the next step: state, ties, inner forces
    (total, 3), factor of the tangent."""

    state: _State
    ties: Ties
    inner: Floats
    solver: Factor


def _first_along(along: Floats, walk: _Walk) -> tuple[Floats, float]:
    """(step, change of the factor) of the walk's next step along the tangent (q,) per factor, on
    the side to which the last step went."""
    assert walk.before is not None
    way = 1.0 if float(along @ walk.before) >= 0 else -1.0
    change = way * walk.step / float(np.linalg.norm(along))
    return change * along, change


def _on_the_arc(there: Floats, along: Floats, total: Floats, length: float) -> float:
    """Change of the factor that makes there + change * along as long as the step is to be, on the
    side of `total`, the step so far."""
    a, b = float(along @ along), 2 * float(along @ there)
    root = b * b - 4 * a * (float(there @ there) - length**2)
    if root < 0:
        raise _NotConverged
    options = [(-b + sign * np.sqrt(root)) / (2 * a) for sign in (1.0, -1.0)]
    return max(options, key=lambda change: float(total @ (there + change * along)))


class Tracer:
    """Follows one path. forces: growing and held nodal forces (3 total,) N at rest; following:
    surface triangles with pressures that grow and that are held; laws: for each block how it
    yields, None where it does not; given, put: prescribed motions (3 total,) that grow and that are
    held, or None. With those that grow the path is followed by them alone, which passes a limit
    without arc length. heat: the free strains (m,) of each block under growing and under held
    changes of temperature, or None. rates: nodes whose first motion is a rate of twist, which
    grows as a displacement does."""

    def __init__(
        self,
        system: System,
        places: Floats,
        ties_at: TiesAt,
        growing: Floats,
        held: Floats,
        following: tuple[list[tuple[Ints, float]], list[tuple[Ints, float]]] = ((), ()),  # type: ignore[assignment]
        control: TraceControl | None = None,
        laws: Sequence[YieldLaw | None] = (),
        given: Floats | None = None,
        put: Floats | None = None,
        heat: tuple[Sequence[Floats] | None, Sequence[Floats] | None] = (None, None),
        rates: Ints | None = None,
    ) -> None:
        self.system, self.places, self.ties_at = system, places, ties_at
        self.growing, self.held, self.following = growing, held, following
        self.control = control or TraceControl()
        self._rates = np.zeros(0, dtype=np.int64) if rates is None else rates
        self._like: Factor | None = None
        self._reduction = system.reduction
        self._last: _Looked | None = None
        self._stand: _Stand | None = None
        self._solver: Factor | None = None  # of the last point
        self.walk: PathState
        # factor and tangent of the last two points
        self._tangents: list[tuple[float, sparse.csr_matrix]] = []
        self.given = None if given is None else given.reshape(-1, 3)
        self.put, self.heat, self._warm = None if put is None else put.reshape(-1, 3), heat, 1.0
        laws = laws or [None] * len(system.blocks)
        self.memory: list[Memory | None] = [
            None if law is None else block.remember(law) for block, law in zip(system.blocks, laws)
        ]

    # --- path
    # ----------------------------------------------------------------------------------------------
    def run(self, start: PathState | None = None) -> Iterator[tuple[TraceResult, TracePoint]]:
        """Each converged point as it stands, with the result so far; the caller may stop asking at
        any time and go on later from `walk`, in another Tracer of the same system."""
        control, result = self.control, TraceResult()
        if start is None:
            point = self._begin()
            result.points.append(point)
            yield result, point
        else:
            self._take_up(start)
            result.earlier, result.cut_backs = start.factors, start.cut_backs
        walk = _Walk.of(self.walk)
        while len(result.factors) <= control.steps:
            try:
                new = self._step(walk)
            except (ArithmeticError, ValueError) as error:
                result.cut_backs += 1
                if self._shorter(walk):
                    continue
                result.reason = self._why(error)
                return
            if (tried := self._accepted(walk, new, result)) is None:
                continue
            ended = self._go_on(walk, tried, result)
            self.walk = self._kept(walk, result)
            yield result, tried.point
            if ended:
                result.reason = ended
                return

    def _step(self, walk: _Walk) -> _Tried:
        """The next point along the arc or at the next factor. Raises ArithmeticError or ValueError
        where it does not come to balance."""
        control = self.control
        if walk.arc:
            assert walk.before is not None
            tried = self._arc_step(walk)
            if walk.value < control.target < tried.value:  # end where it was asked for
                tried = self._load_step(walk.state, control.target)
        else:
            walk.step = min(walk.step, control.target - walk.value)
            tried = self._load_step(walk.state, walk.value + walk.step, walk)
        new = tried.state
        if any(block.turned_over(new.motion, new.rotation) for block in self.system.blocks):
            raise _Inverted
        return tried

    def _shorter(self, walk: _Walk) -> bool:
        """Half the step; False where none is left that is worth a try."""
        walk.step *= 0.5
        if walk.step >= self.control.least * (1.0 if not walk.arc else self._scale):
            return True
        if walk.arc or walk.before is None or self.given is not None:
            return False
        walk.arc, walk.step = True, 0.25 * self._scale  # load control has come to its end
        return True

    def _why(self, error: Exception) -> str:
        """Reason for which a path ends where no step is short enough."""
        if isinstance(error, _Inverted):
            return "inverted"
        return "mechanism" if self._loose else "stuck"

    def _accepted(self, walk: _Walk, tried: _Tried, result: TraceResult) -> _Found | None:
        """The point, None where it was reached in too long a stride: the walk has a shorter one, or
        the arc, for the next try then."""
        control, value = self.control, walk.value
        if (
            walk.arc
            and tried.value < value
            and not walk.past
            and value - tried.value > _SHARP * value
            and walk.step > 0.02 * self._scale
        ):
            walk.step *= 0.4  # over the top: the largest factor would be missed
            return None
        walk.past = walk.past or tried.value < value
        # what hardly moves (a bar that is heated between walls) has a slope of rounding only: nan,
        # so that nothing is read from it
        moved = float(np.linalg.norm(tried.moved))
        still = _STILL * float(np.linalg.norm(self.places))
        slope = (tried.value - value) / moved if moved > still else float("nan")
        if not walk.first_slope and np.isfinite(slope):
            walk.first_slope = slope
        point = self._point(tried.state, tried.value, tried.iterations, walk.arc)
        jumped = (
            walk.before is not None
            and self.given is None
            and (point.negative > walk.negative or slope < _SOFTER * walk.last_slope)
        )
        if jumped and not walk.arc and walk.step > control.least:
            # load control has jumped over a limit, perhaps to where the path rises again, or past a
            # bifurcation: go there along the arc
            walk.arc, walk.step = True, 0.5 * self._scale
            return None
        grown = float(point.plastic.max(initial=0.0) - walk.strain)
        least = control.least * (self._scale if walk.arc else 1.0)
        if grown > control.plastic_step and walk.step > least:
            result.cut_backs += 1
            walk.step *= 0.5
            return None
        return _Found(tried, slope, point)

    def _go_on(self, walk: _Walk, found: _Found, result: TraceResult) -> str:
        """Stands at the point and steers the next step; gives why the path ends there, '' where it
        goes on."""
        control = self.control
        self._accept()
        self._stay(found.tried.state)
        assert self._last is not None
        self._tangents = [*self._tangents[-1:], (found.tried.value, self._last.tangent)]
        tried, before = found.tried, walk.value
        went = float(np.linalg.norm(tried.moved))
        if not walk.arc:
            self._scale = went
        walk.state, walk.value, walk.before = tried.state, tried.value, tried.moved
        walk.bend, walk.bend_value = np.zeros(0), 0.0
        if tried.line is not None:
            walk.bend = tried.moved - tried.line[0]
            walk.bend_value = tried.value - before - tried.line[1] if walk.arc else 0.0
        walk.bend_step = tried.value - before
        walk.negative = found.point.negative
        walk.strain = float(found.point.plastic.max(initial=0.0))
        result.points.append(found.point)
        ended = "target" if walk.value >= control.target * (1 - 1e-9) else ""
        if (
            self.given is None
            and walk.value < (1.0 - control.fall) * result.factors.max()
            and walk.value < result.factors[-2]
        ):
            ended = ended or "limit"
        if not walk.arc and self.given is None and found.slope < 0.35 * walk.first_slope:
            walk.arc, walk.step = True, went
        # where the tangent of the point before was not there to begin with, one more was made
        hard = tried.tangents - (tried.line is None)
        grow = 1.5 if hard <= 3 else 1.0 if hard <= 6 else 0.6
        if walk.arc and not walk.past and found.slope < 0.6 * walk.last_slope:
            grow = min(grow, 0.7)  # the top comes near
        walk.last_slope = found.slope
        walk.step = walk.step * grow if walk.arc else min(walk.step * grow, control.largest)
        walk.length += went
        if walk.arc:
            walk.step = min(walk.step, longest_arc(self._scale, walk.length))
        return ended

    def _kept(self, walk: _Walk, result: TraceResult) -> PathState:
        """What is needed to go on from here."""
        assert walk.before is not None
        return PathState(
            walk.state.motion,
            walk.state.rotation,
            walk.state.moved,
            walk.value,
            walk.step,
            walk.arc,
            walk.before,
            walk.first_slope,
            walk.last_slope,
            walk.past,
            self._scale,
            walk.negative,
            walk.strain,
            *self._remembered(),
            result.factors,
            result.cut_backs,
            walk.length,
            walk.bend,
            walk.bend_value,
            walk.bend_step,
        )

    _scale = 1.0

    def modes_about(self, wanted: int = 3) -> Floats:
        """Total factors (k,) at which the part goes unstable, seen from the last converged point: K
        + μ dK/dλ is singular, with dK/dλ from the two last points. Exact for the next instability
        as the points come near it; empty when there is none ahead."""
        if len(self._tangents) < 2:
            return np.zeros(0)
        (before, first), (now, last) = self._tangents
        if now <= before or first.shape != last.shape:
            return np.zeros(0)
        slope = assembly.added(last, first, -1.0) / (now - before)
        try:
            solver = factor(last, positive=True)
            found = find_modes(last, solver, slope, wanted, count=False)
        except (NotPositive, NotConverged):
            return np.zeros(0)
        return np.sort(now + found.factors[found.factors > 0])

    def _begin(self) -> TracePoint:
        """The unloaded point, or the one under the held loads alone; the walk starts there."""
        state = _State(
            np.zeros_like(self.places), np.broadcast_to(np.eye(3), (len(self.places), 3, 3)).copy()
        )
        if (
            np.any(self.held)
            or self.following[1]
            or self.put is not None
            or self.heat[1] is not None
        ):
            state, point = self._held_first(state)
        else:
            point = self._point(state, 0.0, 0, False)
        self._accept()
        self._stay(state)
        self.walk = PathState(
            state.motion,
            state.rotation,
            state.moved,
            0.0,
            self.control.first,
            False,
            np.zeros(0),
            0.0,
            0.0,
            False,
            1.0,
            point.negative,
            float(point.plastic.max(initial=0.0)),
            *self._remembered(),
            np.array([0.0]),
            0,
            0.0,
            np.zeros(0),
            0.0,
            0.0,
        )
        return point

    def _take_up(self, start: PathState) -> None:
        """Go on where another tracer of the same system left off."""
        self.walk, self._scale = start, start.scale
        plastic, p = start.plastic, start.p
        for memory in self.memory:
            if memory is not None:
                size, count = memory.plastic.size, memory.p.size
                memory.plastic, plastic = (
                    plastic[:size].reshape(memory.plastic.shape).copy(),
                    plastic[size:],
                )
                memory.p, p = p[:count].reshape(memory.p.shape).copy(), p[count:]
                memory.__post_init__()
        state = _Walk.of(start).state
        if self.given is None and self.heat[0] is None:
            self._point(state, start.value, 0, start.arc)
            self._stay(state)

    def _remembered(self) -> tuple[Floats, Floats]:
        """(plastic strain, equivalent plastic strain) of all blocks at the last accepted point,
        in one row each."""
        kept = [memory for memory in self.memory if memory is not None]
        return (
            np.concatenate([memory.plastic.ravel() for memory in kept] or [np.zeros(0)]),
            np.concatenate([memory.p.ravel() for memory in kept] or [np.zeros(0)]),
        )

    def _held_first(self, state: _State) -> tuple[_State, TracePoint]:
        """The held loads put on in up to sixteen parts, the growing ones at rest."""
        whole, hold = self.held, self.following[1]
        for parts in (1, 4, 16):
            now, count = state, 0
            try:
                for part in range(1, parts + 1):
                    self.held = whole * part / parts
                    self.following = (
                        self.following[0],
                        [(cells, value * part / parts) for cells, value in hold],
                    )
                    self._warm = part / parts
                    if self.put is not None:
                        now = replace(now, motion=now.motion + self.put / parts)
                    tried = self._load_step(now, 0.0)
                    now, count = tried.state, tried.iterations
                return now, self._point(now, 0.0, count, False)
            except (_NotConverged, ArithmeticError):
                continue
        raise ArithmeticError("the held loads alone do not come to balance")

    # --- steps
    # ----------------------------------------------------------------------------------------------
    def _standing(self, state: _State) -> _Stand | None:
        """What is known since the walk stands at this state; None elsewhere, or where more than
        forces grows."""
        stand = self._stand
        if stand is None or stand.state.motion is not state.motion:
            return None
        return stand if self.given is None and self.heat[0] is None else None

    def _load_step(self, state: _State, value: float, walk: _Walk | None = None) -> _Tried:
        """The step to balance at a given factor, the next one of the `walk` if there is one."""
        control = self.control
        if self.given is not None:
            state = replace(
                state, motion=state.motion + (value - state.moved) * self.given, moved=value
            )
        total: Floats | None = None
        energy, most, first, line = np.inf, 0.0, 1, None
        if (stand := self._standing(state)) is not None:
            residual = stand.ties.reduce_vector(stand.inner.ravel() - self._outer(state, value)[0])
            total = line = np.asarray(-stand.solver.solve(residual))
            most, first = abs(float(line @ residual)), 2
            if walk is not None:
                total = line + walk.ahead(line)[0]
            state = self._moved(state, stand.ties, total)
        # state, total and correction of the step before, its work
        last: tuple[_State, Floats, Floats, float] | None = None
        near: _Near | None = None
        tangents = 0
        for count in range(first, control.iterations + 1):
            ties, residual, tangent, scale = self._looked(state, value, near)
            if last is not None and (
                ties.size != len(last[2]) or abs(float(last[2] @ residual)) > 0.8 * last[3]
            ):
                share = self._shortened(last[0], value, last[2], last[3])
                state = self._moved(
                    last[0], self.ties_at(self.places + last[0].motion), share * last[2]
                )
                total = last[1] + share * last[2]
                ties, residual, tangent, scale = self._balance(state, value)
            size = float(np.linalg.norm(residual))
            # in balance, or as near as rounding lets it come: the last correction did no work to
            # speak of
            if total is not None and (
                size <= control.tolerance * scale
                or (energy <= 1e-16 * most and size <= 1e-3 * scale)
            ):
                found = None if line is None else (line, 0.0)
                return _Tried(state, total, value, count - 1, found, tangents)
            near = self._nearer(near, tangent, ties, size, scale)
            tangents += tangent is not None
            dq = -near.solver.solve(residual)
            work = abs(float(dq @ residual))
            if not np.isfinite(work) or (count > 6 and work > 1e6 * energy):
                raise _NotConverged
            energy, most = min(energy, work), max(most, work)
            last = (state, total, dq, work) if total is not None else None
            state = self._moved(state, ties, dq)
            total = dq if total is None else total + dq
        raise _NotConverged

    def _looked(
        self, state: _State, value: float, near: _Near | None
    ) -> tuple[Ties, Floats, sparse.csr_matrix | None, float]:
        """`_balance`, without a tangent where balance is near and the last factor serves."""
        if near is not None and near.part <= _CLOSE:
            ties, residual, _, scale = self._balance(state, value, tangent=False)
            if float(np.linalg.norm(residual)) <= _SERVES * near.size:
                return ties, residual, None, scale
        return self._balance(state, value)

    def _nearer(
        self,
        near: _Near | None,
        tangent: sparse.csr_matrix | None,
        ties: Ties,
        size: float,
        scale: float,
    ) -> _Near:
        """The factor for the next correction: of the tangent, or else the last one."""
        if tangent is not None:
            return _Near(self._factor(tangent, ties), size, size / scale)
        assert near is not None
        return near._replace(size=size, part=size / scale)

    def _shortened(self, state: _State, value: float, dq: Floats, work: float) -> float:
        """Line search: share of a correction that made the residual's work larger than it was."""
        ties = self.ties_at(self.places + state.motion)
        for share in (0.5, 0.25):
            after_ties, after, _, _ = self._balance(
                self._moved(state, ties, share * dq), value, tangent=False
            )
            if after_ties.size == len(dq) and abs(float(dq @ after)) <= 0.8 * work:
                return share
        return 0.5

    def _arc_step(self, walk: _Walk) -> _Tried:
        """One step of cylindrical arc length: the corrections' sum has the length of the step."""
        control, state, value, length = self.control, walk.state, walk.value, walk.step
        assert walk.before is not None
        total, first = np.zeros_like(walk.before), 1
        line: tuple[Floats, float] | None = None
        if (stand := self._standing(state)) is not None:
            load = self._load(stand.ties, state, value, np.zeros(0))
            along, first = stand.solver.solve(load), 2
            line = _first_along(along, walk)
            bend, more = walk.ahead(line[0])
            total = line[0] + bend
            total = total * (length / float(np.linalg.norm(total)))
            state, value = self._moved(state, stand.ties, total), value + line[1] + more
        near: _Near | None = None
        tangents = 0
        for count in range(first, control.iterations + 1):
            ties, residual, tangent, scale = self._looked(state, value, near)
            size = float(np.linalg.norm(residual))
            if count > 1 and size <= control.tolerance * scale:
                return _Tried(state, total, value, count - 1, line, tangents)
            near = self._nearer(near, tangent, ties, size, scale)
            tangents += tangent is not None
            both = near.solver.solve(
                np.stack([-residual, self._load(ties, state, value, residual)], axis=1)
            )
            if not np.isfinite(both).all():
                raise _NotConverged
            rest, along = both[:, 0], both[:, 1]
            change = (
                _first_along(along, walk)[1]
                if count == 1
                else _on_the_arc(total + rest, along, total, length)
            )
            dq = rest + change * along
            state = self._moved(state, ties, dq)
            total = total + dq
            value += change
        raise _NotConverged

    # --- balance
    # ----------------------------------------------------------------------------------------------
    _loose = False  # the last tangent had a pivot that is nothing

    def _factor(self, tangent: sparse.csr_matrix, ties: Ties) -> Factor:
        solver = factor(
            tangent,
            positive=False,
            like=self._like,
            groups=None if self._like is not None else ties.groups,
        )
        if self._like is None or not solver.shared:
            # at rest some entries are exact zeros: later tangents have a pattern of their own
            self._like = solver
        self._loose = solver.perturbed > 0
        return solver

    def _load(self, ties: Ties, state: _State, value: float, residual: Floats) -> Floats:
        """Reduced growing forces at a state whose residual is given; what growing heat does by a
        difference, which is exact while nothing yields."""
        if self.heat[0] is not None:
            step = 1e-2 * self.control.first
            return np.asarray(
                (residual - self._balance(state, value + step, tangent=False)[1]) / step
            )
        return ties.reduce_vector(self.growing + self._pressures(state, self.following[0]))

    def _free(self, number: int, value: float) -> Floats | None:
        """Free thermal strains (m,) of a block at a factor."""
        growing, held = self.heat
        parts = [
            share * found[number]
            for share, found in ((value, growing), (self._warm, held))
            if found is not None
        ]
        return sum(parts[1:], parts[0]) if parts else None

    def _pressures(self, state: _State, surfaces: list[tuple[Ints, float]]) -> Floats:
        total = np.zeros((len(self.places), 3))
        nodes = self.places + state.motion
        for triangles, pressure in surfaces:
            total += loads.pressure(nodes, triangles, pressure)
        return total.ravel()

    def _outer(self, state: _State, value: float) -> tuple[Floats, list[tuple[Ints, float]]]:
        """(nodal forces (3 total,) of all loads at a state, surfaces with their pressures)."""
        outer = value * self.growing + self.held
        surfaces = [(cells, value * p) for cells, p in self.following[0]] + self.following[1]
        if surfaces:
            outer = outer + self._pressures(state, surfaces)
        return outer, surfaces

    def _balance(
        self, state: _State, value: float, tangent: bool = True
    ) -> tuple[Ties, Floats, sparse.csr_matrix, float]:
        """(ties, reduced residual, reduced tangent, size of the loads) at a state."""
        now = self.places + state.motion
        ties = self.ties_at(now)
        outer, surfaces = self._outer(state, value)
        inner = np.zeros((len(self.places), 3))
        total = assembly.Sum(self.system.pattern)
        peaks = []
        for number, block in enumerate(self.system.blocks):
            for rows, force, matrix, peak in block.deformed(
                state.motion,
                state.rotation,
                tangent,
                self.memory[number],
                self._free(number, value),
            ):
                assembly.add_forces(block.members[rows], force, inner)
                peaks.append(peak)
                if matrix is not None:
                    total.add(number, rows, matrix)
        residual = inner.ravel() - outer
        reduced = ties.reduce_vector(residual)
        held_part = np.linalg.norm(inner)
        scale = max(
            float(np.linalg.norm(ties.reduce_vector(outer))), 1e-3 * float(held_part), 1e-12
        )
        if not tangent:
            return ties, reduced, sparse.csr_matrix((0, 0)), scale
        if not self._reduction.fits(ties):
            self._reduction = Reduction(self.system.pattern, ties)
        matrix = self._reduction.matrix(total.matrix(), ties, residual)
        if surfaces:
            there = replace(self.system, nodes=now[: len(self.system.nodes)], ties=ties)
            matrix = self._reduction.plus(matrix, there.following(surfaces)[0])
        self._last = _Looked(state, value, ties, matrix, np.concatenate(peaks), inner)
        return ties, reduced, matrix, scale

    def _moved(self, state: _State, ties: Ties, dq: Floats) -> _State:
        """The state after a correction: hubs and bonded nodes by finite rotations."""
        du = ties.expand(dq).reshape(-1, 3)
        motion = state.motion + du
        rotation = state.rotation.copy()
        turns = np.setdiff1d(np.flatnonzero(ties.place_of != np.arange(ties.n_nodes)), self._rates)
        rotation[turns] = exponential(du[turns]) @ state.rotation[turns]
        motion[turns] = 0.0
        now = self.places + state.motion
        for hub, where, basis in zip(ties.hubs, ties.hub_slices, ties.hub_bases):
            six = basis @ dq[where]
            arms = now[hub.nodes] - hub.centre
            motion[hub.nodes] = (
                state.motion[hub.nodes] + six[:3] + (arms @ exponential(six[3:]).T - arms)
            )
        for follow in ties.follows:
            if len(follow.nodes) and not np.isin(follow.nodes, turns).any():
                turn = np.einsum("kpij,kpj->ki", follow.turning, du[follow.masters])
                lever = np.cross(turn, follow.arms)
                carried = du[follow.nodes] - lever  # motion of the foot
                motion[follow.nodes] = (
                    state.motion[follow.nodes]
                    + carried
                    + np.einsum("kij,kj->ki", exponential(turn) - np.eye(3), follow.arms)
                )
        return _State(motion, rotation, state.moved)

    def _accept(self) -> None:
        """What the last trial did to the material stays."""
        for memory in self.memory:
            if memory is not None:
                memory.accept()

    def _stay(self, state: _State) -> None:
        """The walk stands at the point that was looked at last."""
        assert self._last is not None and self._solver is not None
        self._like = self._solver
        self._stand = _Stand(state, self._last.ties, self._last.inner, self._solver)

    def _point(self, state: _State, value: float, iterations: int, arc: bool) -> TracePoint:
        """What is kept of a converged state."""
        if self._last is None or self._last.state is not state or self._last.value != value:
            self._balance(state, value)
        last = self._last
        assert last is not None
        self._solver = None
        self._solver = solver = self._factor(last.tangent, last.ties)
        demand = [
            np.zeros(len(block.members)) if memory is None else memory.demand.copy()
            for block, memory in zip(self.system.blocks, self.memory)
        ]
        plastic = [
            np.zeros(len(block.members)) if memory is None else memory.largest
            for block, memory in zip(self.system.blocks, self.memory)
        ]
        shear = [
            np.zeros(len(block.members)) if memory is None else memory.shear.copy()
            for block, memory in zip(self.system.blocks, self.memory)
        ]
        return TracePoint(
            value,
            state.motion,
            state.rotation,
            iterations,
            solver.negative_pivots,
            last.peaks,
            arc,
            np.concatenate(demand),
            np.concatenate(plastic),
            self._driving(last.inner),
            np.concatenate(shear),
        )

    def _driving(self, inner: Floats) -> float:
        """Force that the prescribed motions need, of the inner forces (total, 3)."""
        return (
            float("nan")
            if self.given is None
            else float((inner * self.given).sum() / np.abs(self.given).max())
        )
