"""Pictures of the part for the report, drawn off screen: no display is needed."""

from __future__ import annotations

import io
from collections import deque
from collections.abc import Mapping
from typing import Any

import numpy as np

from labilis.judge.mesh_display import surface_triangles
from labilis.model import Project, shown
from labilis.results.findings import Floats, Ints, MeshFindings
from labilis.results.stress_measures import von_mises
from labilis.run.glyphs import marks_of
from labilis.run.keys import stage_keys
from labilis.run.report import ProjectReport
from labilis.run.settling import settled

_SIZES = {
    "part": (1500, 950),
    "trace": (1500, 950),
}  # pixels of a picture across the page: 220 to the inch
_HALF = (950, 720)  # of one across half of it
_INK, _PART, _LOAD, _LINE = "#1F2428", "#C9CDC8", "#A66A00", "#8A9096"
_MOVED = ["#E9EAE6", "#0F6B63", "#06302C"]
_STRESS = ["#EDEBE4", "#E0B15A", "#B93A1E"]
_LARGER = 0.12  # of the part's size, that a mode's largest movement is drawn as


def draw(
    kind: str,
    project: Project,
    report: ProjectReport,
    results: Mapping[str, Any],
    case: str,
    number: int = 0,
    width: int | None = None,
) -> bytes:
    """A PNG: 'part' with its supports and loads, 'mesh', 'stress' of a case, 'mode' number (from
    0), or the end of a 'trace'; so wide in pixels, or as the report needs it."""
    import pyvista
    from vtkmodules.vtkCommonCore import vtkLogger

    vtkLogger.SetStderrVerbosity(vtkLogger.VERBOSITY_ERROR)  # that there is no display is no news
    mesh, found = report.mesh, report.case(case)
    assert mesh is not None
    plotter = pyvista.Plotter(off_screen=True, window_size=_pixels(kind, width))
    try:
        plotter.set_background("white")  # type: ignore[arg-type]
        plotter.enable_parallel_projection()  # type: ignore[call-arg]
        plotter.enable_anti_aliasing("ssaa")
        nodes, facts = mesh.nodes, None if found is None else found.facts
        _content(plotter, kind, mesh, facts, number)
        if kind == "part":
            _marks(plotter, project, results, case, _reach(nodes))
        plotter.add_axes(color=_INK, line_width=3, viewport=(0.0, 0.0, 0.14, 0.2))  # type: ignore[call-arg]
        plotter.view_vector((1.0, -1.25, 0.8), viewup=(0.0, 0.0, 1.0))  # type: ignore[arg-type]
        plotter.reset_camera()  # type: ignore[call-arg]
        plotter.camera.zoom(0.93)
        image = plotter.screenshot(return_img=True)
    finally:
        plotter.close()
    return _png(np.asarray(image))


def _content(plotter: Any, kind: str, mesh: Any, facts: Any, number: int) -> None:
    """The part as it lies or moves, coloured by what the picture shows."""
    nodes = mesh.nodes
    if kind == "mode":
        assert facts is not None and facts.modes is not None
        shape = facts.modes.shapes[number]
        _body(
            plotter,
            mesh,
            nodes + _LARGER * _reach(nodes) * shape,
            np.linalg.norm(shape, axis=1),
            _MOVED,
        )
        _outline(plotter, mesh, nodes, _LINE, 1.0)
    elif kind == "stress":
        assert facts is not None and facts.strength is not None
        _body(
            plotter,
            mesh,
            nodes,
            von_mises(facts.strength.stress) / shown.per("stress"),
            _STRESS,
            shown.unit("stress"),
        )
    elif kind == "trace":
        assert facts is not None and facts.trace is not None
        moved = facts.trace.motions[-1]
        _body(
            plotter,
            mesh,
            nodes + moved,
            np.linalg.norm(moved, axis=1) / shown.per("length"),
            _MOVED,
            shown.unit("length"),
        )
        _outline(plotter, mesh, nodes, _LINE, 1.0)
    else:
        _body(plotter, mesh, nodes, None, None, sides=kind == "mesh")


def _pixels(kind: str, width: int | None) -> list[int]:
    """Width and height of a picture."""
    wide, high = _SIZES.get(kind, _HALF)
    return [wide, high] if width is None else [width, round(width * high / wide)]


def _png(image: np.ndarray) -> bytes:
    """An image, its white border cut off."""
    import imageio.v3 as imageio

    dark = np.any(image[:, :, :3] < 250, axis=2)
    rows, columns = np.flatnonzero(dark.any(axis=1)), np.flatnonzero(dark.any(axis=0))
    if len(rows) and len(columns):
        image = image[
            max(rows[0] - 12, 0) : rows[-1] + 12, max(columns[0] - 12, 0) : columns[-1] + 12
        ]
    target = io.BytesIO()
    imageio.imwrite(target, np.ascontiguousarray(image), extension=".png")
    return target.getvalue()


def _reach(nodes: Floats) -> float:
    return float(np.linalg.norm(np.ptp(nodes, axis=0)))


def _poly(mesh: MeshFindings, places: Floats) -> tuple[Any, Any]:
    import pyvista

    triangles, lines = surface_triangles(mesh)[0], mesh.lines
    faces = np.column_stack([np.full(len(triangles), 3), triangles]).ravel()
    surface = pyvista.PolyData(places, faces=faces) if len(triangles) else None
    wires = (
        pyvista.PolyData(places, lines=np.column_stack([np.full(len(lines), 2), lines]).ravel())
        if len(lines)
        else None
    )
    return surface, wires


