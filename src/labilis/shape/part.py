"""The whole part: solids and sheets of all pieces, with one table of faces and edges."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from labilis.model import LabilisError, LineCopies, MirrorCopy, Piece, Project
from labilis.model.standing import frame_of
from labilis.shape.ancestry import find_ancestry
from labilis.shape.face_tables import Ancestry, EdgeTable, FaceTable, ShapeView, Tessellation, Whole
from labilis.shape.long_direction import longest_direction, longest_of_lines
from labilis.shape.members import Member, again, member_of
from labilis.shape.midsurface import MidSurface, find_midsurface
from labilis.shape.missing import missing_in
from labilis.shape.recipes.makers import make_recipe
from labilis.shape.recipes.named_body import Made, Sheet, images, parts, typed
from labilis.shape.scribes import edges_of, scribe_part
from labilis.shape.step import damaged, gathered, loose_faces, read_bodies, solids_of, volume_of
from labilis.shape.strut_axes import LineSet, LineShape, line_of, line_set
from labilis.shape.topology import BodyShape, build_body, edge_row, face_row, make_table, shape_key

_REACH = 1e5  # mm: how far a cut goes, both ways


def _extents(
    skins: Sequence[tuple[NDArray[np.float64], NDArray[np.int64]]],
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Centroid mm of triangles (points, corners), the direction in which they are longest, and
    their extents (3, 2) mm."""
    triangles = np.concatenate([points[corners] for points, corners in skins])
    area = 0.5 * np.linalg.norm(
        np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]), axis=1
    )
    middle = triangles.mean(axis=1)
    centroid = area @ middle / area.sum()
    # ∫ (x - c)(x - c)ᵀ dA of each triangle: about its own middle A / 12 Σ of its corners, and
    # of its middle
    own = triangles - middle[:, None]
    spread = np.einsum("k,ki,kj->ij", area, middle - centroid, middle - centroid) + np.einsum(
        "k,kci,kcj->ij", area / 12.0, own, own
    )
    long_axis = longest_direction(spread, triangles.reshape(-1, 3))
    extents = np.stack([triangles.min(axis=(0, 1)), triangles.max(axis=(0, 1))], axis=1)
    return centroid, long_axis, extents


