"""What the runs found, as plain arrays with names where the user gave names. N, mm, MPa."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray

from labilis.model import RESPONSES
from labilis.results.array_shapes import Dims, Findings

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Texts = NDArray[np.str_]

# mean square that the normals of a flat face may vary by, through rounding and warped corners
_FLAT = 1e-4


@dataclass(frozen=True, kw_only=True)
class MeshFindings(Findings):
    """A mesh as the window and the tables need it.

    nodes (n, 3) mm; connectivity (total,): nodes of element after element; sizes (m,) how many each
    has, two in a line element; shells (m,) whether it is a shell; body (m,) number in `bodies`
    (b,); triangles (k, 3 or 6) of the surface, outward, -1 for missing mid-sides;
    triangle_face (k,); shape (m,): shape quality 0 to 1; histogram (10,); mean_edge, thickness mm;
    volume mm³; straightened: elements with sides made straight; size mm asked for; unknowns before
    supports; bonded (p, 3): pairs of bodies joined by bonded nodes, and how many; sheet_faces:
    numbers of the CAD faces that are sheets; deviation: relative difference between the volume of
    an imported thin solid and of the mid-surface made of it; missed (p, 2): pairs of bodies that
    touch where all nodes are bonded to others already; quads (q, 8): sides of hexahedra and wedges
    on the surface, corners, then mid-sides; of_quad (k,): the one that a triangle is cut from, -1
    for none; fused (f, 3): pairs of bodies with nodes in common, and how many. Of the joints,
    bonded ones first: joint_reach (p + f, 2) mm along and across, joint_turns (p + f,): turns are
    carried too, joint_area (p,) mm² tied, joint_gap (p,) mm of open room; near (q, 2): pairs that
    come near without touching, near_gap (q,) mm; told: what the mesher did in another way than
    asked; segments (s, 2 or 3): sides of elements along CAD edges, ends and then the middle or -1;
    segment_edge (s,);
    narrow: least width of a wall of an imported solid as shells over the thickness of one that it
    meets at an angle, 0 without; missing: what of imported files did not come out."""

    nodes: Annotated[Floats, Dims("n", 3)]
    connectivity: Annotated[Ints, Dims("total")]
    sizes: Annotated[Ints, Dims("m")]
    shells: Annotated[NDArray[np.bool_], Dims("m")]
    body: Annotated[Ints, Dims("m")]
    bodies: Annotated[Texts, Dims("b")]
    triangles: Annotated[Ints, Dims("k", (3, 6))]
    triangle_face: Annotated[Ints, Dims("k")]
    shape: Annotated[Floats, Dims("m")]
    histogram: Annotated[Ints, Dims(10)]
    mean_edge: float
    thickness: float
    volume: float
    straightened: int
    size: float
    unknowns: int
    bonded: Annotated[Ints, Dims("p", 3)]
    sheet_faces: Annotated[Ints, Dims("s")]
    deviation: float
    missed: Annotated[Ints, Dims("missed", 2)]
    quads: Annotated[Ints, Dims("q", 8)]
    of_quad: Annotated[Ints, Dims("k")]
    fused: Annotated[Ints, Dims("f", 3)] = field(
        default_factory=lambda: np.zeros((0, 3), dtype=np.int64)
    )
    joint_reach: Annotated[Floats, Dims("j", 2)] = field(default_factory=lambda: np.zeros((0, 2)))
    joint_turns: Annotated[NDArray[np.bool_], Dims("j")] = field(
        default_factory=lambda: np.zeros(0, dtype=bool)
    )
    joint_area: Annotated[Floats, Dims("p")] = field(default_factory=lambda: np.zeros(0))
    joint_gap: Annotated[Floats, Dims("p")] = field(default_factory=lambda: np.zeros(0))
    near: Annotated[Ints, Dims("near", 2)] = field(
        default_factory=lambda: np.zeros((0, 2), dtype=np.int64)
    )
    near_gap: Annotated[Floats, Dims("near")] = field(default_factory=lambda: np.zeros(0))
    told: Annotated[Texts, Dims("told")] = field(default_factory=lambda: np.zeros(0, dtype=str))
    segments: Annotated[Ints, Dims("e", (2, 3))] = field(
        default_factory=lambda: np.zeros((0, 2), dtype=np.int64)
    )
    segment_edge: Annotated[Ints, Dims("e")] = field(
        default_factory=lambda: np.zeros(0, dtype=np.int64)
    )
    narrow: float = 0.0
    missing: Annotated[Texts, Dims("missing_files")] = field(
        default_factory=lambda: np.zeros(0, dtype=str)
    )

    @property
    def count(self) -> int:
        """Number of elements."""
        return len(self.sizes)

    @cached_property
    def face_rounding(self) -> tuple[Floats, Floats]:
        """(area (f,) mm², radius (f,) mm) of the surface by CAD face, of no faces without one; the
        radius is that of the round face or ball that fits best, nought for a flat face: places x
        and normals n vary together, R = Σ (x - x̄)·(n - n̄) / Σ |n - n̄|², of a cylinder and a ball
        exactly."""
        if len(self.triangles) == 0:
            return np.zeros(0), np.zeros(0)
        corners = self.nodes[self.triangles[:, :3]]
        cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        area = np.linalg.norm(cross, axis=1)
        place, normal = corners.mean(axis=1), cross / np.maximum(area, 1e-300)[:, None]
        face, count = self.triangle_face, int(self.triangle_face.max()) + 1

        def sums(values: Floats) -> Floats:
            found = np.bincount(face, weights=area * values, minlength=count)
            return np.asarray(found, dtype=np.float64)

        def means(vectors: Floats) -> Floats:
            total = np.stack([sums(vectors[:, axis]) for axis in range(3)], axis=1)
            return total[face] / whole[face, None]

        whole = np.maximum(sums(np.ones(len(area))), 1e-300)
        away, turned = place - means(place), normal - means(normal)
        spread = sums((turned * turned).sum(axis=1))
        radius = np.abs(sums((away * turned).sum(axis=1))) / np.maximum(spread, 1e-300)
        return whole, np.where(spread > _FLAT * whole, radius, 0.0)

    @property
    def order(self) -> int:
        """1 if there are solids of first order, otherwise 2."""
        return 1 if bool(((self.sizes == 4) & ~self.shells).any()) else 2

    @property
    def has_solids(self) -> bool:
        """Any solid element."""
        return bool((~self.shells & (self.sizes > 2)).any())

    @property
    def lines(self) -> Ints:
        """Line elements (m, 2)."""
        starts = np.concatenate([[0], np.cumsum(self.sizes)[:-1]])
        return np.asarray(self.connectivity[starts[self.sizes == 2][:, None] + np.arange(2)])

    def groups(self) -> list[tuple[bool, Ints]]:
        """(are shells, elements (m, k)) for each kind."""
        starts = np.concatenate([[0], np.cumsum(self.sizes)[:-1]])
        found = []
        for shell in (False, True):
            for size in np.unique(self.sizes[self.shells == shell]):
                rows = np.flatnonzero((self.sizes == size) & (self.shells == shell))
                found.append((shell, self.connectivity[starts[rows][:, None] + np.arange(size)]))
        return found

    @property
    def words(self) -> str:
        """'2,951 quadrilaterals and 52 triangles', '4,120 second-order tetrahedra'."""
        names = {
            (True, 4): "quadrilaterals",
            (True, 3): "triangles",
            (False, 4): "first-order tetrahedra",
            (False, 2): "line elements",
            (False, 10): "second-order tetrahedra",
            (False, 20): "hexahedra",
            (False, 15): "wedges",
        }
        parts = [
            f"{len(elements):,} {names[shell, elements.shape[1]]}"
            for shell, elements in reversed(self.groups())
        ]
        return ", ".join(parts[:-1]) + (" and " if len(parts) > 1 else "") + parts[-1]


@dataclass(frozen=True, kw_only=True)
class StrengthFindings(Findings):
    """Linear static answer of one load case, for the growing and the held part of the loads each by
    itself.

    displacement_* (n, 3) mm; stress_* (n, 6) MPa at nodes, of shells on the side where the service
    load's is larger; layers (3, n) von Mises stress under the service load at top, middle and
    bottom, empty without shells; applied (2, 6): force N and moment N mm about the origin of the
    growing and the held loads; reaction (s, 2, 6): the same for each support in `supports`,
    spring_reaction (t, 2, 6) for each spring to ground in `springs`;
    swallowed (l,): share of each load in `loads` that acts straight on held motions; grips (s, 6,
    6): for each support, what it holds of rigid motion about its centre, as Cᵀ C with turns scaled
    by its radius; centres (s, 3); radii (s,) mm; reach (s, 2): extent along the long axis;
    load_station (l,): where each load acts along the long axis, mm; axial (2,): compression in the
    part at mid length, N, growing and held; residual: of the solution, relative; yield_factor (inf
    without yield strength or stress), yield_node,
    yield_body: where; growing_size N: sum of the sizes of the growing forces, whatever their
    directions; load_sizes (l,) N: the same for each load; moment_sizes (l,) N mm: sum of the sizes
    of the moments that each load puts on nodes that turn. peak: what the most stressed point is
    within a wall of ('' for nothing: the wall itself yields there); wall_factor, wall_node: the
    same as yield_factor and yield_node without all such peaks, nan and -1 where none were looked
    for; section_factor: the same, and farther than a wall from the border of each joint. Of bolts,
    a row for each plane between two pieces: bolts (b,) names; bolt_pieces (b, 2); bolt_depths
    (b, 2), bolt_bores (b, 2)
    mm: depth and diameter of the bores beside it; bolt_axes (b, 3) from the first piece to the
    second; bolt_growing, bolt_held (b, 6): force N and moment N mm with which the second piece
    draws on the bolt there. Of line elements, by members: line_names (i,), line_nodes (i, 2),
    line_axes (i, 3, 3) along the element and along the section's principal axes y and z;
    line_growing, line_held (i, 2, 7): N, Vy, Vz, T, My, Mz and bimoment at both ends, N, N mm and N
    mm² (see `judge.line_forces`); line_stress (i, 2, 2) MPa: largest and smallest direct stress of
    the section there under the service load.
    """

    case: str
    displacement_growing: Annotated[Floats, Dims("n", 3)]
    displacement_held: Annotated[Floats, Dims("n", 3)]
    stress_growing: Annotated[Floats, Dims("n", 6)]
    stress_held: Annotated[Floats, Dims("n", 6)]
    applied: Annotated[Floats, Dims(2, 6)]
    supports: Annotated[Texts, Dims("s")]
    reaction: Annotated[Floats, Dims("s", 2, 6)]
    loads: Annotated[Texts, Dims("l")]
    swallowed: Annotated[Floats, Dims("l")]
    grips: Annotated[Floats, Dims("s", 6, 6)]
    centres: Annotated[Floats, Dims("s", 3)]
    radii: Annotated[Floats, Dims("s")]
    reach: Annotated[Floats, Dims("s", 2)]
    load_station: Annotated[Floats, Dims("l")]
    axial: Annotated[Floats, Dims(2)]
    residual: float
    yield_factor: float
    yield_node: int
    compression_share: float
    growing_size: float
    layers: Annotated[Floats, Dims(3, "n")]
    yield_body: str
    load_sizes: Annotated[Floats, Dims("l")]
    moment_sizes: Annotated[Floats, Dims("l")] = field(default_factory=lambda: np.zeros(0))
    springs: Annotated[Texts, Dims("t")] = field(default_factory=lambda: np.zeros(0, dtype="U1"))
    spring_reaction: Annotated[Floats, Dims("t", 2, 6)] = field(
        default_factory=lambda: np.zeros((0, 2, 6))
    )
    peak: str = ""
    wall_factor: float = float("nan")
    wall_node: int = -1
    section_factor: float = float("nan")
    bolts: Annotated[Texts, Dims("b")] = field(default_factory=lambda: np.zeros(0, dtype="U1"))
    bolt_pieces: Annotated[Texts, Dims("b", 2)] = field(
        default_factory=lambda: np.zeros((0, 2), dtype="U1")
    )
    bolt_depths: Annotated[Floats, Dims("b", 2)] = field(default_factory=lambda: np.zeros((0, 2)))
    bolt_bores: Annotated[Floats, Dims("b", 2)] = field(default_factory=lambda: np.zeros((0, 2)))
    bolt_axes: Annotated[Floats, Dims("b", 3)] = field(default_factory=lambda: np.zeros((0, 3)))
    bolt_growing: Annotated[Floats, Dims("b", 6)] = field(default_factory=lambda: np.zeros((0, 6)))
    bolt_held: Annotated[Floats, Dims("b", 6)] = field(default_factory=lambda: np.zeros((0, 6)))
    line_names: Annotated[Texts, Dims("i")] = field(default_factory=lambda: np.zeros(0, dtype="U1"))
    line_nodes: Annotated[Ints, Dims("i", 2)] = field(
        default_factory=lambda: np.zeros((0, 2), dtype=np.int64)
    )
    line_axes: Annotated[Floats, Dims("i", 3, 3)] = field(
        default_factory=lambda: np.zeros((0, 3, 3))
    )
    line_growing: Annotated[Floats, Dims("i", 2, 7)] = field(
        default_factory=lambda: np.zeros((0, 2, 7))
    )
    line_held: Annotated[Floats, Dims("i", 2, 7)] = field(
        default_factory=lambda: np.zeros((0, 2, 7))
    )
    line_stress: Annotated[Floats, Dims("i", 2, 2)] = field(
        default_factory=lambda: np.zeros((0, 2, 2))
    )

    @property
    def strength_factor(self) -> float:
        """Factor at which the wall yields: first yield but for peaks of the idealisation."""
        return (
            self.yield_factor
            if np.isnan(self.wall_factor) or np.isnan(self.yield_factor)
            else self.wall_factor
        )

    @property
    def holding(self) -> list[tuple[str, Floats]]:
        """(name, force and moment (6,) on the part under the service load) of each support and
        each spring to ground."""
        names = [*self.supports, *self.springs]
        both = np.concatenate([self.reaction, self.spring_reaction]).sum(axis=1)
        return [(str(name), row) for name, row in zip(names, both)]

    @property
    def sections_yield(self) -> float:
        """Factor at which a section yields, away from the toes of joints as well; where none does,
        that at which the walls do."""
        return self.section_factor if np.isfinite(self.section_factor) else self.strength_factor

    @property
    def max_displacement(self) -> float:
        """Largest displacement under the service load, mm."""
        return float(
            np.linalg.norm(self.displacement_growing + self.displacement_held, axis=1).max()
        )

    @property
    def stress(self) -> Floats:
        """Stress (n, 6) under the service load, MPa."""
        return self.stress_growing + self.stress_held


@dataclass(frozen=True, kw_only=True)
class ModesFindings(Findings):
    """Modes of one load case.

    factors (k,), positive ones first by size; shapes (k, n, 3) without unit, largest motion 1;
    residuals (k,) relative in the energy norm; checks (c, 3): sigma, counted, found of each pivot
    count; below_required: factors under the required one by pivot count, -1 when not counted;
    limit: factor beyond which an answer means nothing (elastic stress a tenth of Young's modulus);
    growing_force N: size of the growing resultant, 0 when the loads balance themselves;
    held_unstable: the part goes unstable under the held loads alone; second_opinion: first factor
    with the deflection before buckling, nan when it was not asked for; unsymmetric: part of the
    load stiffness of following pressure that was left out because it is not symmetric, relative to
    the rest; shares (k, p): share of the strain energy of each of `pieces` (p,), bending and twist
    of shells, all of solids; parts (k, 5): how a mode's energy splits into bulk (solids), membrane,
    bending, twist and shear; energy (k, m): energy per volume of each element over the largest;
    levers (j, m),
    piece_levers (j, p): relative rise of the first j factors per relative rise of the thickness of
    an element or a piece of shells (self-weight's own change left out), empty without shells;
    antisymmetric: least factor of the modes that planes of symmetry hide, nan without planes,
    infinite when there is none, 0 when nothing holds the whole part that way; pull (k,) mm: how
    much of the shape the loads bend by themselves at the factor, linear; skew (k,) 1/mm: relative
    rise of the factor per mm of the shape just after buckling: where it is not nought the part is
    weaker to one side; mesh_error (k,): how far each factor can be off for its mesh, relative, nan
    where that was not found; holds (k,) mm/N: how much the factor rises per stiffness of a spring
    that holds the part where the shape moves most, along its motion there; elsewhere times the
    square of the shape's motion; together: first factor where the held loads grow as well, nan
    where none is held or none exists; recovered (k,): what the jumps of stress between elements say
    of each factor's error, relative; skin (j, n) 1/mm³: relative rise of the first j factors per mm
    by which the skin of a solid moves outwards, per mm² of it, at the nodes, nought where it is
    held, tied or loaded; empty without solids; yield_error: how far the factor of first yield can
    be off for its mesh, relative, nan where that was not found; section_error: the same of that at
    which sections yield; twists (k, l) 1/mm: turn of each
    element of lines about its own axis, in the blocks' order, beside the shape; widest (k,):
    largest motion of a point of any line's section beside the shape's largest, at least one. What
    only twists has a shape of noughts, and a largest motion of one at its sections' points.
    distorted (k,): share of a mode's motion, root mean square, that distorts the section of its
    driver, nought on lines.
    """

    case: str
    factors: Annotated[Floats, Dims("k")]
    shapes: Annotated[Floats, Dims("k", "n", 3)]
    residuals: Annotated[Floats, Dims("k")]
    checks: Annotated[Floats, Dims("c", 3)]
    below_required: int
    limit: float
    growing_force: float
    held_unstable: bool
    kinds: Annotated[Texts, Dims("k")]
    second_opinion: float
    unsymmetric: float
    pieces: Annotated[Texts, Dims("p")]
    shares: Annotated[Floats, Dims("k", "p")]
    parts: Annotated[Floats, Dims("k", 5)]
    energy: Annotated[Floats, Dims("k", "m")]
    levers: Annotated[Floats, Dims("j", "m")]
    piece_levers: Annotated[Floats, Dims("j", "p")]
    antisymmetric: float
    pull: Annotated[Floats, Dims("k")] = field(default_factory=lambda: np.zeros(0))
    skew: Annotated[Floats, Dims("k")] = field(default_factory=lambda: np.zeros(0))
    mesh_error: Annotated[Floats, Dims("k")] = field(default_factory=lambda: np.zeros(0))
    holds: Annotated[Floats, Dims("k")] = field(default_factory=lambda: np.zeros(0))
    together: float = math.nan
    recovered: Annotated[Floats, Dims("k")] = field(default_factory=lambda: np.zeros(0))
    skin: Annotated[Floats, Dims("i", "n")] = field(default_factory=lambda: np.zeros((0, 0)))
    yield_error: float = math.nan
    section_error: float = math.nan
    twists: Annotated[Floats, Dims("k", "l")] = field(default_factory=lambda: np.zeros((0, 0)))
    widest: Annotated[Floats, Dims("k")] = field(default_factory=lambda: np.zeros(0))
    distorted: Annotated[Floats, Dims("k")] = field(default_factory=lambda: np.zeros(0))

    @property
    def first_error(self) -> float:
        """How far the least positive factor can be off for its mesh, relative: its own mesh error,
        or what another mode, known less well, could come to lie under it; nan when not known.

        A local mode on a coarse mesh comes out stiff, above an overall one that is told well: a
        tube of solids 10 mm wide told 93.7 within 13 %, with the mode that fails it at 93.72 within
        132 %, and goes at 71."""
        if len(self.positive) == 0 or len(self.mesh_error) != len(self.factors):
            return float("nan")
        first, own = self.factors[self.first], float(self.mesh_error[self.first])
        known = (self.factors > 0) & np.isfinite(self.mesh_error)
        if not math.isfinite(own):
            return own
        lowest = float((self.factors[known] / (1.0 + self.mesh_error[known])).min())
        return max(own, 1.0 - lowest / first)

    @property
    def least_known(self) -> int:
        """Number, from 0, of the mode that says how far the least positive factor can be off."""
        if math.isnan(self.first_error):
            return self.first
        own = float(self.mesh_error[self.first])
        if self.first_error <= own:
            return self.first
        known = (self.factors > 0) & np.isfinite(self.mesh_error)
        return int(np.where(known, self.factors / (1.0 + self.mesh_error), np.inf).argmin())

    @property
    def first(self) -> int:
        """Number, from 0, of the mode of the least positive factor, of which there must be one."""
        return int(np.where(self.factors > 0, self.factors, np.inf).argmin())

    @property
    def drivers(self) -> list[str]:
        """For each mode the piece that stores most of its bending energy (all of its energy in
        solids)."""
        return (
            [str(self.pieces[k]) for k in self.shares.argmax(axis=1)]
            if len(self.pieces)
            else [""] * len(self.factors)
        )

    def bending(self, mode: int, share: float) -> list[str]:
        """Pieces that bend at least so large a share of what the driver of a mode, numbered from
        0, does; the driver among them."""
        if not len(self.pieces):
            return [self.drivers[mode]]
        shares = self.shares[mode]
        return [
            str(self.pieces[k])
            for k in np.flatnonzero((shares >= share * shares.max()) & (shares > 0))
        ] or [self.drivers[mode]]

    @property
    def complete(self) -> bool:
        """Every pivot count agrees with what was found."""
        return bool(len(self.checks) == 0 or (self.checks[:, 1] == self.checks[:, 2]).all())

    @property
    def positive(self) -> Floats:
        """Positive factors, rising."""
        return np.sort(self.factors[self.factors > 0])


# what keeps a trace from being verified any further; its end where nothing else does
Verified = Literal["limit", "line yield", "first yield", "bifurcation", "end"]
_VERIFIED: dict[Verified, str] = {
    "limit": "its limit",
    "line yield": "what a line carries elastically",
    "first yield": "first yield",
    "bifurcation": "a bifurcation",
    "end": "where it ended",
}


@dataclass(frozen=True, kw_only=True)
class TraceFindings(Findings):
    """The imperfect part followed along its path.

    mode, amplitude mm (with its sign): the starting shape; ideal: first factor of the perfect part,
    nan without; factors (s,) of the converged points, the unloaded one first; largest (s,) mm:
    largest motion; probe (s,) mm: motion of the point that the mode moves most; iterations,
    negative (s,): of each point, and the negative pivots of its tangent; peak (s,) MPa: largest von
    Mises stress; frame (f,): points whose shapes are kept in motions (f, n, 3) mm; limit: largest
    factor when the path falls after it, else nan; first_yield: nan when nothing yields; verified:
    the limit, or the largest factor reached, of an elastic trace the first yield if that is less;
    reason in words, '' while it runs; done: False while it runs; plastic (s,): largest equivalent
    plastic strain;
    yielding: whether the material could yield; force (s,) N: size of the growing load, or what
    prescribed motions need; about_at: factor of the loaded state about which modes were found, nan
    when they were not asked for; about (k,): their factors, in all; places (p,): regions and hubs
    that are followed; probes (s, p, 4): their mean motion in x, y, z, mm, and how far a hub has
    turned, degrees, nan for regions; stress (f, m) MPa, strain (f, m): largest von Mises stress and
    plastic strain of the mesh's elements in the shapes kept;
    bifurcation: factor up to which a rising path was stable, nan where it was stable all the way;
    elastic_yield: where the material yields, the factor at which what stays elastic all the same
    (lines with slim walls) first reaches its yield strength, or the shear of a line half of what
    yields in shear, nan where nothing does: nothing is verified beyond.
    """

    case: str
    mode: int
    amplitude: float
    ideal: float
    factors: Annotated[Floats, Dims("s")]
    largest: Annotated[Floats, Dims("s")]
    probe: Annotated[Floats, Dims("s")]
    iterations: Annotated[Ints, Dims("s")]
    negative: Annotated[Ints, Dims("s")]
    peak: Annotated[Floats, Dims("s")]
    frame: Annotated[Ints, Dims("f")]
    motions: Annotated[Floats, Dims("f", "n", 3)]
    limit: float
    first_yield: float
    verified: float
    reason: str
    cut_backs: int
    done: bool
    plastic: Annotated[Floats, Dims("s")]
    yielding: bool
    force: Annotated[Floats, Dims("s")]
    about_at: float
    about: Annotated[Floats, Dims("k")]
    places: Annotated[Texts, Dims("p")]
    probes: Annotated[Floats, Dims("s", "p", 4)]
    stress: Annotated[Floats, Dims("f", "m")]
    strain: Annotated[Floats, Dims("f", "m")]
    bifurcation: float = float("nan")
    elastic_yield: float = float("nan")

    @property
    def loss(self) -> float:
        """Part of the ideal factor that the imperfect part does not reach, nan without an ideal
        one."""
        return 1.0 - self.verified / self.ideal

    @property
    def verified_by(self) -> Verified:
        """What the verified factor is."""
        ends: tuple[tuple[float, Verified], ...] = (
            (self.limit, "limit"),
            (self.elastic_yield, "line yield"),
            (self.first_yield, "first yield"),
            (self.bifurcation, "bifurcation"),
        )
        return next((end for value, end in ends if value == self.verified), "end")

    @property
    def end_words(self) -> str:
        """What the verified factor is, in words."""
        return _VERIFIED[self.verified_by]

    @property
    def loss_words(self) -> str:
        """'12 % under mode 1', '5 % above mode 1'; of a path that ended before any limit or yield
        'mode 1 lies at 3.2'; '' without an ideal factor."""
        if not np.isfinite(self.loss):
            return ""
        ends = [self.limit, self.first_yield, self.bifurcation, self.elastic_yield]
        if not np.isfinite(ends).any():
            return f"mode 1 lies at {self.ideal:.4g}"
        return f"{abs(100 * self.loss):.0f} % {'under' if self.loss >= 0 else 'above'} mode 1"


@dataclass(frozen=True, kw_only=True)
class ConvergenceFindings(Findings):
    """First factor over several meshes: sizes (m,) mm, falling; elements, unknowns (m,); factors
    (m,); limit: the value they go to, band: half width of what is sure about it, order: observed,
    nan when they do not close in."""

    case: str
    sizes: Annotated[Floats, Dims("m")]
    elements: Annotated[Ints, Dims("m")]
    unknowns: Annotated[Ints, Dims("m")]
    factors: Annotated[Floats, Dims("m")]
    limit: float
    band: float
    order: float
    done: bool


@dataclass(frozen=True, kw_only=True)
class StudyFindings(Findings):
    """A case run several times with one thing changed: kind 'amplitude', 'tilt' (misalignment),
    'cross' (meshed the other way) or 'contact' (faces that touch bonded and apart); labels (k,)
    what it was; columns (c,) with units; figures (k, c), nan or infinite where there is none; done;
    series (k,): which line a row belongs to, with the unit of its x, '' for one that belongs to
    all; x (k,)."""

    case: str
    kind: str
    labels: Annotated[Texts, Dims("k")]
    columns: Annotated[Texts, Dims("c")]
    figures: Annotated[Floats, Dims("k", "c")]
    done: bool
    series: Annotated[Texts, Dims("k")]
    x: Annotated[Floats, Dims("k")]


@dataclass(frozen=True, kw_only=True)
class SettledFindings(Findings):
    """How a mesh without a stated size was found, round by round: fineness_tried (n,); sizes (n,)
    mm; unknowns (n,); factors (n,): the one whose mesh error decided; errors (n,) relative, nan
    where it could not be told; limit: what was aimed at."""

    limit: float
    fineness_tried: Annotated[Floats, Dims("n")]
    sizes: Annotated[Floats, Dims("n")]
    unknowns: Annotated[Floats, Dims("n")]
    factors: Annotated[Floats, Dims("n")]
    errors: Annotated[Floats, Dims("n")]

    @staticmethod
    def of(
        limit: float, rounds: Sequence[tuple[float, float, float, float, float]]
    ) -> SettledFindings:
        """From rows of (fineness, size, unknowns, factor, error)."""
        tried, sizes, unknowns, factors, errors = np.array(rounds, dtype=float).reshape(-1, 5).T
        return SettledFindings(
            limit=limit,
            fineness_tried=tried,
            sizes=sizes,
            unknowns=unknowns,
            factors=factors,
            errors=errors,
        )

    @property
    def fineness(self) -> float:
        """What the results stand on."""
        return float(self.fineness_tried[-1]) if len(self.fineness_tried) else 1.0

    @property
    def enough(self) -> bool:
        """Whether the error of the last mesh is under the limit."""
        return len(self.errors) > 0 and bool(self.errors[-1] <= self.limit)


def response_error(name: str, of_first: float, of_yield: float, of_capacity: float) -> float:
    """Of the mesh errors of the first factor, of first yield and of the overall check the one that
    counts for a response; of an overall check that was kept before its own was known, the first."""
    if name == "first yield":
        return of_yield
    return of_capacity if name == "capacity" and not math.isnan(of_capacity) else of_first


@dataclass(frozen=True, kw_only=True)
class TrialFindings(Findings):
    """One trial of a plan: parameters (p,) with what each was set to, texts (p,), and its value in
    kernel units, numbers (p,); responses (7,) in the order of `RESPONSES` and in kernel units, the
    least of all cases (motions and stresses: the largest), nan where there is none; mesh_error: of
    the first factor, relative, nan where it is not known; unsound: why its figures cannot be used,
    '' where every case is stated right and computed well; meets: 1, 0, or -1 for no verdict;
    driver, kind: of the first mode; reason: why there is no answer, in words, '' where there is
    one; whose, least (m,): the first factor of every driver and of every kind of mode that was
    found; beyond: the largest factor up to which all modes of all cases are known, so that what is
    not among them lies above it; yield_error, capacity_error: of first yield and of the overall
    check, as mesh_error."""

    parameters: Annotated[Texts, Dims("p")]
    texts: Annotated[Texts, Dims("p")]
    numbers: Annotated[Floats, Dims("p")]
    responses: Annotated[Floats, Dims(7)]
    mesh_error: float
    unsound: str
    meets: int
    driver: str
    kind: str
    reason: str
    unknowns: int
    seconds: float
    whose: Annotated[Texts, Dims("m")] = field(default_factory=lambda: np.zeros(0, dtype="U1"))
    least: Annotated[Floats, Dims("m")] = field(default_factory=lambda: np.zeros(0))
    beyond: float = math.nan
    yield_error: float = math.nan
    capacity_error: float = math.nan

    def error_of(self, name: str) -> float:
        """How far a response can be off for the mesh, relative, nan where that is not known."""
        return response_error(name, self.mesh_error, self.yield_error, self.capacity_error)

    def response(self, name: str, of: str = "") -> float:
        """A response by its name; the first factor `of` a driver or a kind, nan where no mode
        that was found is of it."""
        if of:
            own = np.flatnonzero(self.whose == of)
            return float(self.least[own[0]]) if len(own) else math.nan
        return float(self.responses[RESPONSES.index(name)])  # type: ignore[arg-type]


@dataclass(frozen=True, kw_only=True)
class MemberFindings(Findings):
    """Every piece, or copy, as a member: names, pieces (m,); axis (m, 3); length mm; area mm²,
    i_min, i_max mm⁴ of its weakest section,
    fibre mm: extreme fibre from its weak axis; thickness mm; wall_width, wall_thickness mm of its
    slimmest flat wall (0 without one), radius mm of a round tube's wall (0 for others); wall_edges
    (m,) in words, '' when not known; axial (m, 2): mean compression N, growing and held; peak (m,):
    largest compression under the growing load but for a hundredth of the volume, MPa; axial_ends
    (m, 2, 2): compression N, growing and held, at the low and the high end along the axis, of an
    even run through the member's middle part; joined (m,): part of its length, between its ends,
    along which it is joined to others (`joined_along`)."""

    names: Annotated[Texts, Dims("m")]
    pieces: Annotated[Texts, Dims("m")]
    axis: Annotated[Floats, Dims("m", 3)]
    length: Annotated[Floats, Dims("m")]
    area: Annotated[Floats, Dims("m")]
    i_min: Annotated[Floats, Dims("m")]
    i_max: Annotated[Floats, Dims("m")]
    fibre: Annotated[Floats, Dims("m")]
    thickness: Annotated[Floats, Dims("m")]
    wall_width: Annotated[Floats, Dims("m")]
    wall_thickness: Annotated[Floats, Dims("m")]
    radius: Annotated[Floats, Dims("m")]
    wall_edges: Annotated[Texts, Dims("m")]
    axial: Annotated[Floats, Dims("m", 2)]
    peak: Annotated[Floats, Dims("m")]
    axial_ends: Annotated[Floats, Dims("m", 2, 2)] = field(
        default_factory=lambda: np.zeros((0, 2, 2))
    )

    joined: Annotated[Floats, Dims("m")] = field(default_factory=lambda: np.zeros(0))

    def joined_along(self, member: int) -> bool:
        """Whether more than half of its length is joined to others: it is no column of its own,
        whose formulas are for members free between their ends."""
        return len(self.joined) > 0 and float(self.joined[member]) > 0.5

    def ends_of(self, member: int) -> Floats:
        """(2, 2) of `axial_ends`, the mean at both ends where nothing is known."""
        return (
            self.axial_ends[member]
            if len(self.axial_ends)
            else np.repeat(self.axial[member][:, None], 2, axis=1)
        )


@dataclass(frozen=True, kw_only=True)
class SectionFindings(Findings):
    """Sections between the ends of the part: station (n,) mm along axis (3,); area mm²; i_min,
    i_max mm⁴; weak, strong (n, 3): the directions a member moves in when it bends about its weak
    and its strong axis."""

    axis: Annotated[Floats, Dims(3)]
    station: Annotated[Floats, Dims("n")]
    area: Annotated[Floats, Dims("n")]
    i_min: Annotated[Floats, Dims("n")]
    i_max: Annotated[Floats, Dims("n")]
    weak: Annotated[Floats, Dims("n", 3)]
    strong: Annotated[Floats, Dims("n", 3)]
