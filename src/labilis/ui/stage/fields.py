"""What the stage shows on the moving part: values, colours, words, and how far it moves."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from labilis.judge.figures import place_text
from labilis.judge.line_forces import BY_NAME, at_nodes, most_of
from labilis.judge.mesh_display import lever_density, nodal, skin_gain
from labilis.model import shown
from labilis.results.findings import MeshFindings, ModesFindings, StrengthFindings, TraceFindings
from labilis.results.stress_measures import von_mises

WORST, MOVES, ENERGY = "worst side", "movement", "where the energy is"
LEVERS, SKIN, HOLDS = "where thickness helps", "where skin helps", "where a hold helps"
_OUTWARDS = 0.1  # mm, by which the skin is thought to move
PRESSED, PLASTIC = "stress", "plastic strain"
SIDES = (WORST, "top", "middle", "bottom")


@dataclass(frozen=True)
class Field:
    """motion (n, 3) mm or without unit; values (n,) and the `most` they reach; unit, high: words of
    the legend, which starts at 0;
    colours: name of a map of the scene; story: what it is; steady: stands still until played;
        reach: largest motion."""

    motion: np.ndarray
    values: np.ndarray
    most: float
    unit: str
    high: str
    colours: str
    story: str
    steady: bool
    reach: float
    least: float = 0.0
    low: str = "0"


def with_range(field: Field, low: float | None, high: float | None) -> Field:
    """A field whose colours end elsewhere, in the unit of its legend; what lies beyond has the
    colour of the end. As it is where they would not rise."""
    least = field.least if low is None else low
    most = field.most if high is None else high
    if not least < most:
        return field
    return replace(
        field,
        least=least,
        most=most,
        low=field.low if low is None else shown.figure(low, 4),
        high=field.high if high is None else shown.figure(high, 4),
    )


def choices(
    view: str,
    strength: StrengthFindings | None,
    trace: TraceFindings | None = None,
    modes: ModesFindings | None = None,
) -> tuple[str, ...]:
    """What may be chosen to be seen in a view."""
    if view == "Trace" and trace is not None and trace.stress.size:
        return (MOVES, PRESSED, PLASTIC) if trace.yielding else (MOVES, PRESSED)
    if view == "Stress":
        sides = SIDES if strength is not None and strength.layers.size else (WORST,)
        lines = strength is not None and len(strength.line_names) > 0
        return (*sides, *BY_NAME) if lines else sides
    if view != "Mode":
        return (MOVES,)
    return (
        MOVES,
        ENERGY,
        *((LEVERS,) if modes is not None and len(modes.levers) else ()),
        *((SKIN,) if modes is not None and len(modes.skin) else ()),
        *((HOLDS,) if modes is not None and len(modes.holds) else ()),
    )


def stress_field(strength: StrengthFindings, side: str) -> Field:
    """Von Mises stress on one side of the shells, or on the worst, and on solids."""
    values = von_mises(strength.stress) if side == WORST else strength.layers[SIDES.index(side) - 1]
    values = values / shown.per("stress")
    motion, most = strength.displacement_growing + strength.displacement_held, float(values.max())
    words = "von Mises stress" + (
        ""
        if side == WORST
        else f", {side} of the shells"
        if side != "middle"
        else ", middle (membrane)"
    )
    return Field(
        motion,
        values,
        most,
        f"{words}, {shown.unit('stress')}",
        shown.figure(most, 3),
        "stress",
        f"moves {shown.length(strength.max_displacement, 3)} at most",
        True,
        float(np.linalg.norm(motion, axis=1).max()),
    )


def line_field(mesh: MeshFindings, strength: StrengthFindings, name: str) -> Field:
    """What lines carry, on the lines themselves; its diagram stands beside them. Still."""
    what = BY_NAME[name]
    scale = shown.per(what.kind)
    value, member = most_of(strength, what)
    most = max(abs(value) / scale, 1e-300)
    figure = shown.figure(most, 3)
    return Field(
        np.zeros_like(mesh.nodes),
        at_nodes(strength, what, len(mesh.nodes)) / scale,
        most,
        f"{what.symbol} ({what.words}), {shown.unit(what.kind)}",
        figure,
        "gain",
        f"largest in {member}",
        True,
        1.0,
        -most,
        f"−{figure}",
    )


def mode_field(
    mesh: MeshFindings, modes: ModesFindings, mode: int, what: str, title: str = ""
) -> Field:
    """A mode's movement, or the energy it stores per volume."""
    shape = modes.shapes[mode]
    story = f"{title or f'mode {mode + 1}'}: factor {float(modes.factors[mode]):.4g}"
    if what == ENERGY:
        energy = nodal(mesh, modes.energy[mode])
        most = float(
            np.quantile(energy, 0.98)
        )  # one hot corner would leave the rest without colour
        return Field(
            shape,
            energy,
            most,
            "energy per volume, relative, no unit",
            f"{most:.2g} or more",
            "movement",
            story,
            False,
            1.0,
        )
    if what == LEVERS and mode < len(modes.levers):
        return lever_field(mesh, modes, mode, story)
    if what == SKIN and mode < len(modes.skin):
        return skin_field(mesh, modes, mode, story)
    if what == HOLDS and mode < len(modes.holds):
        return hold_field(mesh, modes, mode, story)
    return Field(
        shape,
        np.linalg.norm(shape, axis=1),
        1.0,
        "movement, relative, no unit",
        "1",
        "movement",
        story,
        False,
        1.0,
    )


