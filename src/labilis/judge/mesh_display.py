"""Figures of a mesh made ready to be looked at: the elements worth a mark, and values of
elements at the nodes."""

from __future__ import annotations

import numpy as np

from labilis.results.findings import MeshFindings

POOR = 0.2  # shape under which an element is worth a look
MARKED = 20  # elements marked at most


def worst_elements(mesh: MeshFindings) -> np.ndarray:
    """Numbers of the elements to mark: the poor ones, the worst first."""
    order = np.argsort(mesh.shape, kind="stable")[:MARKED]
    return np.asarray(order[mesh.shape[order] < POOR])


def sides_of(mesh: MeshFindings, elements: np.ndarray) -> np.ndarray:
    """Straight sides (k, 2), nodes, of some elements."""
    starts = np.concatenate([[0], np.cumsum(mesh.sizes)[:-1]])
    found = []
    for element in elements:
        nodes = mesh.connectivity[starts[element] : starts[element] + mesh.sizes[element]]
        corners = {2: 2, 3: 3, 4: 4, 10: 4, 15: 6, 20: 8}[len(nodes)]
        ring = corners if bool(mesh.shells[element]) or corners == 2 else 0
        if ring:
            pairs = [(k, (k + 1) % corners) for k in range(corners)]
        elif corners == 4:
            pairs = [(0, 1), (1, 2), (2, 0), (0, 3), (1, 3), (2, 3)]
        else:
            half = corners // 2
            pairs = [
                (k + level, (k + 1) % half + level) for level in (0, half) for k in range(half)
            ] + [(k, k + half) for k in range(half)]
        found += [(nodes[a], nodes[b]) for a, b in pairs]
    return np.array(found, dtype=np.int64).reshape(-1, 2)


def surface_triangles(mesh: MeshFindings) -> tuple[np.ndarray, np.ndarray]:
    """(corners (k, 3) of the surface in straight triangles, those with nodes in their sides cut in
    four; row (k,) of `mesh.triangles` that each is cut from)."""
    rows = mesh.triangles
    curved = rows[:, 3:].min(axis=1) >= 0 if rows.shape[1] == 6 else np.zeros(len(rows), dtype=bool)
    parts = (
        [rows[curved][:, list(corner)] for corner in ((0, 3, 5), (3, 1, 4), (5, 4, 2), (3, 4, 5))]
        if curved.any()
        else []
    )
    number = np.arange(len(rows))
    return np.concatenate([rows[~curved][:, :3], *parts]), np.concatenate(
        [number[~curved], *([number[curved]] * len(parts))]
    )


def nodal(mesh: MeshFindings, values: np.ndarray) -> np.ndarray:
    """(n,): values of elements (m,) averaged at the nodes."""
    owner = np.repeat(np.arange(mesh.count), mesh.sizes)
    total = np.bincount(mesh.connectivity, weights=values[owner], minlength=len(mesh.nodes))
    return np.asarray(
        total / np.maximum(np.bincount(mesh.connectivity, minlength=len(mesh.nodes)), 1)
    )


def lever_density(mesh: MeshFindings, levers: np.ndarray) -> np.ndarray:
    """(m,): levers (m,) of elements as if the whole part were like each, its own over its share
    of the area; nought where no shell is."""
    area = shell_areas(mesh)
    return np.asarray(
        np.divide(levers * area.sum(), area, out=np.zeros(mesh.count), where=area > 0)
    )


def skin_gain(mesh: MeshFindings, skin: np.ndarray, outwards: float) -> tuple[np.ndarray, float]:
    """(values (n,), whole): relative rise of a factor where the skin of the solids moves outwards
    by so many mm, of each node as if all of the skin were like it, and of all of it together;
    `skin` (n,) as in ModesFindings."""
    rows = ~np.isin(mesh.triangle_face, mesh.sheet_faces)
    corners = mesh.triangles[rows, :3]
    a, b, c = (mesh.nodes[corners[:, k]] for k in range(3))
    area = 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)
    on_skin = np.zeros(len(mesh.nodes), dtype=bool)
    on_skin[np.unique(mesh.triangles[rows])] = True
    return np.where(on_skin, skin, 0.0) * float(area.sum()) * outwards, float(
        (skin[corners].mean(axis=1) * area).sum()
    ) * outwards


def shell_areas(mesh: MeshFindings) -> np.ndarray:
    """(m,) mm² of each shell, nought for other elements."""
    starts = np.concatenate([[0], np.cumsum(mesh.sizes)[:-1]])
    area = np.zeros(mesh.count)
    for count in (3, 4):
        rows = np.flatnonzero(mesh.shells & (mesh.sizes == count))
        corners = mesh.nodes[mesh.connectivity[starts[rows][:, None] + np.arange(count)]]
        middle = corners.mean(axis=1, keepdims=True)
        area[rows] = 0.5 * np.linalg.norm(
            np.cross(corners - middle, np.roll(corners, -1, axis=1) - middle), axis=2
        ).sum(axis=1)
    return area