@dataclass(frozen=True)
class PartShape:
    """Solids (one BodyShape for each body, numbers in `solid_bodies`) and sheets (one fused
    BodyShape or None). Faces and edges are numbered solid after solid, then sheets; `bodies` names
    all of them, `pieces` the piece each belongs to; ghosts: pieces set aside, with their names;
    making: what measures each member; lone: the solid form of a part that is one body, for
    sections;
    deviation: largest relative difference between the volume of an imported solid and of the sheets
        made of it;
    narrow: least width of a wall of theirs over the thickness of one that it meets at an angle, 0
    without; true_volumes: (body, mm³) of the solids that sheets stand for; missing: what of the
    files its pieces come from did not come out, a sentence each."""

    solids: tuple[BodyShape, ...]
    solid_bodies: tuple[int, ...]
    sheets: BodyShape | None
    bodies: tuple[str, ...]
    pieces: tuple[str, ...]
    lone: BodyShape | None = None
    lines: LineSet | None = None
    making: tuple[Callable[[], Member | None], ...] = ()
    ghosts: tuple[tuple[str, Tessellation], ...] = ()
    deviation: float = 0.0
    narrow: float = 0.0
    true_volumes: tuple[tuple[int, float], ...] = ()
    ancestry: Ancestry | None = None
    missing: tuple[str, ...] = ()

    @cached_property
    def members(self) -> tuple[Member, ...]:
        """Every piece and copy as a member, measured when first asked for."""
        return tuple(member for make in self.making if (member := make()) is not None)

    @property
    def components(self) -> tuple[BodyShape | LineSet, ...]:
        """Solids, then sheets, then lines."""
        return (
            *self.solids,
            *([] if self.sheets is None else [self.sheets]),
            *([] if self.lines is None else [self.lines]),
        )

    @cached_property
    def view(self) -> ShapeView:
        """Measurements and triangulation of all together."""
        if len(self.solids) == 1 and len(self.components) == 1:
            return self._with_ghosts(
                replace(self.solids[0].view, bodies=np.array(self.bodies), volumes=self._volumes)
            )
        tessellations = [solid.view.tessellation for solid in self.solids]
        volume = sum(solid.view.volume for solid in self.solids)
        skin = sum(float(solid.faces.area.sum()) for solid in self.solids)
        if self.sheets is not None:
            area, thickness = self.sheets.faces.area, self.sheets.faces.thickness
            reach = float(
                np.linalg.norm(
                    np.ptp(
                        np.concatenate([self.sheets.faces.centroid, self.sheets.edges.centroid]),
                        axis=0,
                    )
                )
            )
            tessellations.append(
                self.sheets.tessellate(max(reach, float(thickness.max())) * 1e-3, 0.15)
            )
            volume += float((area * thickness).sum())
            skin += 2 * float(area.sum())
        looks: list[Tessellation] = []
        if self.lines is not None:
            tessellations.append(self.lines.tessellate())
            looks = [body.view.tessellation for line in self.lines.lines for body in line.looks]
            volume += sum(body.view.volume for line in self.lines.lines for body in line.looks)
            skin += sum(
                float(body.faces.area.sum()) for line in self.lines.lines for body in line.looks
            )
        joined = _join_tessellations(tessellations, [len(part.faces) for part in self.components])
        centroid, long_axis, extents = _extents(
            [(joined.points, joined.triangles), *((item.points, item.triangles) for item in looks)]
        )
        if not self.solids and self.sheets is None:
            long_axis = longest_of_lines(joined.edge_points, joined.edge_offsets)
        return self._with_ghosts(
            ShapeView(
                _join_faces([part.faces for part in self.components]),
                _join_edges(self.components),
                joined,
                volume,
                centroid,
                long_axis,
                extents,
                2.0 * volume / skin,
                np.array(self.bodies),
                whole=_join_wholes(self.components),
                ancestry=self._numbered_ancestry,
                volumes=self._volumes,
            )
        )

    @property
    def _volumes(self) -> NDArray[np.float64]:
        """(b,) mm³ of each body."""
        found = np.zeros(len(self.bodies))
        for solid, number in zip(self.solids, self.solid_bodies):
            found[number] += solid.view.volume
        if self.sheets is not None:
            np.add.at(
                found, self.sheets.faces.body, self.sheets.faces.area * self.sheets.faces.thickness
            )
        if self.lines is not None:
            for line in self.lines.lines:
                found[line.body] += sum(body.view.volume for body in line.looks)
        for number, volume in self.true_volumes:  # sheets count twice where they meet
            found[number] = volume
        return found

    @property
    def _numbered_ancestry(self) -> Ancestry | None:
        """Ancestry by the numbers of the whole part: sheets come after all solids."""
        if self.ancestry is None:
            return None
        face, edge = (
            sum(len(solid.faces) for solid in self.solids),
            sum(len(solid.edges) for solid in self.solids),
        )
        return replace(
            self.ancestry,
            skin=self.ancestry.skin + np.array([0, face, 0]),
            rim=self.ancestry.rim + np.array([0, edge]),
            ridge=self.ancestry.ridge + np.array([0, edge]),
        )

    def _with_ghosts(self, view: ShapeView) -> ShapeView:
        ghosts = list(self.ghosts)
        if self.lines is not None:  # what a line stands for is seen through
            ghosts += [
                ("", body.view.tessellation) for line in self.lines.lines for body in line.looks
            ]
        if not ghosts:
            return view
        starts = np.cumsum([0] + [len(ghost.points) for _, ghost in ghosts])
        return replace(
            view,
            ghost_points=np.concatenate([ghost.points for _, ghost in ghosts]),
            ghost_triangles=np.concatenate(
                [ghost.triangles + start for (_, ghost), start in zip(ghosts, starts)]
            ),
            ghost_of=np.repeat(
                np.arange(len(ghosts)), [len(ghost.triangles) for _, ghost in ghosts]
            ),
            ghost_names=np.array([name for name, _ in ghosts]),
        )


