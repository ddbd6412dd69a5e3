"""What lines carry along their members: direct force, shear, torsion, bending and the stress that
comes of it, as tables, curves and diagrams beside the members.

Axes of a section: y and z are its principal axes, My is about the strong one. Signs: Nx draws; My
and Mz put tension on the side of positive z and of negative y; shear and torsion are those that the
part behind a cut puts on the one before it. A diagram of bending is drawn where the tension is.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from labilis.model import Project, shown
from labilis.results.findings import StrengthFindings

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Carried:
    """One thing that lines carry: symbol and words; kind of quantity; column in the findings, -1
    for the largest direct stress; the axis (1 y, 2 z) that its diagram is drawn along, and the sign
    with which."""

    symbol: str
    words: str
    kind: str
    column: int
    axis: int
    sign: float = 1.0

    @property
    def name(self) -> str:
        """'Nx, direct force'."""
        return f"{self.symbol}, {self.words}"


CARRIED = (
    Carried("Nx", "direct force", "force", 0, 2),
    Carried("Vz", "shear", "force", 2, 2),
    Carried("My", "bending", "moment", 4, 2),
    Carried("Vy", "shear", "force", 1, 1),
    Carried("Mz", "bending", "moment", 5, 1, -1.0),
    Carried("T", "torsion", "moment", 3, 2),
    Carried("σ", "largest direct stress", "stress", -1, 2),
)
BY_NAME = {item.name: item for item in CARRIED}


def at_ends(strength: StrengthFindings, what: Carried) -> Floats:
    """(i, 2) at both ends of each line element under the service load, N, N mm or MPa; of stress
    the one that is larger in size, with its sign."""
    if what.column >= 0:
        whole = strength.line_growing + strength.line_held
        force = float(np.abs(whole[:, :, :3]).max(initial=0.0))
        moment = float(np.abs(whole[:, :, 3:6]).max(initial=0.0))
        # what rounding leaves of nought: of forces, and of forces over an arm of a micrometre
        least = 1e-9 * force if what.kind == "force" else max(1e-9 * moment, 1e-6 * force)
        values = whole[:, :, what.column]
        return np.asarray(np.where(np.abs(values) < least, 0.0, values))
    high, low = strength.line_stress[:, :, 0], strength.line_stress[:, :, 1]
    return np.asarray(np.where(np.abs(high) >= np.abs(low), high, low))


@dataclass(frozen=True)
class Along:
    """A member: its name, stations (k,) mm from its start, values (k, c) of CARRIED; two stations
    at one place where a value jumps."""

    name: str
    station: Floats
    values: Floats


def along_members(strength: StrengthFindings, nodes: Floats) -> tuple[Along, ...]:
    """Every line member in its own order, of nodes (n, 3) mm."""
    if not len(strength.line_names):
        return ()
    values = np.stack([at_ends(strength, what) for what in CARRIED], axis=2)
    ends = nodes[strength.line_nodes]
    found = []
    for name in dict.fromkeys(str(item) for item in strength.line_names):
        rows = np.flatnonzero(strength.line_names == name)
        axis = strength.line_axes[rows[0], 0]
        place = (ends[rows] - ends[rows[0], 0]) @ axis
        order = np.argsort(place[:, 0], kind="stable")
        rows, place = rows[order], place[order]
        found.append(
            Along(name, (place - place.min()).ravel(), values[rows].reshape(-1, len(CARRIED)))
        )
    return tuple(found)


def largest(member: Along, column: int) -> tuple[float, float]:
    """(value that is largest in size, mm from the start where it is)."""
    row = int(np.abs(member.values[:, column]).argmax())
    return float(member.values[row, column]), float(member.station[row])


def most_of(strength: StrengthFindings, what: Carried) -> tuple[float, str]:
    """(value that is largest in size anywhere, its member)."""
    values = at_ends(strength, what)
    row = int(np.abs(values).max(axis=1).argmax())
    return float(max(values[row], key=abs)), str(strength.line_names[row])


def at_nodes(strength: StrengthFindings, what: Carried, count: int) -> Floats:
    """(count,) at the nodes of a mesh, of all ends that meet there the largest in size, with its
    sign; nought where no line is."""
    values, nodes = at_ends(strength, what).ravel(), strength.line_nodes.ravel()
    order = np.argsort(np.abs(values), kind="stable")
    found = np.zeros(count)
    found[nodes[order]] = values[order]  # of a node named again the last one stays
    return found


def diagram(
    strength: StrengthFindings, nodes: Floats, what: Carried, height: float
) -> tuple[Floats, Floats]:
    """(corners (i, 4, 3) mm of each element's part of a diagram whose largest ordinate is `height`
    mm, values (i, 4) at them)."""
    values = at_ends(strength, what)
    most = float(np.abs(values).max(initial=0.0))
    offset = what.sign * height * values / (most if most > 0 else 1.0)
    base = nodes[strength.line_nodes]
    side = strength.line_axes[:, what.axis]
    raised = base + offset[:, :, None] * side[:, None]
    corners = np.stack([base[:, 0], base[:, 1], raised[:, 1], raised[:, 0]], axis=1)
    return corners, values[:, [0, 1, 1, 0]]


def heads() -> tuple[str, ...]:
    """Heads of `table`, with the units that are shown."""
    return (
        "member",
        *(f"{item.symbol}, {shown.unit(item.kind)}" for item in CARRIED),
        "of yield",
    )


def yield_of(project: Project, member: str) -> float | None:
    """Yield strength (MPa) of a member's material, None where none is stated."""
    name = project.named("pieces", project.piece_of(member)).material
    material = project.named("materials", name) if name else None
    return None if material is None else project.number_if(material, "yield_strength")


def table(
    project: Project, members: Sequence[Along]
) -> tuple[tuple[tuple[str, float | None], ...], ...]:
    """What stands under `heads` of each member, what is largest in size: (words, the figure in N,
    N mm or MPa)."""
    rows = []
    for member in members:
        cells: list[tuple[str, float | None]] = [(member.name, None)]
        for column, what in enumerate(CARRIED):
            value, _ = largest(member, column)
            cells.append((shown.figure(shown.value(value, what.kind), 3), value))
        strength_of = yield_of(project, member.name)
        stress = abs(largest(member, len(CARRIED) - 1)[0])
        cells.append(
            (f"{100 * stress / strength_of:.3g} %", stress / strength_of)
            if strength_of
            else ("no yield strength", None)
        )
        rows.append(tuple(cells))
    return tuple(rows)
