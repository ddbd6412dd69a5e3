"""Actors of the stage: the body by faces, its edges, mesh, fields on the deformed surface."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
import pyvista as pv
from matplotlib.colors import LinearSegmentedColormap
from vtkmodules.vtkCommonDataModel import vtkPlane

from labilis.judge.mesh_display import sides_of, surface_triangles, worst_elements
from labilis.results.findings import MeshFindings
from labilis.results.memo import keeping
from labilis.ui.stage.cut_faces import SolidInside, caps
from labilis.ui.stage.cutting import Cut
from labilis.ui.stage.thick_sheets import ThickSheets, thick_sheets
from labilis.ui.theme import DARK, PAPER

if TYPE_CHECKING:
    from labilis.run.picking import ShapeView

# much of something stands out from the ground, little of it goes with it, light or dark
_MAPS = {
    ("movement", False): ["#E4E6DF", "#A9CBC6", "#4F9C95", "#0E6B66", "#063F3C"],
    ("movement", True): ["#56615F", "#4F8F87", "#5FBDB1", "#A4E6DC", "#EFFFFB"],
    ("gain", False): ["#8A3B12", "#D9A27A", "#E9E8E2", "#7DB5AE", "#0B5D58"],
    ("gain", True): ["#FFA773", "#BB7F5E", "#6F7572", "#5FA79F", "#95F2E4"],
    ("stress", False): ["#20304F", "#4A5A6B", "#85816F", "#BFA95A", "#F1D94A"],
    ("stress", True): ["#3F5C99", "#75829F", "#A39E8C", "#D6BF64", "#FFE95C"],
}


def colours_of(name: str) -> LinearSegmentedColormap:
    """Colour map of movement, gain or stress on the paper in use."""
    dark = PAPER.ground == DARK.ground
    return LinearSegmentedColormap.from_list(name, _MAPS.get((name, dark), _MAPS["movement", dark]))


def _joined(points: np.ndarray, triangles: np.ndarray, lines: np.ndarray) -> pv.PolyData:
    """Triangles (m, 3) and lines (k, 2) as one; of nothing, nothing."""
    how: dict[str, Any] = {}
    if len(triangles):
        how["faces"] = np.hstack([np.full((len(triangles), 1), 3), triangles]).ravel()
    if len(lines):
        how["lines"] = np.hstack([np.full((len(lines), 1), 2), lines]).ravel()
    return pv.PolyData(points, **how) if how else pv.PolyData()


def moving_surface(mesh: MeshFindings) -> pv.PolyData:
    """Surface of a mesh and its line elements; point data 'node'."""
    surface, lines = surface_of(mesh), mesh.lines
    points = (
        np.asarray(surface.point_data["node"]) if surface.n_points else np.zeros(0, dtype=np.int64)
    )
    triangles = surface.regular_faces if surface.n_points else np.zeros((0, 3), dtype=np.int64)
    used, renumbered = np.unique(lines, return_inverse=True)
    found = _joined(
        np.concatenate([mesh.nodes[points], mesh.nodes[used]]),
        triangles,
        renumbered.reshape(-1, 2) + len(points),
    )
    found.point_data["node"] = np.concatenate([points, used])
    if found.n_cells:
        faces = (
            np.asarray(surface.cell_data["face"])
            if surface.n_points
            else np.zeros(0, dtype=np.int64)
        )
        found.cell_data["face"] = np.concatenate(
            [np.full(found.n_cells - len(faces), -1), faces]
        )  # lines are the first cells
    return found


def surface_of(mesh: MeshFindings) -> pv.PolyData:
    """Surface of a mesh with straight small triangles; cell data 'face' is the CAD face of each."""
    cells, row = surface_triangles(mesh)
    face = mesh.triangle_face[row]
    used, renumbered = np.unique(cells, return_inverse=True)
    surface = _joined(mesh.nodes[used], renumbered.reshape(-1, 3), np.zeros((0, 2)))
    surface.cell_data["face"] = face
    surface.point_data["node"] = used
    return surface


def element_lines(mesh: MeshFindings) -> pv.PolyData:
    """Edges of the elements on the surface, through their mid-sides."""
    sides = []
    for shell, elements in mesh.groups():
        if shell:
            sides.append(np.stack([elements, np.roll(elements, -1, axis=1)], axis=2).reshape(-1, 2))
    triangles = mesh.triangles[~np.isin(mesh.triangle_face, mesh.sheet_faces) & (mesh.of_quad < 0)]
    ring = mesh.quads[:, [0, 4, 1, 5, 2, 6, 3, 7]]
    sides.append(np.stack([ring, np.roll(ring, -1, axis=1)], axis=2).reshape(-1, 2))
    for number, (a, b) in enumerate(((0, 1), (1, 2), (2, 0))):
        mids = triangles[:, 3 + number] if triangles.shape[1] == 6 else np.full(len(triangles), -1)
        straight = mids < 0
        sides.append(triangles[straight][:, [a, b]])
        sides += [
            np.stack([triangles[~straight][:, a], mids[~straight]], 1),
            np.stack([mids[~straight], triangles[~straight][:, b]], 1),
        ]
    lines = np.unique(np.sort(np.concatenate(sides), axis=1), axis=0)
    used, renumbered = np.unique(lines, return_inverse=True)
    return _joined(mesh.nodes[used], np.zeros((0, 3)), renumbered.reshape(-1, 2))


def body_surface(view: ShapeView) -> pv.PolyData:
    """The CAD's triangulation, sheets with their thickness; cell data 'face'."""
    points, triangles, face = _outside(view)
    surface = _joined(points, triangles, np.zeros((0, 2)))
    surface.cell_data["face"] = face
    return surface