def _join_faces(tables: list[FaceTable]) -> FaceTable:
    return FaceTable(
        **{
            name: np.concatenate([getattr(table, name) for table in tables])
            for name in FaceTable.__dataclass_fields__
        }
    )


def _join_wholes(components: tuple[BodyShape | LineSet, ...]) -> Whole | None:
    """What there was before scribes, of all components; those without scribes are what they
    were."""
    if not any(getattr(part, "whole", None) for part in components):
        return None
    wholes = [
        getattr(part, "whole", None)
        or Whole(part.faces, part.edges, np.arange(len(part.faces)), np.arange(len(part.edges)))
        for part in components
    ]
    faces, edges = (
        np.cumsum([0] + [len(getattr(whole, name)) for whole in wholes])
        for name in ("faces", "edges")
    )
    columns = {
        name: np.concatenate([getattr(whole.edges, name) for whole in wholes])
        for name in EdgeTable.__dataclass_fields__
    }
    return Whole(
        _join_faces([whole.faces for whole in wholes]),
        EdgeTable(**columns),
        np.concatenate([whole.face_of + start for whole, start in zip(wholes, faces)]),
        np.concatenate(
            [
                np.where(whole.edge_of >= 0, whole.edge_of + start, -1)
                for whole, start in zip(wholes, edges)
            ]
        ),
    )


def _join_edges(components: tuple[BodyShape | LineSet, ...]) -> EdgeTable:
    starts = np.cumsum([0] + [len(part.faces) for part in components])
    columns = {
        name: np.concatenate([getattr(part.edges, name) for part in components])
        for name in EdgeTable.__dataclass_fields__
    }
    columns["faces"] = np.concatenate(
        [
            np.where(part.edges.faces >= 0, part.edges.faces + start, -1)
            for part, start in zip(components, starts)
        ]
    )
    return EdgeTable(**columns)


def _join_tessellations(items: list[Tessellation], face_counts: list[int]) -> Tessellation:
    points = np.cumsum([0] + [len(item.points) for item in items])
    faces = np.cumsum([0] + face_counts)
    lines = np.cumsum([0] + [len(item.edge_points) for item in items])
    return Tessellation(
        np.concatenate([item.points for item in items]),
        np.concatenate([item.triangles + start for item, start in zip(items, points)]),
        np.concatenate([item.face + start for item, start in zip(items, faces)]),
        np.concatenate([item.edge_points for item in items]),
        np.concatenate(
            [[0], *(item.edge_offsets[1:] + start for item, start in zip(items, lines))]
        ).astype(np.int64),
    )


def build_part(project: Project, files: Mapping[str, bytes]) -> PartShape:
    """Shape of every piece that carries load. `files` are imported files' bytes by SHA-256.

    Raises LabilisError naming the piece for anything that cannot be built.
    """
    with damaged("pieces"):
        return _built(project, files)


