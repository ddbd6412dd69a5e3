"""What is kept of a path as it grows: curves of factors, probes and stresses, and shapes along
it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from labilis.analysis.constraints import Tied
from labilis.analysis.regions import Bools, Floats, Ints, region_nodes
from labilis.mechanics.shell import logarithm
from labilis.mesh import Mesh
from labilis.model import LabilisError, Project, TracePlan
from labilis.results.checkpoint import PathState, TraceCheckpoint
from labilis.results.findings import TraceFindings
from labilis.results.trace_ends import ENDS, ends_of
from labilis.shape import ShapeView
from labilis.solve.trace import TracePoint, TraceResult

_FRAMES = 24  # shapes kept along the path


@dataclass(frozen=True)
class Probes:
    """Regions and hubs by name; nodes whose mean motion each has, and the turn node of a hub, -1
    for regions."""

    names: tuple[str, ...]
    nodes: tuple[Ints, ...]
    turns: tuple[int, ...]

    def read(self, point: TracePoint) -> Floats:
        """(p, 4): x, y, z in mm and the turn in degrees."""
        found = np.full((len(self.names), 4), np.nan)
        for row, (nodes, turn) in enumerate(zip(self.nodes, self.turns)):
            found[row, :3] = point.motion[nodes].mean(axis=0)
            if turn >= 0:
                found[row, 3] = np.degrees(np.linalg.norm(logarithm(point.rotation[turn])))
        return found


def probes_of(project: Project, view: ShapeView, mesh: Mesh, tied: Tied) -> Probes:
    """All regions that are found and all hubs."""
    names, nodes, turns = [], [], []
    for region in project.regions:
        try:
            mine = region_nodes(region, view, mesh)
        except (
            LabilisError
        ):  # nothing stands on a region that lost its faces, or the run would not have come here
            continue
        if len(mine):
            names.append(region.name)
            nodes.append(mine)
            turns.append(-1)
    for hub in project.hubs:
        place, turn = tied.numbering.hubs[hub.name]
        names.append(hub.name)
        nodes.append(np.array([place]))
        turns.append(int(turn))
    return Probes(tuple(names), tuple(nodes), tuple(turns))


class TraceRecord:
    """What is kept of a path as it grows."""

    def __init__(
        self,
        case: str,
        plan: TracePlan,
        amplitude: float,
        ideal: float,
        nodes: int,
        strength: Floats,
        probe: int,
        yielding: bool,
        unit: float,
        probes: Probes,
        order: Ints,
        modulus: Floats,
        elastic: Bools,
        allowed: tuple[float, float],
    ) -> None:
        """strength, modulus (m,) MPa of the elements in the blocks' order; order (m,): from there
        to the mesh's; unit: size of the growing load; elastic (m,): which elements stay elastic
        whatever their stress; allowed: the largest motion, mm, and the largest plastic strain."""
        self.elastic = elastic
        self.probes, self.order, self.modulus = probes, order, modulus
        self.at_places: list[Floats] = []
        self.stresses: list[Floats] = []
        self.strains: list[Floats] = []
        self.case, self.plan, self.amplitude, self.ideal, self.nodes = (
            case,
            plan,
            amplitude,
            ideal,
            nodes,
        )
        self.strength, self.probe, self.yielding = strength, probe, yielding
        self.plastic: list[float] = []
        self.forces: list[float] = []
        self.unit = unit
        self.factors: list[float] = []
        self.largest: list[float] = []
        self.at_probe: list[float] = []
        self.iterations: list[int] = []
        self.negative: list[int] = []
        self.ratios: list[float] = []
        self.elastic_ratios: list[float] = []
        self.deflection, self.plastic_strain = allowed
        self.peaks: list[float] = []
        self.frames: list[Floats] = []
        self.about_at, self.about = float("nan"), np.zeros(0)

    def take_up(self, before: TraceCheckpoint) -> None:
        """Begin with the points of a path that was left off."""
        self.factors, self.largest, self.at_probe = (
            before.state.factors.tolist(),
            before.largest.tolist(),
            before.probe.tolist(),
        )
        self.iterations, self.negative, self.ratios = (
            before.iterations.tolist(),
            before.negative.tolist(),
            before.ratios.tolist(),
        )
        self.elastic_ratios = before.beyond.tolist()
        self.peaks, self.plastic, self.forces = (
            before.peaks.tolist(),
            before.strains.tolist(),
            before.forces.tolist(),
        )
        self.frames = list(before.frames.astype(np.float32))
        self.stresses, self.strains = list(before.stress), list(before.plastic)
        # regions may have come and gone since: of new ones the points so far are not known
        known = {str(name): row for row, name in enumerate(before.places)}
        unknown = np.full(4, np.nan)
        self.at_places = [
            np.array(
                [point[known[name]] if name in known else unknown for name in self.probes.names]
            ).reshape(-1, 4)
            for point in before.probes
        ]

    def checkpoint(self, state: PathState) -> TraceCheckpoint:
        """What is needed to go on from the last point."""
        return TraceCheckpoint(
            self.case,
            state,
            np.array(self.largest),
            np.array(self.at_probe),
            np.array(self.iterations, dtype=np.int64),
            np.array(self.negative, dtype=np.int64),
            np.array(self.ratios),
            np.array(self.elastic_ratios),
            np.array(self.peaks),
            np.array(self.plastic),
            np.array(self.forces),
            np.array(self.frames, dtype=np.float32),
            np.array(self.probes.names, dtype=np.str_),
            self._at_places(),
            np.array(self.stresses, dtype=np.float32),
            np.array(self.strains, dtype=np.float32),
        )

    def _at_places(self) -> Floats:
        return np.array(self.at_places).reshape(len(self.factors), len(self.probes.names), 4)

    def add(self, point: TracePoint) -> None:
        """One more converged point."""
        motion = point.motion[: self.nodes]
        size = np.linalg.norm(motion, axis=1)
        self.factors.append(point.factor)
        self.largest.append(float(size.max()))
        self.at_probe.append(float(size[self.probe if self.probe >= 0 else int(size.argmax())]))
        self.iterations.append(point.iterations)
        self.negative.append(point.negative)
        reached = point.peak[self.elastic] / self.strength[self.elastic]
        sheared = float(point.shear.max(initial=0.0))
        self.elastic_ratios.append(max(float(reached.max(initial=0.0)), sheared))
        self.ratios.append(float(np.maximum(point.peak / self.strength, point.demand).max()))
        self.forces.append(point.factor * self.unit if np.isnan(point.driving) else point.driving)
        self.plastic.append(float(point.plastic.max(initial=0.0)))
        self.peaks.append(float(point.peak.max()))
        self.frames.append(motion.astype(np.float32))
        self.at_places.append(self.probes.read(point))
        self.stresses.append(point.peak[self.order].astype(np.float32))
        self.strains.append(point.plastic[self.order].astype(np.float32))

    def strained(self, point: TracePoint) -> float:
        """Largest strain, elastic by the stress and plastic."""
        return float(
            (point.peak[self.order] / self.modulus[self.order] + point.plastic[self.order]).max(
                initial=0.0
            )
        )

    def elastic_yield(self) -> float:
        """Factor at which what stays elastic although the material is to yield first reaches its
        yield strength, or lines that yield the shear that their law takes; nan if nothing does."""
        if self.plan.material != "yielding" or not self.elastic_ratios:
            return float("nan")
        if self.elastic_ratios[0] >= 1.0:
            return self.factors[0]
        k = _crossing(self.elastic_ratios)
        # what comes after a limit bounds nothing
        if not k or np.isfinite(ends_of(self.factors[: k + 1], self.negative[: k + 1])[0]):
            return float("nan")
        return self._between(k, self.elastic_ratios)

    def allowed(self) -> list[float]:
        """Factors at which the path passes what the plan allows of motion and plastic strain; none
        behind a limit, where nothing is verified any more."""
        found = []
        for values, most in (
            (self.largest, self.deflection),
            (self.plastic, self.plastic_strain if self.yielding else float("inf")),
        ):
            k = next((k for k, value in enumerate(values) if value > most), -1)
            if k < 0 or np.isfinite(ends_of(self.factors[: k + 1], self.negative[: k + 1])[0]):
                continue
            share = 0.0 if k == 0 else (most - values[k - 1]) / (values[k] - values[k - 1])
            before = self.factors[max(k - 1, 0)]
            found.append(before + share * (self.factors[k] - before))
        return found

    def first_yield(self) -> float:
        """Factor at which some element first reaches its yield strength, nan if none does."""
        k = _crossing(self.ratios)
        if not k:
            return float("nan")
        low = self.ratios[k - 1]
        if self.yielding and k > 1 and low > self.ratios[k - 2]:
            # beyond yield the elastic predictor runs away: go on with the slope before it
            slope = (low - self.ratios[k - 2]) / (self.factors[k - 1] - self.factors[k - 2])
            least, most = sorted(self.factors[k - 1 : k + 1])
            return min(max(self.factors[k - 1] + (1.0 - low) / slope, least), most)
        return self._between(k, self.ratios)

    def _between(self, k: int, ratios: list[float]) -> float:
        share = (1.0 - ratios[k - 1]) / (ratios[k] - ratios[k - 1])
        return self.factors[k - 1] + share * (self.factors[k] - self.factors[k - 1])

    def findings(self, result: TraceResult, done: bool) -> TraceFindings:
        """As plain figures; shapes only when the trace is done."""
        chosen = (
            np.unique(
                np.linspace(0, len(self.frames) - 1, min(_FRAMES, len(self.frames))).astype(int)
            )
            if done
            else np.zeros(0, int)
        )
        frames = np.array([self.frames[k] for k in chosen]).reshape(len(chosen), self.nodes, 3)
        limit, bifurcation = ends_of(self.factors, self.negative)
        ends = [
            value
            for value in (
                limit,
                bifurcation,
                self.elastic_yield(),
                float("nan") if self.yielding else self.first_yield(),
                *self.allowed(),
                # of strains only the last is known to be too large
                self.factors[-2] if result.reason == "strain" else float("nan"),
            )
            if np.isfinite(value)
        ]
        verified = min(ends) if ends else max(self.factors)
        return TraceFindings(
            case=self.case,
            mode=self.plan.mode,
            amplitude=self.amplitude,
            ideal=self.ideal,
            factors=np.array(self.factors),
            largest=np.array(self.largest),
            probe=np.array(self.at_probe),
            iterations=np.array(self.iterations),
            negative=np.array(self.negative),
            peak=np.array(self.peaks),
            frame=chosen,
            motions=frames,
            limit=limit,
            first_yield=self.first_yield(),
            verified=verified,
            reason=ENDS[result.reason][0] if done else "",
            cut_backs=result.cut_backs,
            done=done,
            plastic=np.array(self.plastic),
            yielding=self.yielding,
            force=np.array(self.forces),
            about_at=self.about_at,
            about=self.about,
            places=np.array(self.probes.names, dtype=np.str_),
            probes=self._at_places(),
            stress=self._in_frames(self.stresses, chosen),
            strain=self._in_frames(self.strains, chosen),
            bifurcation=bifurcation,
            elastic_yield=self.elastic_yield(),
        )

    def _in_frames(self, values: list[Floats], chosen: Ints) -> Floats:
        """(f, m) of the elements in the shapes that are kept."""
        return np.array([values[k] for k in chosen]).reshape(len(chosen), len(self.order))


def _crossing(ratios: list[float]) -> int:
    """The first point that reaches 1 from below, 0 if none does."""
    return next((k for k in range(1, len(ratios)) if ratios[k - 1] < 1.0 <= ratios[k]), 0)
