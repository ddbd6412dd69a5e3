"""Measuring what is picked: section properties of flat faces, lengths of edges, distances and angles between two."""
from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from labilis.judge.cuts import cut_section
from labilis.judge.findings import Floats
from labilis.mechanics.cross_section import CrossSection, cross_section
from labilis.mesh import mesh_section
from labilis.shape import ShapeView

Item = tuple[str, int]


def face_section(view: ShapeView, face: int) -> CrossSection | None:
    """Section properties of a flat face, from its triangulation (arcs by chords); None for faces that are not flat."""
    if str(view.faces.kind[face]) != "plane":
        return None
    tessellation = view.tessellation
    triangles = tessellation.triangles[tessellation.face == face]
    loops = _loops(triangles)
    normal = view.faces.direction[face]
    one = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
    one = one / np.linalg.norm(one)
    frame = np.stack([one, np.cross(normal, one)])
    paths = [tessellation.points[loop] @ frame.T for loop in loops]
    paths.sort(key=lambda path: -float(np.prod(np.ptp(path, axis=0))))  # the outer one first
    try:
        return cross_section(*mesh_section([paths]))
    except (ValueError, IndexError, ArithmeticError, np.linalg.LinAlgError):
        return None


def _loops(triangles: np.ndarray) -> list[list[int]]:
    """Closed paths round triangles, by point numbers."""
    sides = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    known = {(int(a), int(b)) for a, b in sides}
    after = {a: b for a, b in known if (b, a) not in known}
    loops = []
    while after:
        start, now = after.popitem()
        loop = [start]
        while now != start and now in after:
            loop.append(now)
            now = after.pop(now)
        loops.append(loop)
    return [loop for loop in loops if len(loop) > 2]


def measured(view: ShapeView, items: tuple[Item, ...]) -> list[str]:
    """Lines about one picked thing, or about two together; nothing for more."""
    if len(items) == 1 and items[0][0] == "face":
        return _face_lines(view, items[0][1])
    if len(items) == 1:
        return _cut_lines(view, items[0][1])
    if len(items) == 2:
        return _between(view, items)
    return []


def _face_lines(view: ShapeView, face: int) -> list[str]:
    if view.faces.thickness[face] > 0:
        return [f"sheet, {view.faces.thickness[face]:.4g} mm thick"]
    section = face_section(view, face)
    if section is None:
        return []
    centre = ", ".join(f"{c:.4g}" for c in np.round(view.faces.centroid[face], 6) + 0.0)
    return [f"I {section.i_z:.4g} and {section.i_y:.4g} mm⁴, J {section.torsion:.4g} mm⁴",
            f"least radius of gyration {section.radius:.4g} mm; centroid ({centre}) mm"]


def _cut_lines(view: ShapeView, edge: int) -> list[str]:
    """The section square to a straight edge at its middle."""
    edges = view.edges
    if str(edges.kind[edge]) != "line":
        return []
    found = cut_section(view, int(view.faces.body[max(edges.faces[edge])]), edges.centroid[edge], edges.direction[edge])
    if found is None:
        return []
    torsion = f", J {found.torsion:.4g} mm⁴" if np.isfinite(found.torsion) else ""
    return [f"cut square to it at its middle: {found.area:.4g} mm²", f"I {found.i_min:.4g} and {found.i_max:.4g} mm⁴{torsion}",
            f"least radius of gyration {np.sqrt(found.i_min / found.area):.4g} mm"]


def _points(view: ShapeView, item: Item) -> Floats:
    of, index = item
    if of == "edge":
        return view.tessellation.edge(index)
    tessellation = view.tessellation
    return tessellation.points[np.unique(tessellation.triangles[tessellation.face == index])]


def _between(view: ShapeView, items: tuple[Item, ...]) -> list[str]:
    (a, b), tables = items, {"face": view.faces, "edge": view.edges}
    one, two = _points(view, a), _points(view, b)
    nearest = min(float(np.linalg.norm(two - point, axis=1).min()) for point in one)
    middle = float(np.linalg.norm(tables[a[0]].centroid[a[1]] - tables[b[0]].centroid[b[1]]))
    lines = [f"{middle:.4g} mm between their middles, {nearest:.4g} mm at the nearest corners"]
    ways = [tables[of].direction[index] for of, index in items]
    if all(np.linalg.norm(way) > 0.5 for way in ways):
        cosine = float(np.clip(abs(ways[0] @ ways[1]), 0.0, 1.0))
        angle = float(np.degrees(np.arccos(cosine)))
        if a[0] != b[0]:  # a face's direction is square to it
            angle = 90.0 - angle
        lines.append(f"{angle:.4g}° between them" if angle > 1e-3 else
                     f"parallel, {abs(float((tables[b[0]].centroid[b[1]] - tables[a[0]].centroid[a[1]]) @ ways[0])):.4g} mm apart"
                     if a[0] == b[0] == "face" else "parallel")
    return lines


def measured_moved(view: ShapeView, items: tuple[Item, ...], nodes: Floats, motion: Floats) -> list[str]:
    """What a motion (n, 3) mm of the mesh's nodes (n, 3) does to one picked thing, or to the distance of two."""
    if len(items) not in (1, 2) or len(nodes) == 0:
        return []
    tree = cKDTree(nodes)
    moves, lines = [], []
    for item in items:
        places = _along(view, item)
        away, near = tree.query(places, k=min(4, len(nodes)))
        share = 1.0 / np.maximum(np.atleast_2d(away.T).T, 1e-9) ** 2
        at = np.einsum("kn,knx->kx", share / share.sum(axis=1, keepdims=True), motion[near.reshape(len(places), -1)])
        moves.append(at.mean(axis=0))
        if len(items) == 1 and item[0] == "edge" and len(places) > 1:
            before, after = (float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum()) for line in (places, places + at))
            lines.append(f"{before:.6g} mm long, {after - before:+.3g} mm under the load")
    if len(items) == 1:
        x, y, z = moves[0] + 0.0
        return [f"moves by {np.linalg.norm(moves[0]):.3g} mm under the load (x {x:.3g}, y {y:.3g}, z {z:.3g})", *lines]
    one, two = ((view.faces if of == "face" else view.edges).centroid[index] for of, index in items)
    before, after = float(np.linalg.norm(two - one)), float(np.linalg.norm(two + moves[1] - one - moves[0]))
    return [f"middles {after:.6g} mm apart under the load, {after - before:+.3g} mm"]


def _along(view: ShapeView, item: Item) -> Floats:
    """Points of an edge at equal distances, or those of a face."""
    places = _points(view, item)
    if item[0] == "face" or len(places) < 2:
        return places
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(places, axis=0), axis=1))])
    even = np.linspace(0.0, run[-1], max(33, len(places)))
    return np.stack([np.interp(even, run, places[:, axis]) for axis in range(3)], axis=1)