@dataclass
class _Gathered:
    """Pieces as they are made: of each body its name and piece, and what carries it, a solid, a
    sheet or a line with the number of its body."""

    project: Project
    files: Mapping[str, bytes]
    bodies: list[str] = field(default_factory=list)
    owners: list[str] = field(default_factory=list)
    solids: list[BodyShape] = field(default_factory=list)
    solid_bodies: list[int] = field(default_factory=list)
    sheets: list[tuple[Made, int]] = field(default_factory=list)
    lines: list[LineShape] = field(default_factory=list)
    making: list[Callable[[], Member | None]] = field(default_factory=list)
    thin: list[MidSurface] = field(default_factory=list)
    sources: list[tuple[BodyShape, int]] = field(default_factory=list)
    volumes: list[tuple[int, float]] = field(default_factory=list)
    files_read: FilesRead = field(default_factory=dict)

    def body(self, name: str, piece: Piece) -> int:
        """Number of a new body of a piece."""
        self.bodies.append(name)
        self.owners.append(piece.name)
        return len(self.bodies) - 1

    def add(self, piece: Piece) -> None:
        """All bodies of a piece. Raises LabilisError where it cannot be built."""
        if piece.recipe is not None:
            self._add_recipe(piece)
            return
        imported = _imported(self.project, piece, self.files, self.files_read)
        if not solids_of(imported):
            number = self.body(piece.name, piece)
            self.sheets.append((_surface(self.project, piece, imported), number))
        elif piece.mesh_as == "shell":
            self._add_thin(piece, imported)
        else:
            number = self.body(piece.name, piece)
            self.solids.append(_named(build_body(imported), {}, number))
            self.solid_bodies.append(number)
            self._add_member(piece, piece.name, number, None, self.solids[-1].solid)

    def _add_member(
        self, piece: Piece, name: str, number: int, made: Made | None, solid: Any
    ) -> None:
        self.making.append(
            _maker(name, piece, (number,), made, solid, self.project.value, f"pieces/{piece.name}")
        )

    def _add_thin(self, piece: Piece, imported: Any) -> None:
        """A thin solid by its mid-surface."""
        if piece.thickness is not None:
            raise LabilisError(
                f"'{piece.name}' is a solid, whose thickness is found from it.",
                f"pieces/{piece.name}/thickness",
                "Leave the thickness away.",
                "thickness",
            )
        solid = build_body(imported)
        found = find_midsurface(solid, piece.name)
        self.thin.append(found)
        number = self.body(piece.name, piece)
        self.sheets.append((found.made, number))
        self.sources.append((solid, number))
        self.volumes.append((number, solid.view.volume))
        self._add_member(piece, piece.name, number, None, solid.solid)

    def _add_recipe(self, piece: Piece) -> None:
        """A piece of a recipe with all its copies."""
        assert piece.recipe is not None
        where = f"pieces/{piece.name}"

        def read(text: str, kind: str, where: str = where) -> float:
            return self.project.value(text, kind, where)

        made = make_recipe(piece.recipe, read, f"{where}/recipe")
        if piece.mesh_as == "shell" and not made.sheets:
            raise LabilisError(
                f"Piece '{piece.name}' is not thin: it has no mid-surface to make shells of.",
                f"{where}/mesh_as",
                "Mesh it as a solid.",
                "not-thin",
            )
        placing = _placing(self.project, piece, read)
        made = _cut(_moved(made, placing), piece, read)
        first_copy: list[Member] = []
        volume = (
            volume_of(made.solid) if piece.mesh_as == "shell" and made.solid is not None else 0.0
        )
        for name, move in zip(piece.instances, _copies(piece, read)):
            one = _moved(made, move) if move is not None else made
            number = self.body(name, piece)
            self.making.append(
                _maker(name, piece, (number,), made, one.solid, read, where, first_copy)
            )
            if piece.mesh_as == "line":
                moves = [placing] if move is None else [placing, move]
                self.lines.append(line_of(piece, read, moves, one.solid, number, where))
            elif piece.mesh_as == "shell":
                self.sheets.append((one, number))
                self.volumes += [(number, volume)] if volume else []
            else:
                self._add_solids(one, name, number)

    def _add_solids(self, made: Made, name: str, number: int) -> None:
        for solid in solids_of(made.solid):
            words = {shape_key(face): f"{name}/{word}" for face, word in made.solid_names}
            self.solids.append(_named(build_body(solid), words, number))
            self.solid_bodies.append(number)


def _built(project: Project, files: Mapping[str, bytes]) -> PartShape:
    got = _Gathered(project, files)
    for piece in project.active_pieces:
        got.add(piece)
    _refuse_overlap(got.solids, [got.bodies[number] for number in got.solid_bodies])
    fused = (
        fuse_sheets(got.sheets, got.bodies, {number for _, number in got.sources})
        if got.sheets
        else None
    )
    solids, fused = scribe_part(project, got.solids, fused)
    lone = (
        _lone(got.sheets, got.lines, [*solids, *(solid for solid, _ in got.sources)])
        if len(got.bodies) == 1
        else None
    )
    return PartShape(
        tuple(solids),
        tuple(got.solid_bodies),
        fused,
        tuple(got.bodies),
        tuple(got.owners),
        lone,
        line_set(got.lines, got.bodies) if got.lines else None,
        tuple(got.making),
        _ghosts(project, files),
        max((found.deviation for found in got.thin), key=abs, default=0.0),
        min((found.narrow for found in got.thin if found.narrow), default=0.0),
        tuple(got.volumes),
        None if fused is None else find_ancestry(fused, got.sources),
        _missing(project, files, got.files_read),
    )


