"""Bolts and seams of the statements on a mesh: bores as rigid rims, what joins them, and which
contacts are let go."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from labilis.analysis.materials import material_of
from labilis.analysis.regions import Floats, Ints, match_region, region_cylinder, region_nodes
from labilis.analysis.unknowns import Numbering
from labilis.mechanics.bolt_block import BoltBlock
from labilis.mechanics.ties import StiffHub
from labilis.mesh import Bonds, Mesh
from labilis.model import Bolt, LabilisError, Project, shown
from labilis.shape import ShapeView

BOLT_MODULUS, BOLT_RATIO = 210e3, 0.3  # MPa, of steel bolts
_BESIDE = 0.3  # of the diameter: how far bores of one bolt may lie beside one line
_FITS = 1.02  # of the bore: what a bolt may be thicker
_LEAST_NODES = 3
# of the radius: what the nodes of one bore may differ by in their distance from its axis
_ROUND = 0.1


@dataclass(frozen=True)
class Bore:
    """One bore of a bolt: region, body, centre (3,) mm, axis (3,), radius and depth mm, Young's
    modulus MPa of its piece."""

    region: str
    body: int
    centre: Floats
    axis: Floats
    radius: float
    depth: float
    modulus: float


def bolted_pairs(project: Project, view: ShapeView) -> set[tuple[int, int]]:
    """Pairs of bodies, lower first, whose faces only touch because they are only bolted."""
    found = set()
    for bolt in project.bolts:
        if bolt.faces == "apart":
            bodies = sorted({_body_of(project, region, view) for region in bolt.through})
            found |= {
                (one, two) for number, one in enumerate(bodies) for two in bodies[number + 1 :]
            }
    return found


class Welded(NamedTuple):
    """A seam on bodies: its name, the body of its edges, those that it may be welded to, the
    region of its edges."""

    name: str
    own: int
    others: tuple[int, ...]
    along: str

    @property
    def pairs(self) -> set[tuple[int, int]]:
        """Pairs of bodies, lower first, whose faces only touch."""
        return {(min(self.own, other), max(self.own, other)) for other in self.others}


def welded(project: Project, view: ShapeView, bodies: Sequence[str]) -> list[Welded]:
    """All seams. Raises LabilisError for one within a piece."""
    found = []
    for seam in project.seams:
        own = _body_of(project, seam.along, view)
        others = tuple(
            number
            for number, name in enumerate(bodies)
            if number != own and seam.to in (name, project.piece_of(name))
        )
        if not others:
            raise LabilisError(
                f"Seam '{seam.name}' welds {seam.to} to itself.",
                f"seams/{seam.name}",
                "Name the other piece.",
                "seam",
            )
        found.append(Welded(seam.name, own, others, seam.along))
    return found


def seam_nodes(
    project: Project, view: ShapeView, mesh: Mesh, seams: Sequence[Welded]
) -> dict[tuple[int, int], Ints]:
    """Nodes of the edges that are welded, by (their body, the other)."""
    found: dict[tuple[int, int], Ints] = {}
    for seam in seams:
        nodes = region_nodes(project.named("regions", seam.along), view, mesh)
        for other in seam.others:
            found[seam.own, other] = np.union1d(found.get((seam.own, other), nodes), nodes)
    return found


def check_seams(
    project: Project, seams: Sequence[Welded], bonds: Bonds, nodes: dict[str, Ints]
) -> None:
    """Raises LabilisError for a seam whose edges, nodes by its name, touch nothing that they are
    welded to."""
    for seam in seams:
        if not np.isin(
            bonds.nodes[np.isin(bonds.bodies[:, 1], seam.others)], nodes[seam.name]
        ).any():
            raise LabilisError(
                f"No edge of seam '{seam.name}' touches {project.named('seams', seam.name).to}.",
                f"seams/{seam.name}",
                "Pick the edges that lie on it.",
                "seam-apart",
            )


def bores_of(project: Project, bolt: Bolt, view: ShapeView, mesh: Mesh) -> list[Bore]:
    """The bores of a bolt in their order along it.

    Raises LabilisError for regions that are no bores, bores that do not line up and bolts that do
    not fit."""
    where, diameter = f"bolts/{bolt.name}", project.number(bolt, "diameter")
    if diameter <= 0:
        raise LabilisError(
            "A bolt's diameter is not above zero.",
            f"{where}/diameter",
            "Give a positive length.",
            "bolt",
        )
    bores = [_bore(project, bolt, name, view, mesh) for name in bolt.through]
    axis = bores[0].axis
    for bore in bores:
        away = bore.centre - bores[0].centre
        if (
            abs(float(bore.axis @ axis)) < 0.99
            or np.linalg.norm(away - (away @ axis) * axis) > _BESIDE * diameter
        ):
            raise LabilisError(
                f"The bores '{bores[0].region}' and '{bore.region}' of bolt '{bolt.name}' do not "
                "line up.",
                where,
                "Pick bores that lie on one line.",
                "bolt-line",
            )
        if diameter > 2 * bore.radius * _FITS:
            raise LabilisError(
                f"Bolt '{bolt.name}' of {shown.length(diameter)} does not fit the bore "
                f"'{bore.region}' of "
                f"{shown.length(2 * bore.radius)}.",
                f"{where}/diameter",
                "Give a thinner bolt, or pick another bore.",
                "bolt-fit",
            )
    bores = sorted(bores, key=lambda bore: float(bore.centre @ axis))
    if len({bore.body for bore in bores}) < 2:
        raise LabilisError(
            f"Bolt '{bolt.name}' goes through one piece only.",
            where,
            "Pick a bore of another piece as well.",
            "bolt-one",
        )
    return bores


class Bolted(NamedTuple):
    """A bolt on a mesh: its bores in their order, and the nodes of each rim that nothing else
    has."""

    bolt: Bolt
    bores: list[Bore]
    rims: list[Ints]

    @property
    def hubs(self) -> list[tuple[str, Floats]]:
        """(name, place) of a hub for every bore; all stand at the middle between the outer ones."""
        middle = 0.5 * (self.bores[0].centre + self.bores[-1].centre)
        return [(hub_name(self.bolt.name, bore.region), middle) for bore in self.bores]


def find_bolts(project: Project, view: ShapeView, mesh: Mesh, bonds: Bonds | None) -> list[Bolted]:
    """All bolts that carry: one whose pieces are bonded round it carries nothing and is left
    out."""
    taken = (
        np.zeros(0, dtype=np.int64)
        if bonds is None
        else np.concatenate(
            [bonds.nodes, np.array([joint.node for joint in bonds.joints], dtype=np.int64)]
        )
    )
    found = []
    for bolt in project.bolts:
        bores = bores_of(project, bolt, view, mesh)
        whole = [region_nodes(project.named("regions", bore.region), view, mesh) for bore in bores]
        rims: list[Ints] = []
        for nodes in whole:
            rims.append(np.setdiff1d(nodes, np.concatenate([taken, *rims])))
        if bolt.faces == "bonded" and sum(map(len, rims)) < sum(map(len, whole)):
            continue
        if all(len(rim) >= _LEAST_NODES for rim in rims):
            found.append(Bolted(bolt, bores, rims))
        else:
            raise LabilisError(
                f"Too little of the rims of bolt '{bolt.name}' is free of other joints.",
                f"bolts/{bolt.name}",
                "Mesh finer, or release what else holds there.",
                "bolt-rim",
            )
    return found


def hub_name(bolt: str, region: str) -> str:
    """Of the hub of a bore; no hub of the statements has a line break in its name."""
    return f"{bolt}\n{region}"


def make_bolts(
    project: Project, bolts: Sequence[Bolted], numbering: Numbering
) -> tuple[list[StiffHub], list[str], list[BoltBlock]]:
    """(rigid rims of all bores, their names, the bolts between them)."""
    hubs, names, blocks = [], [], []
    for bolt, bores, rims in bolts:
        for bore, nodes in zip(bores, rims):
            place, turn = numbering.hubs[hub_name(bolt.name, bore.region)]
            turns = numbering.turn_of[nodes]
            hubs.append(
                StiffHub(
                    np.append(nodes, place),
                    numbering.places[place],
                    turns=np.append(turns[turns >= 0], turn),
                )
            )
            names.append(hub_name(bolt.name, bore.region))
        for one, two in pairwise(bores):
            members = [
                *numbering.hubs[hub_name(bolt.name, one.region)],
                *numbering.hubs[hub_name(bolt.name, two.region)],
            ]
            arm = plane_of(one, two) - numbering.places[members[0]]
            matrix = bolt_stiffness(
                one, two, project.number(bolt, "diameter"), len(bores) > 2, bolt.turning == "held"
            )
            blocks.append(
                BoltBlock(np.array([members]), matrix[None], arm[None], bolt.name, (one, two))
            )
    return hubs, names, blocks


def plane_of(one: Bore, two: Bore) -> Floats:
    """Where the pieces of two bores meet (3,) mm: between their middles, in proportion to their
    depths."""
    return one.centre + (two.centre - one.centre) * one.depth / max(one.depth + two.depth, 1e-12)


def bolt_stiffness(one: Bore, two: Bore, diameter: float, double: bool, held: bool) -> Floats:
    """(6, 6) of a bolt between two pieces in global axes, N/mm and N mm/rad.

    Across: the flexibility of Huth 1986 for bolted metal, ((t1 + t2) / 2d)^(2/3) (3 / n) (1 / t1 E1
    + 1 / n t2 E2 + 1 / 2 t1 E + 1 / 2 n t2 E), n = 1 in single, 2 in double shear (each plane then
    has half of the load, so twice the flexibility). Along: that of VDI 2230-1 for the clamped
    length and 0.4 d under the head and in the nut, on the nominal section. Bending: E I over the
    clamped length. About itself a bolt gives nothing, unless friction holds: then as much as a rod
    of its own size.
    """
    inner, outer = (one, two) if one.depth >= two.depth else (two, one)
    n = 2.0 if double else 1.0
    flexibility = (
        ((inner.depth + outer.depth) / (2 * diameter)) ** (2 / 3)
        * 3.0
        / n
        * (
            1 / (inner.depth * inner.modulus)
            + 1 / (n * outer.depth * outer.modulus)
            + 1 / (2 * inner.depth * BOLT_MODULUS)
            + 1 / (2 * n * outer.depth * BOLT_MODULUS)
        )
        * n
    )
    grip, area = one.depth + two.depth, np.pi * diameter**2 / 4
    inertia = np.pi * diameter**4 / 64
    along = np.outer(one.axis, one.axis)
    across = np.eye(3) - along
    found = np.zeros((6, 6))
    found[:3, :3] = across / flexibility + along * BOLT_MODULUS * area / (grip + 0.8 * diameter)
    found[3:, 3:] = across * BOLT_MODULUS * inertia / grip
    if held:
        found[3:, 3:] += along * BOLT_MODULUS / (2 * (1 + BOLT_RATIO)) * 2 * inertia / grip
    return found


def _bore(project: Project, bolt: Bolt, name: str, view: ShapeView, mesh: Mesh) -> Bore:
    where = f"bolts/{bolt.name}"
    region = project.named("regions", name)
    match, cylinder = match_region(region, view), region_cylinder(region, view)
    if cylinder is None:
        raise LabilisError(
            f"Region '{name}' is no bore.",
            where,
            "Pick a bore, or the round edge of a hole.",
            "bolt-bore",
        )
    axis = cylinder[1] / np.linalg.norm(cylinder[1])
    places = mesh.nodes[region_nodes(region, view, mesh)]
    along = places @ axis
    away = places - cylinder[0]
    away = away - (away @ axis)[:, None] * axis
    body = _body_of(project, name, view)
    radii = np.linalg.norm(away, axis=1)
    if np.ptp(radii) > _ROUND * float(radii.max()):
        raise LabilisError(
            f"Region '{name}' is not one bore.",
            where,
            "Pick one bore of one piece for each region.",
            "bolt-bore",
        )
    sheets = np.array(
        [
            face
            for edge in match.edges
            for face in view.edges.faces[edge]
            if face >= 0 and view.faces.thickness[face] > 0
        ],
        dtype=np.int64,
    )
    depth = float(view.faces.thickness[sheets].max()) if len(sheets) else float(np.ptp(along))
    if depth <= 0:
        raise LabilisError(
            f"The rim '{name}' of a solid has no depth.",
            where,
            "Pick the bore, not its edge.",
            "bolt-bore",
        )
    centre = cylinder[0] + ((0.5 * (along.min() + along.max())) - cylinder[0] @ axis) * axis
    material = material_of(project, project.piece_of(str(view.bodies[body])))
    return Bore(
        name,
        body,
        centre,
        axis,
        float(np.median(radii)),
        depth,
        project.number(material, "youngs_modulus"),
    )


def _body_of(project: Project, region: str, view: ShapeView) -> int:
    match = match_region(project.named("regions", region), view)
    faces = [*match.faces, *(max(view.edges.faces[edge]) for edge in match.edges)]
    if not faces or min(faces) < 0:
        raise LabilisError(
            f"Region '{region}' has no faces or edges of shells and solids, which bolts and seams "
            "join.",
            f"regions/{region}",
            "Pick another one.",
            "empty-region",
        )
    bodies = {int(view.faces.body[face]) for face in faces}
    if len(bodies) > 1:
        raise LabilisError(
            f"Region '{region}' lies on several pieces.",
            f"regions/{region}",
            "Pick what is on one piece for each region.",
            "several-pieces",
        )
    return bodies.pop()