def lever_field(mesh: MeshFindings, modes: ModesFindings, mode: int, story: str) -> Field:
    """Rise of the factor, in per cent, per per cent of thickness: of each shell as if the whole
    part were like it (its own share over its share of the area), so that 3 is what an evenly
    thickened plate gains in bending."""
    values = nodal(mesh, lever_density(mesh, modes.levers[mode]))
    most = max(float(np.quantile(np.abs(values), 0.98)), 1e-12)
    whole = float(modes.levers[mode].sum())
    return Field(
        modes.shapes[mode],
        values,
        most,
        "gain in % per % of thickness",
        f"{most:.2g} or more",
        "gain",
        f"{story.partition(':')[0]}, all 1 % thicker: {whole:+.2g} %",
        True,
        1.0,
        -most,
        f"−{most:.2g}",
    )


def skin_field(mesh: MeshFindings, modes: ModesFindings, mode: int, story: str) -> Field:
    """Rise of the factor, in per cent, per 0.1 mm by which the skin of a solid moves outwards: of
    each place as if all of the skin were like it. Nought where the skin is held, tied or loaded."""
    values, whole = skin_gain(mesh, 100.0 * modes.skin[mode], _OUTWARDS)
    most = max(
        float(np.quantile(np.abs(values[values != 0]), 0.98)) if (values != 0).any() else 0.0, 1e-12
    )
    return Field(
        modes.shapes[mode],
        values,
        most,
        f"gain in % per {shown.length(_OUTWARDS, 2)} of skin",
        f"{most:.2g} or more",
        "gain",
        f"all of it {shown.length(_OUTWARDS, 2)} outwards: {whole:+.2g} %",
        True,
        1.0,
        -most,
        f"−{most:.2g}",
    )


def hold_field(mesh: MeshFindings, modes: ModesFindings, mode: int, story: str) -> Field:
    """Rise of the factor, in per cent, per 1 N/mm of a spring that holds the part at a point
    along the mode's motion there."""
    size = np.linalg.norm(modes.shapes[mode], axis=1)
    gain = 100.0 * modes.holds[mode] / float(modes.factors[mode]) * shown.per("stiffness")
    best = int(size.argmax())
    return Field(
        modes.shapes[mode],
        gain * size**2,
        max(gain, 1e-300),
        f"gain in % per {shown.unit('stiffness')} of a hold",
        f"{gain:.3g}",
        "movement",
        f"{story.partition(':')[0]}, best at ({place_text(mesh.nodes[best])}) "
        f"{shown.unit('length')}",
        True,
        1.0,
    )


def trace_field(mesh: MeshFindings, trace: TraceFindings, what: str = MOVES) -> Field:
    """The last shape of a trace, coloured by its movement, or by the largest stress or plastic
    strain of each element; the legend reaches to the most along the path."""
    last = trace.motions[-1]
    reach = float(np.linalg.norm(last, axis=1).max())
    story = "trace"
    values = trace_values(mesh, trace, what, len(trace.motions) - 1)
    if what == PRESSED:
        most = float(max(nodal(mesh, row).max() for row in trace.stress)) / shown.per("stress")
        return Field(
            last,
            values,
            most,
            f"von Mises stress, {shown.unit('stress')}",
            shown.figure(most, 3),
            "stress",
            story,
            True,
            reach,
        )
    if what == PLASTIC:
        most = 100 * float(max(nodal(mesh, row).max() for row in trace.strain)) or 1e-9
        return Field(
            last, values, most, "plastic strain, %", f"{most:.2g}", "stress", story, True, reach
        )
    most = reach / shown.per("length")
    return Field(
        last,
        values,
        most,
        f"movement, {shown.unit('length')}",
        shown.figure(most, 3),
        "movement",
        story,
        True,
        reach,
    )


def drawn_words(scale: float) -> str:
    """How much larger or smaller than it is a movement is drawn."""
    return "drawn at its true size" if abs(scale - 1.0) < 1e-3 else f"drawn × {scale:.3g}"


def trace_values(mesh: MeshFindings, trace: TraceFindings, what: str, frame: int) -> np.ndarray:
    """Values (n,) of one of the shapes kept: movement, stress in the units shown, or plastic
    strain in per cent."""
    if what == MOVES:
        return np.asarray(np.linalg.norm(trace.motions[frame], axis=1)) / shown.per("length")
    return (
        nodal(mesh, trace.stress[frame]) / shown.per("stress")
        if what == PRESSED
        else 100 * nodal(mesh, trace.strain[frame])
    )


def spot_words(field: Field, mesh: MeshFindings, node: int) -> tuple[str, str]:
    """What the field is at a node: ('123 MPa', 'moves 0.12 mm; at (1, 2, 3) mm')."""
    place, mm = place_text(mesh.nodes[node]), shown.unit("length")
    name, _, unit = field.unit.partition(", ")
    last = field.unit.rpartition(", ")[2]
    value = shown.figure(float(field.values[node]), 3)
    if name.startswith("gain in % per "):
        return f"{value} % per {name.removeprefix('gain in % per ')}", f"at ({place}) {mm}"
    if field.steady and not field.motion.any():
        return f"{name} {value} {last}", f"at ({place}) {mm}"
    if field.steady and name != "movement":
        moves = (
            f"moves {shown.length(float(np.linalg.norm(field.motion[node])), 3)}; at ({place}) {mm}"
        )
        return f"{name} {value} {'%' if unit.endswith('%') else shown.unit('stress')}", moves
    return f"{name} {value}{f' {mm}' if unit == mm else ', of the largest'}", f"at ({place}) {mm}"


def colour_map(field: Field) -> Any:
    """The scene's colours of a field."""
    from labilis.ui.stage.scene import colours_of

    return colours_of(field.colours)