def _missing(project: Project, files: Mapping[str, bytes], read: FilesRead) -> tuple[str, ...]:
    """Of the STEP files that carry load, those that did not come out whole."""
    found = []
    for item in project.geometry:
        if item.sha256 in read and not item.file.lower().endswith(".stl"):
            said = missing_in(files[item.sha256], read[item.sha256])
            found += [f"'{item.file}' is not whole: {said}."] if said else []
    return tuple(found)


def _lone(
    sheets: list[tuple[Made, int]], lines: list[LineShape], solids: list[BodyShape]
) -> BodyShape | None:
    """The solid form of the only body, None where it is in several pieces; of an imported one
    that is meshed as shells the solid it was."""
    if sheets and sheets[0][0].solid is not None:
        form = [build_body(solid) for solid in solids_of(sheets[0][0].solid)]
    else:
        form = list(lines[0].looks) if lines else solids
    return form[0] if len(form) == 1 else None


def _surface(project: Project, piece: Piece, shape: Any) -> Made:
    """Sheets of an imported surface body, in the place of its faces."""
    where = f"pieces/{piece.name}"
    if piece.mesh_as != "shell":
        raise LabilisError(
            f"'{piece.name}' is a surface, which encloses nothing.",
            f"{where}/mesh_as",
            "Mesh it as shells.",
            "surface",
        )
    if piece.thickness is None:
        raise LabilisError(
            f"The surface '{piece.name}' has no thickness.",
            f"{where}/thickness",
            "State it, such as '2 mm'.",
            "thickness",
        )
    thickness = project.number(piece, "thickness", where)
    if thickness <= 0:
        raise LabilisError(
            f"A thickness of '{piece.thickness}' is not above zero.",
            f"{where}/thickness",
            "Give a positive length.",
            "thickness",
        )
    faces = [face for face in loose_faces(shape) if face_row(face)["area"] > 0.0]
    if not faces:
        raise LabilisError(
            f"The surface '{piece.name}' has no area.",
            where,
            "Check it in the program that wrote the file, and export it again.",
            "surface",
        )
    return Made(sheets=[Sheet(face, thickness) for face in faces])


def _maker(
    name: str,
    piece: Piece,
    bodies: tuple[int, ...],
    made: Made | None,
    solid: Any,
    read: Any,
    where: str,
    first: list[Member] | None = None,
) -> Callable[[], Member | None]:
    """Measures a member when called; copies take their section from the `first` one."""

    def make() -> Member | None:
        if first:
            return again(first[0], name, bodies, solid)
        found = member_of(name, piece, bodies, made, solid, read, f"{where}/recipe")
        if found is not None and first is not None:
            first.append(found)
        return found

    return make


def _ghosts(project: Project, files: Mapping[str, bytes]) -> tuple[tuple[str, Tessellation], ...]:
    """Triangles of the pieces set aside; one that cannot be built is not worth a message."""
    found: list[tuple[str, Tessellation]] = []
    files_read: FilesRead = {}
    for piece in project.pieces:
        if not piece.set_aside:
            continue
        try:
            if piece.recipe is None:
                shapes = [_imported(project, piece, files, files_read)]
            else:

                def read(text: str, kind: str) -> float:
                    return project.value(text, kind)

                made = _cut(
                    _moved(make_recipe(piece.recipe, read, ""), _placing(project, piece, read)),
                    piece,
                    read,
                )
                shapes = [
                    (_moved(made, move) if move is not None else made).solid
                    for move in _copies(piece, read)
                ]
            found += [
                (piece.name, build_body(solid).view.tessellation)
                for shape in shapes
                for solid in solids_of(shape)
            ]
        except LabilisError:
            continue
    return tuple(found)