def _body(
    plotter: Any,
    mesh: MeshFindings,
    places: Floats,
    values: Floats | None,
    colours: list[str] | None,
    unit: str = "",
    sides: bool = False,
) -> None:
    look: dict[str, Any] = (
        {"color": _PART}
        if values is None
        else {
            "scalars": values,
            "cmap": _between(colours or _MOVED),
            "show_scalar_bar": False,
            "clim": (0.0, max(float(values.max()), 1e-30)),
        }
    )
    surface, wires = _poly(mesh, places)
    drawn = None
    if surface is not None:
        drawn = plotter.add_mesh(
            surface,
            smooth_shading=False,
            lighting=True,
            ambient=0.35,
            diffuse=0.65,
            specular=0.0,
            **look,
        )
        if sides:
            plotter.add_mesh(_poly(mesh, places)[0], style="wireframe", color=_LINE, line_width=1.0)
    if wires is not None:
        drawn = plotter.add_mesh(wires, line_width=6, render_lines_as_tubes=True, **look)
    _outline(plotter, mesh, places, _INK, 1.6)
    if values is not None and unit and drawn is not None:
        plotter.add_scalar_bar(
            title=f"{unit}\n",
            mapper=drawn.mapper,
            color=_INK,
            n_labels=5,
            fmt="%.3g",
            vertical=True,
            position_x=0.86,
            position_y=0.25,
            height=0.5,
            width=0.06,
            title_font_size=34,
            label_font_size=32,
        )


def _between(colours: list[str]) -> list[str]:
    """A scale of 96 colours through the given ones."""
    stops = np.array(
        [[int(colour[k : k + 2], 16) for k in (1, 3, 5)] for colour in colours], dtype=float
    )
    at = np.linspace(0, len(stops) - 1, 96)
    mixed = (
        np.stack(
            [np.interp(at, np.arange(len(stops)), stops[:, channel]) for channel in range(3)],
            axis=1,
        )
        .round()
        .astype(int)
    )
    return [f"#{r:02X}{g:02X}{b:02X}" for r, g, b in mixed]


def _outline(plotter: Any, mesh: MeshFindings, places: Floats, colour: str, width: float) -> None:
    """Borders and sharp edges of the undeformed part, wherever its nodes are now."""
    import pyvista

    lines = _sharp(mesh)
    if len(lines):
        plotter.add_mesh(
            pyvista.PolyData(
                places, lines=np.column_stack([np.full(len(lines), 2), lines]).ravel()
            ),
            color=colour,
            line_width=width,
        )


def _sharp(mesh: MeshFindings) -> Ints:
    """Sides (k, 2) of triangles that belong to one only, or to two that stand at more than 25°
    to each other; found once for a mesh."""
    for known, found in _known:
        if known is mesh:
            return found
    triangles, _ = surface_triangles(mesh)
    corners = mesh.nodes[triangles]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    sides = np.sort(
        np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), axis=1
    )
    owner = np.tile(np.arange(len(triangles)), 3)
    order = np.lexsort((sides[:, 1], sides[:, 0]))
    sides, owner = sides[order], owner[order]
    first = (
        np.concatenate([[True], (sides[1:] != sides[:-1]).any(axis=1)])
        if len(sides)
        else np.zeros(0, dtype=bool)
    )
    start = np.flatnonzero(first)
    count = np.diff(np.concatenate([start, [len(sides)]]))
    one, two = owner[start], owner[np.minimum(start + 1, len(sides) - 1)]
    bent = np.abs((normal[one] * normal[two]).sum(axis=1)) < np.cos(np.radians(25.0))
    found = sides[start[(count != 2) | bent]]
    _known.append((mesh, found))
    return found


_known: deque[tuple[MeshFindings, Ints]] = deque(maxlen=4)


def _marks(
    plotter: Any, project: Project, results: Mapping[str, Any], case: str, reach: float
) -> None:
    """Cones under what is held, arrows with their value at what is loaded."""
    import pyvista

    view = results.get(stage_keys(settled(project, results)).shape)
    if view is None:
        return
    marks = marks_of(project, view, case)
    size = 0.035 * reach
    for support in marks.supports:
        cone = pyvista.Cone(
            center=support.place - [0, 0, 0.5 * size],
            direction=(0, 0, 1),
            height=size,
            radius=0.55 * size,
            resolution=4,
        )
        plotter.add_mesh(cone, color=_INK)
    long = 0.13 * reach
    tips, tags = [], []
    for load in marks.loads:
        direction = load.direction / max(float(np.linalg.norm(load.direction)), 1e-300)
        plotter.add_mesh(
            pyvista.Arrow(
                start=load.place - long * direction,
                direction=direction,
                scale=long,
                tip_length=0.28,
                tip_radius=0.075,
                shaft_radius=0.022,
            ),
            color=_LOAD,
        )
        tips.append(load.place - 1.12 * long * direction)
        tags.append(load.tag)
    firsts = {support.name: support.place for support in reversed(marks.supports)}
    look = {"shape": None, "show_points": False, "always_visible": True}
    if firsts:  # below their places, what the loads are above theirs
        plotter.add_point_labels(
            np.array([place - [0, 0, 1.6 * size] for place in firsts.values()]),
            [f"\n   {name}" for name in firsts],
            text_color=_INK,
            font_size=26,
            **look,
        )
    if tags:
        plotter.add_point_labels(
            np.array(tips),
            [f"{tag}\n" for tag in tags],
            text_color=_LOAD,
            font_size=28,
            bold=True,
            **look,
        )
