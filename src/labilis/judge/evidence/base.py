"""What a piece of evidence is."""
from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from labilis.judge.findings import MeshFindings, ModesFindings, StrengthFindings, TraceFindings
from labilis.judge.hand import EulerCheck
from labilis.model import Project

State = Literal["good", "caution", "bad", "not judged"]


@dataclass(frozen=True)
class Evidence:
    """One check on a result: name, figure with unit, state, a sentence, and the station where it is mended."""

    name: str
    figure: str
    unit: str
    state: State
    text: str
    station: str = ""


@dataclass(frozen=True)
class CaseFacts:
    """Everything known about one load case; parts that have not been run are None. `euler` may be the reason in words
    why there is none."""

    project: Project
    case: str
    mesh: MeshFindings | None = None
    strength: StrengthFindings | None = None
    modes: ModesFindings | None = None
    euler: EulerCheck | str | None = None
    required: float = 3.0
    yield_strength: float | None = None
    trace: TraceFindings | None = None