def _refuse_overlap(solids: list[BodyShape], names: list[str]) -> None:
    """Raises LabilisError for two solids that share room: their stiffness would count twice."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Common

    boxes = [solid.view.extents for solid in solids] if len(solids) > 1 else []
    for i, one in enumerate(boxes):
        for j in range(i):
            if (
                np.minimum(one[:, 1], boxes[j][:, 1]) - np.maximum(one[:, 0], boxes[j][:, 0])
            ).min() <= 1e-6:
                continue
            common = volume_of(BRepAlgoAPI_Common(solids[i].solid, solids[j].solid).Shape())
            if common > 1e-6 * min(solids[i].view.volume, solids[j].view.volume):
                raise LabilisError(
                    f"'{names[j]}' and '{names[i]}' overlap by {common:.3g} mm³.",
                    f"pieces/{names[i].split('.')[0]}",
                    "Move one of them, or cut it back.",
                    "overlap",
                )


FilesRead = dict[str, list[tuple[str, Any]]]


def _imported(project: Project, piece: Piece, files: Mapping[str, bytes], read: FilesRead) -> Any:
    """The shape of an imported piece; bodies of files that were `read` are kept there, so that
    one body in several places is one shape."""
    geometry = next(item for item in project.geometry if item.file == piece.geometry)
    if geometry.sha256 not in files:
        raise LabilisError(
            f"The bytes of '{geometry.file}' are missing.",
            "part",
            "Import the file again.",
            "missing-file",
        )
    if geometry.sha256 not in read:
        read[geometry.sha256] = read_bodies(files[geometry.sha256], geometry.file)[0]
    bodies = read[geometry.sha256]
    if piece.body > len(bodies):
        raise LabilisError(
            f"'{geometry.file}' has {len(bodies)} bodies, not {piece.body}.",
            f"pieces/{piece.name}",
            "Choose another body.",
            "no-body",
        )
    return bodies[piece.body - 1][1]


def _named(body: BodyShape, names: dict[int, str], number: int) -> BodyShape:
    """A body whose faces know their names and whose number is known."""
    words = [names.get(shape_key(face), "") for face in body.face_handles]
    faces = replace(
        body.faces, name=np.array(words, dtype=np.str_), body=np.full(len(words), number)
    )
    between = [_between(words[a], words[b]) for a, b in body.edges.faces]
    return replace(
        body, faces=faces, edges=replace(body.edges, name=np.array(between, dtype=np.str_))
    )


def _between(one: str, two: str) -> str:
    """Name of the edge between two named faces: 'leg/start+skin.1'."""
    return f"{one}+{two.split('/')[-1]}" if one and two else ""


# --- placing
# --------------------------------------------------------------------------------------------------
def _axis(name: str, at: tuple[float, float, float] = (0.0, 0.0, 0.0)) -> Any:
    from OCP.gp import gp_Ax1, gp_Dir, gp_Pnt

    return gp_Ax1(gp_Pnt(*at), gp_Dir(*(float(name == axis) for axis in "xyz")))


def _placing(project: Project, piece: Piece, read: Any) -> Any:
    from OCP.gp import gp_Trsf, gp_Vec

    place, total = piece.place, gp_Trsf()
    if place.on is not None:
        frame = frame_of(project, piece)
        rows = zip(frame.turn, frame.at)
        total.SetValues(*(value for row, at in rows for value in (*row, at)))
        return total
    for turn in place.turns:
        step = gp_Trsf()
        step.SetRotation(_axis(turn.about), read(turn.angle, "angle"))
        total = step.Multiplied(total)
    step = gp_Trsf()
    step.SetTranslation(gp_Vec(*(read(text, "length") for text in place.at)))
    return step.Multiplied(total)


def _copies(piece: Piece, read: Any) -> list[Any]:
    """Transformation of each body of a piece, None for the first."""
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec

    found = [gp_Trsf()]
    for copy in piece.copies:
        steps = []
        for number in range(2 if isinstance(copy, MirrorCopy) else copy.count):
            step = gp_Trsf()
            if number == 0:
                pass
            elif isinstance(copy, LineCopies):
                step.SetTranslation(gp_Vec(*(number * read(text, "length") for text in copy.step)))
            elif isinstance(copy, MirrorCopy):
                at = read(copy.at, "length")
                step.SetMirror(
                    gp_Ax2(
                        gp_Pnt(*(at * (copy.across == axis) for axis in "xyz")),
                        gp_Dir(*(float(copy.across == axis) for axis in "xyz")),
                    )
                )
            else:
                centre = tuple(read(text, "length") for text in copy.centre)
                whole = read(copy.angle, "angle")
                closed = abs(whole) > 2 * np.pi - 1e-9
                share = whole / copy.count if closed else whole / max(copy.count - 1, 1)
                step.SetRotation(_axis(copy.about, centre), number * share)
            steps.append(step)
        found = [step.Multiplied(before) for before in found for step in steps]
    return [None, *found[1:]]


def _moved(made: Made, move: Any) -> Made:
    """A made piece turned and moved, names kept."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
    from OCP.TopAbs import TopAbs

    solid = BRepBuilderAPI_Transform(made.solid, move, True)
    result = Made(
        solid.Shape(), [(typed(solid.ModifiedShape(face)), name) for face, name in made.solid_names]
    )
    if made.sheets:
        maker = BRepBuilderAPI_Transform(gathered([face for face, *_ in made.sheets]), move, True)
        for (
            sheet
        ) in made.sheets:  # sides are kept; a mirror image turns the surface's own normal over
            side = (
                TopAbs.Reverse_s(sheet.face.Orientation())
                if move.IsNegative()
                else sheet.face.Orientation()
            )
            result.sheets.append(
                sheet._replace(face=typed(maker.ModifiedShape(sheet.face).Oriented(side)))
            )
        result.sheet_edges = [
            (typed(maker.ModifiedShape(edge)), name) for edge, name in made.sheet_edges
        ]
    return result


