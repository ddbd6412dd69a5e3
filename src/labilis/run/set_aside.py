"""Pieces set aside weigh on the rest: their mass, where it hangs, and the faces they touch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from labilis.mesh.nearest_point import closest_weights
from labilis.model import Project
from labilis.shape import ShapeView

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
_SLACK = 0.05  # mm between faces that still touch, beside half the thickness of a sheet
_LEAST = 0.02  # of the largest touched area
_SHARE = 0.15  # of a face that must touch: a bend beside a flange does so along a line only


@dataclass(frozen=True)
class AsideMass:
    """mass t (nan without density, or of an open skin); closed: whether its skin is; volume mm³;
    centre (3,) mm; faces (k,): those of the part it touches."""

    mass: float
    closed: bool
    volume: float
    centre: Floats
    faces: Ints


def mass_of_aside(project: Project, view: ShapeView, piece: str) -> AsideMass | None:
    """Mass of a piece set aside, all copies together, and what it touches; None when it is not
    shown."""
    chosen = (
        view.ghost_names[view.ghost_of] == piece if len(view.ghost_of) else np.zeros(0, dtype=bool)
    )
    if not chosen.any():
        return None
    corners = view.ghost_points[view.ghost_triangles[chosen]]
    six = np.einsum(
        "ki,ki->k", np.cross(corners[:, 0], corners[:, 1]), corners[:, 2]
    )  # six times the volume under each
    volume = float(six.sum()) / 6.0
    centre = (six[:, None] * corners.sum(axis=1)).sum(axis=0) / (
        4.0 * max(float(six.sum()), 1e-300)
    )
    material = next(
        (
            item
            for item in project.materials
            if item.name == project.named("pieces", piece).material
        ),
        None,
    )
    closed = _is_closed(corners)
    mass = (
        float("nan")
        if not closed or material is None or material.density is None
        else volume * project.number(material, "density")
    )
    return AsideMass(mass, closed, volume, centre, _touched(view, corners))


def _is_closed(corners: Floats) -> bool:
    """Whether triangles (m, 3, 3) leave no edge with one side only, so that what they enclose is a
    volume. Points count as one from a millionth of the size on."""
    scale = max(float(np.ptp(corners, axis=(0, 1)).max()), 1e-300)
    _, point = np.unique(
        np.round(corners.reshape(-1, 3) / (1e-6 * scale)).astype(np.int64),
        axis=0,
        return_inverse=True,
    )
    ends = point.reshape(-1, 3)
    edges = np.sort(np.concatenate([ends[:, [0, 1]], ends[:, [1, 2]], ends[:, [2, 0]]]), axis=1)
    edges = edges[edges[:, 0] != edges[:, 1]]
    return bool((np.unique(edges, axis=0, return_counts=True)[1] % 2 == 0).all())


def _touched(view: ShapeView, ghost: Floats) -> Ints:
    """Faces of the part that lie on the surface of a ghost, sampled at the corners and middles
    of their triangles."""
    low, high = ghost.min(axis=(0, 1)), ghost.max(axis=(0, 1))
    areas = np.zeros(len(view.faces))
    for face in range(len(view.faces)):
        reach = 0.5 * float(view.faces.thickness[face]) + _SLACK
        triangles = view.tessellation.points[
            view.tessellation.triangles[view.tessellation.face == face]
        ]
        spots, weight = _spots(triangles, max(float(np.sqrt(view.faces.area[face])) / 12.0, 1e-6))
        near = ((spots >= low - reach) & (spots <= high + reach)).all(axis=1)
        if near.any():
            close = np.zeros(len(spots), dtype=bool)
            close[near] = _distance(spots[near], ghost) < reach
            share = float(weight[close].sum() / weight.sum())
            areas[face] = share * float(view.faces.area[face]) if share > _SHARE else 0.0
    return np.flatnonzero(areas > _LEAST * max(float(areas.max(initial=0.0)), 1e-300))


def _spots(triangles: Floats, spacing: float) -> tuple[Floats, Floats]:
    """(points inside triangles (k, 3, 3) about `spacing` apart, the area each stands for)."""
    area = 0.5 * np.linalg.norm(
        np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]), axis=1
    )
    spots, weights = [], []
    for corner, size in zip(triangles, area):
        n = int(np.clip(np.sqrt(size) / spacing, 1, 12))
        i, j = np.meshgrid(np.arange(n), np.arange(n), indexing="ij")
        keep = i + j < n
        share = np.stack([i[keep] + 1 / 3, j[keep] + 1 / 3], axis=1) / n
        spots.append((1 - share.sum(axis=1))[:, None] * corner[0] + share @ corner[1:])
        weights.append(np.full(len(share), size / len(share)))
    return np.concatenate(spots), np.concatenate(weights)


def _distance(points: Floats, corners: Floats) -> Floats:
    """Distance (k,) of points to the nearest of a few thousand triangles."""
    found = np.full(len(points), np.inf)
    if len(corners) <= 400:
        candidates = np.broadcast_to(np.arange(len(corners)), (len(points), len(corners)))
    else:
        candidates = cKDTree(corners.mean(axis=1)).query(points, k=60)[1]
    for column in range(candidates.shape[1]):
        chosen = corners[candidates[:, column]]
        weights = closest_weights(points, chosen)
        found = np.minimum(
            found, np.linalg.norm(points - np.einsum("kc,kcx->kx", weights, chosen), axis=1)
        )
    return found