@keeping(2)
def _outside(view: ShapeView) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Points, triangles and the face of each, found once for what is drawn at every pick."""
    tessellation, (places, sides, of_sheet) = view.tessellation, _sheets_of(view).surface()
    solid = view.faces.thickness[tessellation.face] <= 0
    return (
        np.concatenate([tessellation.points, places]),
        np.concatenate([tessellation.triangles[solid], sides + len(tessellation.points)]),
        np.concatenate([tessellation.face[solid], of_sheet]),
    )


@keeping(2)
def _sheets_of(view: ShapeView) -> ThickSheets:
    return thick_sheets(view)


def ghost_surface(view: ShapeView) -> pv.PolyData:
    """What is only looked at: pieces set aside, and the true shape of lines."""
    return _joined(view.ghost_points, view.ghost_triangles, np.zeros((0, 2)))


def edge_lines(view: ShapeView, edges: list[int] | None = None) -> pv.PolyData:
    """Edges as polylines, those of sheets on both skins."""
    sheets = _sheets_of(view)
    chosen = range(len(view.edges)) if edges is None else edges
    points, cells, start = [], [], 0
    for index in chosen:
        line = view.tessellation.edge(index)
        if len(line) < 2:
            continue
        for seen in sheets.on_skins(line, view.edges.faces[index]) or [line]:
            points.append(seen)
            cells.append(np.concatenate([[len(seen)], start + np.arange(len(seen))]))
            start += len(seen)
    return (
        pv.PolyData(np.concatenate(points), lines=np.concatenate(cells)) if cells else pv.PolyData()
    )


def scribe_lines(view: ShapeView) -> pv.PolyData:
    """Dashes along the edges that were scribed."""
    if view.whole is None:
        return pv.PolyData()
    sheets, dash, points = _sheets_of(view), 0.012 * view.size, []
    for index in np.flatnonzero(view.whole.edge_of < 0):
        line = view.tessellation.edge(int(index))
        along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
        count = max(1, round(along[-1] / dash / 1.6))
        starts = along[-1] * (np.arange(count) + 0.2) / count
        for stop in np.stack([starts, starts + 0.6 * along[-1] / count], axis=1):
            places = np.concatenate(
                [stop[:1], along[(along > stop[0]) & (along < stop[1])], stop[1:]]
            )
            dots = np.stack([np.interp(places, along, line[:, axis]) for axis in range(3)], axis=1)
            for seen in sheets.on_skins(dots, view.edges.faces[index]) or [dots]:
                points += list(np.stack([seen[:-1], seen[1:]], axis=1))
    places = np.concatenate(points)
    return _joined(places, np.zeros((0, 3)), np.arange(len(places)).reshape(-1, 2))


def light_stage(plotter: Any) -> None:
    """Soft light from above the viewer's shoulder and a weaker one from the other side, both
    moving with the camera."""
    for position, strength in (((0.35, 0.6, 1.0), 0.75), ((-0.9, -0.2, 0.6), 0.32)):
        light = pv.Light(position=position, light_type="camera light", intensity=strength)
        plotter.add_light(light)


def _closed_parts(view: ShapeView, face: np.ndarray) -> np.ndarray:
    """Which closed surface each triangle (of `face`) is of: a solid's body, or one sheet's slab."""
    solid = view.faces.thickness[face] <= 0
    return np.where(solid, -1 - view.faces.body[face], face)


class Scene:
    """Adds and removes actors on one plotter."""

    def __init__(self, plotter: Any) -> None:
        self.plotter = plotter
        self.actors: dict[str, Any] = {}
        self.body: pv.PolyData | None = None
        self.mesh_surface: pv.PolyData | None = None
        self.field: pv.PolyData | None = None
        self._base: np.ndarray | None = None
        self._motion: np.ndarray | None = None
        self._picked: tuple[pv.PolyData, np.ndarray] | None = None
        self.scale = 0.0
        self.cut: Cut | None = None
        self._view: ShapeView | None = None
        self._drawn: MeshFindings | None = None
        self._inside: SolidInside | None = None  # of the mesh that is drawn, once it is cut
        self._shown: dict[str, Any] = {}  # the field's values and motion at all nodes, its colours

    def clear(self, *names: str) -> None:
        """Take actors off, all of them when none is named."""
        for name in names or tuple(self.actors):
            actor = self.actors.pop(name, None)
            if actor is not None:
                self.plotter.remove_actor(actor, render=False)

    def _add(self, name: str, data: pv.PolyData, **how: Any) -> Any:
        self.clear(name)
        if data.n_points == 0:
            return None
        how.setdefault("pickable", False)
        self.actors[name] = self.plotter.add_mesh(
            data, render=False, reset_camera=False, show_scalar_bar=False, **how
        )
        self._clip(self.actors[name])
        return self.actors[name]

    def cut_off(self, cut: Cut | None) -> None:
        """Show one side of a plane only, and what it cuts through; all of it with None."""
        self.cut = cut
        for actor in self.actors.values():
            self._clip(actor)
        self.fill()

    def fill(self) -> None:
        """Draw what the plane cuts through: walls and solids are not hollow."""
        for name in [name for name in self.actors if name.startswith("cut ")]:
            self.clear(name)
        if self.cut is None:
            return
        if "body" in self.actors and self._view is not None and self.body is not None:
            part = _closed_parts(self._view, np.asarray(self.body.cell_data["face"]))
            self._add_cut("cut body", caps(self.body, part, self.cut), color=PAPER.cut)
        if self._drawn is None:
            return
        if self._inside is None:
            self._inside = SolidInside(self._drawn)
        if "mesh" in self.actors:
            self._add_cut("cut mesh", self._inside.cut(self.cut, None, None), color=PAPER.cut)
        if "field" in self.actors and self._shown:
            self._add_cut(
                "cut field",
                self._inside.cut(
                    self.cut, self.scale * self._shown["motion"], self._shown["values"]
                ),
                scalars="value",
                cmap=self._shown["colours"],
                clim=self._shown["limits"],
                interpolate_before_map=True,
            )

    def node_inside(self, place: np.ndarray) -> int:
        """Node of a solid nearest to a place on what is cut through, -1 for none."""
        if self._inside is None or not len(self._inside.nodes):
            return -1
        nodes = self._inside.nodes
        moved = self._inside.rest + self.scale * self._shown["motion"][nodes]
        return int(nodes[int(np.argmin(((moved - place) ** 2).sum(axis=1)))])

    def _add_cut(self, name: str, data: pv.PolyData, **how: Any) -> None:
        actor = self._add(name, data, lighting=False, pickable=True, **how)
        if actor is not None:  # it lies in the plane, where rounding would cut it off as well
            actor.mapper.RemoveAllClippingPlanes()

    def _clip(self, actor: Any) -> None:
        actor.mapper.RemoveAllClippingPlanes()
        if self.cut is not None:
            plane = vtkPlane()
            plane.SetOrigin(self.cut.origin)
            plane.SetNormal(self.cut.normal)
            actor.mapper.AddClippingPlane(plane)

    def show_body(self, view: ShapeView, ghost: bool = False) -> None:
        """The body as shaded faces, or only its edges as a ghost."""
        self.clear("body", "edges", "scribes", "aside", "aside edges")
        if len(view.ghost_triangles):
            aside = ghost_surface(view)
            self._add("aside", aside, color=PAPER.line, opacity=0.25, ambient=0.7, diffuse=0.3)
            rim = aside.extract_feature_edges(
                feature_angle=25,
                boundary_edges=False,
                manifold_edges=False,
                non_manifold_edges=False,
            )
            self._add("aside edges", rim, color=PAPER.quiet, line_width=1.0, opacity=0.5)
        self.body, self._view = body_surface(view), view
        if not ghost:
            self._add(
                "body",
                self.body,
                color=PAPER.steel,
                smooth_shading=False,
                ambient=0.42,
                diffuse=0.62,
                pickable=True,
            )
        drawn = (
            None
            if view.whole is None
            else [int(index) for index in np.flatnonzero(view.whole.edge_of >= 0)]
        )
        self._add(
            "edges",
            edge_lines(view, drawn),
            color=PAPER.line if ghost else PAPER.ink,
            line_width=1.0 if ghost else 1.3,
        )
        if not ghost:
            self._add("scribes", scribe_lines(view), color=PAPER.ink, line_width=2.2)
            self.fill()

    def show_mesh(self, mesh: MeshFindings) -> None:
        """The mesh's surface with its element edges, thin and quiet."""
        self.mesh_surface = surface_of(mesh)
        self._add(
            "mesh", self.mesh_surface, color=PAPER.mesh, ambient=0.4, diffuse=0.6, pickable=True
        )
        self._add("mesh lines", element_lines(mesh), color=PAPER.quiet, line_width=0.7)
        poor = worst_elements(mesh)
        if len(poor):
            marked = _joined(mesh.nodes, np.zeros((0, 3)), sides_of(mesh, poor))
            self._add("worst", marked, color=PAPER.bad, line_width=3, show_vertices=False)
        if len(mesh.lines):
            struts = _joined(mesh.nodes, np.zeros((0, 3)), mesh.lines)
            self._add("mesh struts", struts, color=PAPER.ink, line_width=3, show_vertices=False)
            self._add(
                "mesh joints",
                pv.PolyData(mesh.nodes[np.unique(mesh.lines)]),
                color=PAPER.accent,
                point_size=7,
            )
        self._of_mesh(mesh)
        self.fill()

    def _of_mesh(self, mesh: MeshFindings) -> None:
        if mesh is not self._drawn:
            self._drawn, self._inside = mesh, None

    def show_field(
        self,
        mesh: MeshFindings,
        motion: np.ndarray,
        values: np.ndarray,
        colours: Any,
        limits: tuple[float, float],
    ) -> None:
        """A field (n,) on the surface, which `move` then shifts along `motion` (n, 3)."""
        self.field = moving_surface(mesh)
        nodes = self.field.point_data["node"]
        self.field.point_data["value"] = values[nodes]
        self._base = np.array(self.field.points)
        self._motion = motion[nodes]
        self._add(
            "field",
            self.field,
            pickable=True,
            scalars="value",
            cmap=colours,
            clim=limits,
            ambient=0.45,
            diffuse=0.55,
            smooth_shading=False,
            interpolate_before_map=True,
            line_width=7,
        )
        self._of_mesh(mesh)
        self._shown = {"motion": motion, "values": values, "colours": colours, "limits": limits}
        self.fill()

    def show_diagram(
        self, corners: np.ndarray, values: np.ndarray, colours: Any, most: float
    ) -> None:
        """A diagram beside lines: quadrilaterals (i, 4, 3) with values (i, 4) at their corners,
        between -most and most, its outline, and a dot where it is largest."""
        count = len(corners)
        numbers = np.arange(4 * count).reshape(-1, 4)
        filled = pv.PolyData(
            corners.reshape(-1, 3), faces=np.hstack([np.full((count, 1), 4), numbers]).ravel()
        )
        filled.point_data["value"] = values.ravel()
        self._add(
            "diagram",
            filled,
            scalars="value",
            cmap=colours,
            clim=(-most, most),
            lighting=False,
            opacity=0.75,
        )
        outline = np.concatenate([numbers[:, [2, 3]], numbers[:, [0, 3]], numbers[:, [1, 2]]])
        self._add(
            "diagram outline",
            _joined(corners.reshape(-1, 3), np.zeros((0, 3)), outline),
            color=PAPER.ink,
            line_width=1.2,
        )

        peak = corners.reshape(-1, 3)[4 * count - 1 - int(np.abs(values.ravel()[::-1]).argmax())]
        self._add(
            "diagram peak",
            pv.PolyData(peak[None]),
            color=PAPER.ink,
            point_size=7,
            render_points_as_spheres=True,
        )

    def change_motion(self, motion: np.ndarray) -> None:
        """Another motion (n, 3) of the same field."""
        if self.field is not None:
            self._motion = motion[self.field.point_data["node"]]
            self._shown["motion"] = motion

    def change_values(self, values: np.ndarray) -> None:
        """Other values (n,) of the same field."""
        if self.field is not None:
            self.field.point_data["value"] = values[self.field.point_data["node"]]
            self._shown["values"] = values

    def move(self, scale: float) -> None:
        """Shift the field's surface by `scale` times its motion."""
        self.scale = scale
        if self.field is not None and self._base is not None and self._motion is not None:
            self.field.points = self._base + scale * self._motion
            if self._picked is not None:
                lines, used = self._picked
                lines.points = np.asarray(self.field.points)[used]
            if self.cut is not None:
                self.fill()

    def highlight_moved(
        self, mesh: MeshFindings, selection: Sequence[tuple[str, int]], colour: str
    ) -> None:
        """What is picked, in a colour above the field, and moving with it."""
        self.clear("picked")
        self._picked = None
        faces = [index for of, index in selection if of == "face"]
        edges = [index for of, index in selection if of == "edge"]
        triangles = mesh.triangles[np.isin(mesh.triangle_face, faces)][:, :3]
        sides = mesh.segments[np.isin(mesh.segment_edge, edges)][:, :2]
        sides = np.concatenate(
            [sides, triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]
        )
        if self.field is None or len(sides) == 0:
            return
        row = np.full(len(mesh.nodes), -1)
        row[self.field.point_data["node"]] = np.arange(self.field.n_points)
        used, renumbered = np.unique(row[sides], return_inverse=True)
        if used[0] < 0:
            return
        lines = _joined(
            np.asarray(self.field.points)[used], np.zeros((0, 3)), renumbered.reshape(-1, 2)
        )
        self._add("picked", lines, color=colour, line_width=2 if faces else 5)
        self._picked = (lines, used)

    def highlight(
        self, name: str, view: ShapeView, of: str, indices: list[int], colour: str
    ) -> None:
        """Faces or edges shown in a colour above the rest."""
        self.clear(name)
        if not indices:
            return
        if of == "face":
            surface = body_surface(view)
            rows = np.flatnonzero(np.isin(surface.cell_data["face"], indices)).astype(int)
            chosen = surface.extract_cells(rows).extract_surface(algorithm="dataset_surface")  # type: ignore[arg-type]
            actor = self._add(name, chosen, color=colour, ambient=0.6, diffuse=0.4)
            if actor is not None:
                mapper = actor.mapper
                mapper.SetResolveCoincidentTopologyToPolygonOffset()
                mapper.SetRelativeCoincidentTopologyPolygonOffsetParameters(-2, -4)
        else:
            self._add(name, edge_lines(view, indices), color=colour, line_width=5)