def _cut(made: Made, piece: Piece, read: Any) -> Made:
    """Holes cut through a placed piece; their faces and edges are called cut.1, cut.2, ..."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    for number, cut in enumerate(piece.cuts, 1):
        where = f"pieces/{piece.name}/cuts/{number - 1}"
        radius = read(cut.diameter, "length") / 2
        if radius <= 0:
            raise LabilisError(
                "The diameter of a cut is not above zero.",
                f"{where}/diameter",
                "Give a positive length.",
                "cut",
            )
        start = [
            read(text, "length") - _REACH * (axis == cut.along)
            for axis, text in zip("xyz", (cut.x, cut.y, cut.z))
        ]
        direction = gp_Dir(*(float(axis == cut.along) for axis in "xyz"))
        tool = BRepPrimAPI_MakeCylinder(
            gp_Ax2(gp_Pnt(*start), direction), radius, 2 * _REACH
        ).Shape()
        maker = BRepAlgoAPI_Cut(made.solid, tool)
        new = images(maker, [(face, f"cut.{number}") for face in parts(tool, "face")])
        there = {shape_key(face) for face in parts(maker.Shape(), "face")}
        new = [(face, name) for face, name in new if shape_key(face) in there]
        if not new:
            raise LabilisError("The cut misses its piece.", where, "Move it.", "cut")
        result = Made(maker.Shape(), images(maker, made.solid_names) + new)
        for sheet in made.sheets:
            own = parts(sheet.face, "edge")
            mine = [
                (edge, word)
                for edge, word in made.sheet_edges
                if any(edge.IsSame(other) for other in own)
            ]
            one = BRepAlgoAPI_Cut(sheet.face, tool)
            kept = images(one, mine)
            known = {shape_key(edge) for edge, _ in kept}
            for face in parts(one.Shape(), "face"):
                result.sheets.append(sheet._replace(face=face))
                kept += [
                    (edge, f"cut.{number}")
                    for edge in parts(face, "edge")
                    if shape_key(edge) not in known
                ]
            result.sheet_edges += kept
        made = result
    return made


# --- sheets
# --------------------------------------------------------------------------------------------------
def fuse_sheets(sheets: list[tuple[Made, int]], bodies: list[str], found: set[int]) -> BodyShape:
    """Mid-surfaces of all pieces with common edges where they touch; names are kept through the
    split. `found`: the bodies whose mid-surface was found from a solid."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_BuilderAlgo
    from OCP.TopTools import TopTools_ListOfShape

    arguments = TopTools_ListOfShape()
    faces = [(sheet.face, sheet, number) for made, number in sheets for sheet in made.sheets]
    for face, *_ in faces:
        arguments.Append(face)
    maker = BRepAlgoAPI_BuilderAlgo()
    maker.SetArguments(arguments)
    maker.SetFuzzyValue(1e-5)
    if len(faces) > 1:
        maker.Build()
    if len(faces) > 1 and not maker.IsDone():
        raise LabilisError(
            "The sheets cannot be joined where they touch.",
            "part",
            "Move one of them a little.",
            "fuse",
        )
    named = images(maker, faces) if len(faces) > 1 else faces
    edge_names: dict[int, list[str]] = {}
    for made, number in sheets:
        for edge, name in images(maker, made.sheet_edges) if len(faces) > 1 else made.sheet_edges:
            words = edge_names.setdefault(shape_key(edge), [])
            if f"{bodies[number]}/{name}" not in words:
                words.append(f"{bodies[number]}/{name}")
    shape = maker.Shape() if len(faces) > 1 else faces[0][0]
    unique: dict[int, list[tuple[Any, Sheet, int]]] = {}
    for item in named:
        unique.setdefault(shape_key(item[0]), []).append(item)
    handles, rows = [], []
    dangling = _dangling([owners[0] for owners in unique.values()], found)
    for owners in (owners for key, owners in unique.items() if key not in dangling):
        face, row = _sheet_row(owners, bodies)
        handles.append(face)
        rows.append(row)
    edges, edge_rows = edges_of(handles)
    for edge, row in zip(edges, edge_rows):
        row["name"] = "|".join(edge_names.get(shape_key(edge), []))
    return BodyShape(
        shape,
        tuple(handles),
        tuple(edges),
        make_table(FaceTable, rows),
        make_table(EdgeTable, edge_rows),
    )


