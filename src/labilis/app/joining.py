"""Bolts and seams from what is picked."""

from __future__ import annotations

import numpy as np

from labilis.app.picked import Offer, Selection, with_region
from labilis.model import Bolt, Project, Seam
from labilis.model.renaming import renamed
from labilis.run.picking import ShapeView, circle_centre

_SIZES = (
    3,
    4,
    5,
    6,
    8,
    10,
    12,
    14,
    16,
    20,
    24,
    27,
    30,
    36,
)  # mm: threads of ISO 261's first choice


def join_offers(view: ShapeView, selection: Selection) -> list[Offer]:
    """Ways to join what is picked: bores of two or more pieces, or edges that lie on another
    piece."""
    bores = [_bore(view, item) for item in selection]
    if (
        all(bore is not None for bore in bores)
        and len({view.body_of(*item) for item in selection}) > 1
    ):
        return [Offer("bolt", "A bolt through them, the pieces only bolted")]
    if any(of != "edge" or view.edges.length[index] == 0 for of, index in selection):
        return []
    if len({view.body_of(*item) for item in selection}) > 1:
        return []
    return [
        Offer(f"seam {name}", f"Welded to {name} along them") for name in _beside(view, selection)
    ]


def join(
    project: Project, view: ShapeView, selection: Selection, way: str
) -> tuple[Project, str, str, str]:
    """(statements, words, list that the new one is in, its name) with the selection joined in
    one of the ways of `join_offers`."""
    if way == "bolt":
        groups: dict[int, list[tuple[str, int]]] = {}
        for item in selection:
            groups.setdefault(view.body_of(*item), []).append(item)
        regions = []
        for items in groups.values():
            project, name = _bore_region(project, view, _whole(view, items))
            regions.append(name)
        bore = min(2 * float(_bore(view, item)[1]) for item in selection)  # type: ignore[index]
        size = max((size for size in _SIZES if size <= bore), default=_SIZES[0])
        bolt = Bolt(
            name=project.free_name("bolts", f"M{size}"),
            through=tuple(regions),
            diameter=f"{size} mm",
            faces="apart",
        )
        return project.with_item("bolts", bolt), f"{bolt.name} added", "bolts", bolt.name
    project, region = with_region(project, view, selection)
    body = way.removeprefix("seam ")
    to = (
        body if any(body in piece.instances for piece in project.pieces) else project.piece_of(body)
    )
    seam = Seam(name=project.free_name("seams", f"{region.name} welded"), along=region.name, to=to)
    return project.with_item("seams", seam), f"{seam.name} added", "seams", seam.name


def _bore_region(project: Project, view: ShapeView, items: Selection) -> tuple[Project, str]:
    """Statements with a region for a bore, called after its piece where it has no name of its
    own."""
    known = {region.name for region in project.regions}
    project, region = with_region(project, view, items)
    if region.name in known or not region.picks:
        return project, region.name
    number = [item.name for item in project.regions].index(region.name)
    name = project.free_name("regions", f"{region.piece} bore")
    return renamed(project, "regions", number, name), name


def _bore(view: ShapeView, item: tuple[str, int]) -> tuple[np.ndarray, float] | None:
    """(direction, radius) of a bore, or of the round edge of a hole."""
    of, index = item
    if of == "face":
        round_one = str(view.faces.kind[index]) == "cylinder" and bool(view.faces.inner[index])
        return (view.faces.direction[index], float(view.faces.radius[index])) if round_one else None
    face = int(view.edges.faces[index].max())  # -1 for the end of a line
    if (
        str(view.edges.kind[index]) != "circle" or face < 0 or view.faces.thickness[face] <= 0
    ):  # a solid's bore is its face
        return None
    return view.edges.direction[index], float(view.edges.radius[index])


def _whole(view: ShapeView, items: list[tuple[str, int]]) -> Selection:
    """Picked bores, arcs with all others of their circle."""
    found = dict.fromkeys(items)
    for of, index in items:
        if of == "edge":
            centre, radius = circle_centre(view, index), float(view.edges.radius[index])
            for other in np.flatnonzero(
                (view.edges.kind == "circle") & (np.abs(view.edges.radius - radius) < 1e-3 * radius)
            ):
                if (
                    view.body_of("edge", int(other)) == view.body_of(of, index)
                    and np.linalg.norm(circle_centre(view, int(other)) - centre) < 0.01 * radius
                ):
                    found["edge", int(other)] = None
    return tuple(found)


def _beside(view: ShapeView, selection: Selection) -> list[str]:
    """Bodies whose surface comes as near to the edges as the walls are thick."""
    points = np.concatenate([view.tessellation.edge(index) for _, index in selection])
    own = view.body_of(*selection[0])
    reach = 1.05 * max(view.thickness, float(view.faces.thickness.max(initial=0.0)))
    found = []
    for body, name in enumerate(view.bodies):
        if body == own:
            continue
        faces = np.flatnonzero(view.faces.body == body)
        corners = view.tessellation.points[
            np.unique(view.tessellation.triangles[np.isin(view.tessellation.face, faces)])
        ]
        if (
            len(corners)
            and ((points >= corners.min(axis=0) - reach) & (points <= corners.max(axis=0) + reach))
            .all(axis=1)
            .any()
        ):
            found.append(str(name))
    return found
