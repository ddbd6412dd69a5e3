"""What a piece of evidence is."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from labilis.judge.hand import EndCase, EulerCheck
from labilis.judge.hand.checks_of_member import HandFacts
from labilis.judge.screening import Screened
from labilis.model import Project, Rib
from labilis.results.findings import (
    MemberFindings,
    MeshFindings,
    ModesFindings,
    SettledFindings,
    StrengthFindings,
    StudyFindings,
    TraceFindings,
)

State = Literal["good", "caution", "bad", "not judged"]
# every piece of evidence that there is: what gates, pages and reasons refer to one by
EvidenceName = Literal[
    "Southwell line",
    "all loads together",
    "balance",
    "bolts",
    "centred load",
    "change of temperature",
    "completeness",
    "compression",
    "cross-check",
    "deflection before buckling",
    "edges for faces",
    "effective length",
    "element order",
    "elements per half wave",
    "faces that touch",
    "following pressure",
    "free rigid motion",
    "hand check",
    "held along its length",
    "held loaded direction",
    "held loads",
    "held part",
    "ideal factor as capacity",
    "interacting modes",
    "joints",
    "large against linear",
    "length on the trace",
    "files read whole",
    "loads in no case",
    "material figures",
    "mesh as asked",
    "mesh error",
    "mid-surface",
    "modes under the required factor",
    "narrow walls",
    "negative factors",
    "overall check",
    "plausible factor",
    "proportions",
    "size of the loads",
    "stretch",
    "symmetry",
    "total or each",
    "trace",
    "walls of lines",
    "weight",
    "yield before buckling",
]


# of the driver's bending energy: which of two pieces so near each other is first, meshes decide
NEARLY = 0.9


@dataclass(frozen=True)
class Evidence:
    """One check on a result: name, figure with unit, state, a sentence, and the station where it is
    mended; causes: what else explains it, each in words with the station where that would be
    changed."""

    name: EvidenceName
    figure: str
    unit: str
    state: State
    text: str
    station: str = ""
    causes: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class CaseFacts:
    """Everything known about one load case; parts that have not been run are None. `euler` may be
    the reason in words why there is none. `hand`: what hand checks of members draw on;
    `ends_found`: the
    ends that the supports make, whatever was chosen."""

    project: Project
    case: str
    mesh: MeshFindings | None = None
    strength: StrengthFindings | None = None
    modes: ModesFindings | None = None
    euler: EulerCheck | str | None = None
    required: float = 3.0  # of the piece that drives the first mode
    yield_strength: float | None = None
    trace: TraceFindings | None = None
    members: MemberFindings | None = None
    screened: tuple[Screened, ...] = ()
    hand: HandFacts | None = None
    ends_found: EndCase | None = None
    cross: StudyFindings | None = None
    contact: StudyFindings | None = None
    settled: SettledFindings | None = None

    def required_of(self, driver: str) -> float:
        """Factor that a mode of this driver must reach."""
        known = {piece.name for piece in self.project.pieces}
        return self.project.required_of(driver) if driver in known else self.required

    def required_for(self, mode: int) -> float:
        """Factor that a mode, numbered from 0, must reach: what its driver asks for, and what any
        piece does that bends nearly as much, since which of them is first hangs on the mesh."""
        assert self.modes is not None
        return max(self.required_of(name) for name in self.modes.bending(mode, NEARLY))

    @property
    def yield_error(self) -> float:
        """How far the factor of first yield can be off for its mesh, relative, nan where that is
        not known."""
        return self.modes.yield_error if self.modes is not None else math.nan

    @property
    def capacity_required(self) -> float:
        """Factor that an imperfect part must carry: stated, else half of the required ideal
        factor and at least the service load."""
        stated = self.project.number_if(self.project.criteria, "capacity")
        return max(1.0, self.required / 2.0) if stated is None else stated

    @property
    def without_yield(self) -> list[str]:
        """Pieces that carry load whose material has no yield strength."""
        return [
            piece.name
            for piece in self.project.active_pieces
            if piece.material
            and self.project.named("materials", piece.material).yield_strength is None
        ]

    @property
    def kinds(self) -> list[str]:
        """Kind of each mode; whatever a rib or stiffener does as the driver is a stiffener's
        mode."""
        if self.modes is None:
            return []
        ribs = {
            piece.name
            for piece in self.project.pieces
            if piece.acts_as == "stiffener" or isinstance(piece.recipe, Rib)
        }
        return [
            "stiffener" if driver in ribs else str(kind)
            for kind, driver in zip(self.modes.kinds, self.modes.drivers)
        ]

    def trace_decides(self, driver: str) -> bool:
        """Whether the driver is a closed thin-walled section, of which modes alone say too
        little."""
        return any(
            piece.name == driver and piece.acts_as == "closed section"
            for piece in self.project.pieces
        )

    def meets(self, mode: int) -> bool | None:
        """Whether a mode, numbered from 0, reaches what its driver asks for; None when it is
        negative or the trace decides."""
        assert self.modes is not None
        factor, driver = float(self.modes.factors[mode]), self.modes.drivers[mode]
        if factor < 0 or self.trace_decides(driver):
            return None
        return factor >= self.required_for(mode)