def _sheet_row(
    owners: list[tuple[Any, Sheet, int]], bodies: list[str]
) -> tuple[Any, dict[str, Any]]:
    """A face of a mid-surface and its row in the table; the thickest of its owners counts."""
    face = owners[0][0]
    row = face_row(face)
    row["name"] = "|".join(
        f"{bodies[number]}/{sheet.name}" for _, sheet, number in owners if sheet.name
    )
    thickest = max((sheet for _, sheet, _ in owners), key=lambda sheet: sheet.thickness)
    row["body"], row["slope"] = owners[0][2], thickest.slope
    row["thickness"] = thickest.thickness + float(
        np.dot(thickest.slope, np.subtract(row["centroid"], thickest.centre))
    )
    return face, row


def _dangling(faces: list[tuple[Any, Sheet, int]], bodies: set[int]) -> set[int]:
    """Strips of half a thickness that the mid-surfaces that were found in `bodies` leave beyond
    each other at sharp corners: to be dropped. What was drawn as a surface is kept as it is."""
    beside: dict[int, int] = {}
    for face, *_ in faces:
        for edge in parts(face, "edge"):
            beside[shape_key(edge)] = beside.get(shape_key(edge), 0) + 1
    found = set()
    for face, sheet, number in faces:
        if number not in bodies:
            continue
        lengths = [
            (float(edge_row(edge)["length"]), shape_key(edge)) for edge in parts(face, "edge")
        ]
        longest = max((length for length, _ in lengths), default=0.0)
        free = max((length for length, key in lengths if beside[key] == 1), default=0.0)
        narrow = face_row(face)["area"] < 0.6 * sheet.thickness * longest
        if narrow and free > 0.9 * longest:
            found.add(shape_key(face))
    if len(found) == len(faces):
        raise LabilisError(
            "All its walls are narrower than they are thick.",
            "part",
            "Check the units of the file, or mesh the piece as a solid.",
            "narrow",
        )
    return found
