"""Which face or edge lies under a point of the window."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from vtkmodules.vtkCommonCore import vtkIdList, vtkPoints
from vtkmodules.vtkCommonDataModel import vtkStaticCellLocator
from vtkmodules.vtkRenderingCore import vtkCellPicker

from labilis.ui.stage.cutting import Cut

if TYPE_CHECKING:
    from labilis.run.picking import ShapeView

_EDGE_REACH = 4.0  # pixels
_END_REACH = 9.0
_SPOT_REACH, _SPOT_MOST = 8.0, 25.0


def world_to_display(renderer: Any, points: np.ndarray) -> np.ndarray:
    """Pixels (n, 2) from the lower left and depth, as (n, 3), of points (n, 3) in space."""
    width, height = renderer.GetSize()
    camera = renderer.GetActiveCamera()
    matrix = camera.GetCompositeProjectionTransformMatrix(renderer.GetTiledAspectRatio(), 0, 1)
    m = np.array([[matrix.GetElement(i, j) for j in range(4)] for i in range(4)])
    clip = np.concatenate([points, np.ones((len(points), 1))], axis=1) @ m.T
    ndc = clip[:, :3] / clip[:, 3:4]
    return np.stack([(ndc[:, 0] + 1) / 2 * width, (ndc[:, 1] + 1) / 2 * height, ndc[:, 2]], axis=1)


def pick(
    renderer: Any,
    view: ShapeView,
    actor: Any,
    faces: np.ndarray,
    x: float,
    y: float,
    cut: Cut | None = None,
    cap: Any = None,
) -> tuple[str, int] | None:
    """('edge', number) when the pointer is within some pixels of a visible edge, else ('face',
    number), else None.

    `actor` shows triangles whose CAD face is given by `faces` (cells,), without what is `cut` off;
    `cap`: the actor of what the plane cuts through, behind which nothing is seen.
    """
    face, depth = _hit(renderer, actor, faces, x, y, cap)
    edge = _nearest_edge(renderer, view, x, y, depth, cut)
    if edge is not None:
        return "edge", edge
    return ("face", face) if face >= 0 else None


def faces_behind(
    renderer: Any, actor: Any, faces: np.ndarray, x: float, y: float, cut: Cut | None = None
) -> list[int]:
    """CAD faces (of `faces`, per cell of the actor) that a line of sight meets, the first one in
    front; each once."""
    ends = []
    for depth in (0.0, 1.0):
        renderer.SetDisplayPoint(x, y, depth)
        renderer.DisplayToWorld()
        point = np.array(renderer.GetWorldPoint())
        ends.append(point[:3] / point[3])
    surface = actor.GetMapper().GetInput()
    locator = vtkStaticCellLocator()
    locator.SetDataSet(surface)
    locator.BuildLocator()
    points, cells = vtkPoints(), vtkIdList()
    reach = 1e-7 * float(np.linalg.norm(ends[1] - ends[0]))
    locator.IntersectWithLine(ends[0], ends[1], reach, points, cells)
    where = np.array([points.GetPoint(k) for k in range(points.GetNumberOfPoints())])
    if len(where) == 0:
        return []
    order = np.argsort((where - ends[0]) @ (ends[1] - ends[0]), kind="stable")
    seen = np.ones(len(where), dtype=bool) if cut is None else cut.keeps(where)
    hit = [int(faces[cells.GetId(int(k))]) for k in order if seen[k]]
    return list(dict.fromkeys(face for face in hit if face >= 0))


def _hit(
    renderer: Any, actor: Any, faces: np.ndarray, x: float, y: float, cap: Any = None
) -> tuple[int, float | None]:
    """(CAD face of the cell of an actor under a pixel, -1 for none and where its `cap` is in front;
    the depth on the screen, None where nothing is hit)."""
    picker = vtkCellPicker()
    picker.SetTolerance(0.0005)
    picker.PickFromListOn()
    picker.AddPickList(actor)
    if cap is not None:
        picker.AddPickList(cap)
    if not picker.Pick(x, y, 0, renderer) or picker.GetCellId() < 0:
        return -1, None
    depth = float(world_to_display(renderer, np.array([picker.GetPickPosition()]))[0, 2])
    covered = cap is not None and picker.GetActor() is cap
    return -1 if covered else int(faces[picker.GetCellId()]), depth


def hit_at(renderer: Any, actor: Any, behind: Any, x: float, y: float) -> np.ndarray | None:
    """Where (3,) an actor lies under a pixel, None where it does not or `behind` is in front."""
    picker = vtkCellPicker()
    picker.SetTolerance(0.0005)
    picker.PickFromListOn()
    for one in (actor, behind):
        picker.AddPickList(one)
    if not picker.Pick(x, y, 0, renderer) or picker.GetActor() is not actor:
        return None
    return np.array(picker.GetPickPosition())


def pick_edge(
    renderer: Any, view: ShapeView, x: float, y: float, cut: Cut | None = None
) -> tuple[str, int] | None:
    """('edge', number) within reach of the pointer: an end of a line before its run."""
    edge = _nearest_edge(renderer, view, x, y, None, cut)
    return None if edge is None else ("edge", edge)


def pick_shown(
    renderer: Any,
    actor: Any,
    faces: np.ndarray,
    sides: np.ndarray,
    edges: np.ndarray,
    x: float,
    y: float,
    cut: Cut | None = None,
) -> tuple[str, int] | None:
    """The same on a deformed shape: `faces` the CAD face of each cell of `actor`, -1 for none;
    sides (s, 2, 3) where they are shown, with the CAD edge of each."""
    face, depth = _hit(renderer, actor, faces, x, y)
    if cut is not None:
        start, end, left = cut.shortened(sides[:, 0], sides[:, 1])
        sides, edges = np.stack([start, end], axis=1)[left], edges[left]
    if len(sides):
        on_screen = world_to_display(renderer, sides.reshape(-1, 3)).reshape(-1, 2, 3)
        away = _distances(on_screen[:, 0], on_screen[:, 1], x, y, depth)
        best = int(np.argmin(away))
        if away[best] < _EDGE_REACH:
            return "edge", int(edges[best])
    return ("face", face) if face >= 0 else None


def _distances(
    start: np.ndarray, end: np.ndarray, x: float, y: float, depth: float | None
) -> np.ndarray:
    """Pixels (s,) from the pointer to lines on the screen, infinite for what lies behind
    `depth`."""
    step = end[:, :2] - start[:, :2]
    length2 = np.maximum((step**2).sum(axis=1), 1e-12)
    t = np.clip(((np.array([x, y]) - start[:, :2]) * step).sum(axis=1) / length2, 0, 1)
    distance = np.linalg.norm(start[:, :2] + t[:, None] * step - np.array([x, y]), axis=1)
    if depth is None:
        return np.asarray(distance)
    # an edge behind the face under the pointer cannot be meant
    z = start[:, 2] + t * (end[:, 2] - start[:, 2])
    reach = 0.02 * max(float(np.ptp(np.concatenate([start[:, 2], end[:, 2]]))), 1e-9)
    return np.where(z > depth + reach, np.inf, distance)


def _nearest_edge(
    renderer: Any,
    view: ShapeView,
    x: float,
    y: float,
    depth: float | None,
    cut: Cut | None,
) -> int | None:
    tessellation = view.tessellation
    if len(tessellation.edge_points) == 0:
        return None
    counts = np.diff(tessellation.edge_offsets)
    owner = np.repeat(np.arange(len(counts)), counts)
    same = owner[:-1] == owner[1:]
    first, last, who = (
        tessellation.edge_points[:-1][same],
        tessellation.edge_points[1:][same],
        owner[:-1][same],
    )
    if cut is not None:
        first, last, left = cut.shortened(first, last)
        first, last, who = first[left], last[left], who[left]
    if len(who) == 0:
        return None
    start, end = world_to_display(renderer, first), world_to_display(renderer, last)
    distance = _distances(start, end, x, y, depth)
    ends = view.edges.kind[who] == "point"
    close = ends & (distance < _END_REACH)
    if close.any():  # an end has no length to hit: it reaches further than a run
        return int(who[int(np.argmin(np.where(close, distance, np.inf)))])
    best = int(np.argmin(distance))
    return int(who[best]) if distance[best] < _EDGE_REACH else None


def nearest_point(
    renderer: Any, points: np.ndarray, x: float, y: float, cut: Cut | None = None
) -> int:
    """Number of the point (n, 3) that is nearest to a pixel, among those within reach the one in
    front; -1 for none. What is cut off is not there."""
    on_screen = world_to_display(renderer, points)
    away = np.linalg.norm(on_screen[:, :2] - np.array([x, y]), axis=1)
    if cut is not None:
        away[~cut.keeps(points)] = np.inf
    close = np.flatnonzero(away < max(_SPOT_REACH, float(away.min(initial=np.inf)) * 1.001))
    if len(close) == 0 or away[close].min() > _SPOT_MOST:
        return -1
    front = on_screen[close, 2]
    near = close[front < front.min() + 0.02 * max(float(np.ptp(on_screen[:, 2])), 1e-9)]
    return int(near[int(np.argmin(away[near]))])
