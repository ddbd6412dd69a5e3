"""Small pictures of mode shapes, by points strewn over the surface: no second 3D view is needed,
and one takes some milliseconds however large the mesh."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QColor, QImage, QPixmap

from labilis.judge.mesh_display import surface_triangles
from labilis.results.findings import MeshFindings, ModesFindings
from labilis.ui.stage.scene import colours_of
from labilis.ui.stage.views import toward_eye
from labilis.ui.theme import PAPER

if TYPE_CHECKING:
    from labilis.run.picking import ShapeView

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
_SIDE = 76  # pixels
_FINE = 2  # points of the picture for one of its pixels
_FILLED = 0.9  # of the side, by the longer of both extents
_GAIN = 0.16  # of the part's length, that the largest movement is drawn as
_APART = 0.95  # points of the picture between samples: what is left open the seam closes
_MOST = 60_000  # triangles: of more, most are smaller than a point
_SHADES = 256
_THIN, _SEAMS = 0.06, 3  # of the picture; a part that fills less of it gets up to so many seams
_LIGHT = 0.62  # of a colour that a face seen from its edge keeps


def draw_modes(view: ShapeView, mesh: MeshFindings, modes: ModesFindings) -> Iterator[QPixmap]:
    """A picture of each mode in their order, seen from the corner from which the stage looks."""
    triangles, _ = surface_triangles(mesh)
    triangles = triangles[:: max(1, len(triangles) // _MOST)]
    reach = _GAIN * view.length
    for shape in modes.shapes:
        yield QPixmap.fromImage(_picture(mesh, triangles, shape, view, reach))


def _picture(
    mesh: MeshFindings, triangles: Ints, shape: Floats, view: ShapeView, reach: float
) -> QImage:
    """One shape (n, 3), its largest movement drawn as `reach` mm."""
    size = np.linalg.norm(shape, axis=1)
    eye = toward_eye("i", view)
    right = np.cross([0.0, 0.0, 1.0], eye)
    right = right / np.linalg.norm(right)
    seen = np.stack([right, np.cross(eye, right), eye])  # rows: right, up, toward the eye
    places = (mesh.nodes + reach * shape) @ seen.T
    used = np.unique(np.concatenate([triangles.ravel(), mesh.lines.ravel()]).astype(np.int64))
    low, high = places[used].min(axis=0), places[used].max(axis=0)
    wide = _SIDE * _FINE
    scale = _FILLED * wide / max(float((high - low)[:2].max()), 1e-12)
    flat = (places - 0.5 * (low + high)) * scale + [0.5 * wide, 0.5 * wide, 0.0]
    values = np.clip((size + 0.4) / 1.4, 0.0, 1.0)  # nothing is as pale as the paper
    samples = [_on_triangles(flat, triangles, values), _on_lines(flat, mesh.lines, values)]
    return _image(np.concatenate(samples), wide)


def _on_triangles(flat: Floats, triangles: Ints, values: Floats) -> Floats:
    """Samples (s, 5) of triangles (m, 3): right, up, nearness, value, light."""
    corners = flat[triangles]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.maximum(np.linalg.norm(normal, axis=1), 1e-300)
    light = _LIGHT + (1 - _LIGHT) * np.abs(normal[:, 2]) / length
    known = np.concatenate(
        [
            corners,
            values[triangles][:, :, None],
            np.broadcast_to(light[:, None, None], (len(triangles), 3, 1)),
        ],
        axis=2,
    )
    sides = np.linalg.norm((corners - np.roll(corners, 1, axis=1))[:, :, :2], axis=2)
    parts = np.maximum(np.ceil(sides.max(axis=1, initial=0.0) / _APART).astype(int), 1)
    found = [np.zeros((0, 5))]
    for count in np.unique(parts):
        i, j = np.meshgrid(np.arange(count + 1), np.arange(count + 1), indexing="ij")
        inside = i + j <= count
        shares = np.stack([i[inside], j[inside], count - i[inside] - j[inside]], axis=1) / count
        found.append(np.einsum("sc,mck->msk", shares, known[parts == count]).reshape(-1, 5))
    return np.concatenate(found)


def _on_lines(flat: Floats, lines: Ints, values: Floats) -> Floats:
    """Samples (s, 5) of line elements (k, 2)."""
    found = [np.zeros((0, 5))]
    for a, b in lines:
        steps = np.linspace(0.0, 1.0, int(np.linalg.norm(flat[b] - flat[a]) / _APART) + 2)[:, None]
        known = np.stack([np.append(flat[n], [values[n], 1.0]) for n in (a, b)])
        found.append((1 - steps) * known[0] + steps * known[1])
    return np.concatenate(found)


def _seamed(canvas: Floats, filled: NDArray[np.bool_]) -> tuple[Floats, NDArray[np.bool_]]:
    """A picture and what of it is filled, grown by one point to all sides."""
    seam, seamed = canvas.copy(), filled.copy()
    for right in (-1, 0, 1):
        for down in (-1, 0, 1):
            beside = np.roll(filled, (down, right), axis=(0, 1)) & ~seamed
            seam[beside] = np.roll(canvas, (down, right), axis=(0, 1))[beside]
            seamed |= beside
    return seam, seamed


def _image(samples: Floats, wide: int) -> QImage:
    """The picture of samples, the nearer over the farther ones, with a seam of one point about it,
    or a few about what is thin."""
    samples = samples[np.argsort(samples[:, 2], kind="stable")]
    column = np.clip(samples[:, 0].astype(int), 1, wide - 2)
    row = np.clip((wide - samples[:, 1]).astype(int), 1, wide - 2)
    canvas, filled = np.zeros((wide, wide, 3)), np.zeros((wide, wide), dtype=bool)
    shades = colours_of("movement")(np.linspace(0.0, 1.0, _SHADES))[:, :3]
    canvas[row, column] = shades[(samples[:, 3] * (_SHADES - 1)).astype(int)] * samples[:, 4:]
    filled[row, column] = True
    canvas, filled = _seamed(canvas, filled)
    for _ in range(_SEAMS - 1):
        if filled.mean() < _THIN:
            canvas, filled = _seamed(canvas, filled)
    paper = QColor(PAPER.ground)
    canvas[~filled] = paper.redF(), paper.greenF(), paper.blueF()
    small = canvas.reshape(_SIDE, _FINE, _SIDE, _FINE, 3).mean(axis=(1, 3))
    data = np.round(255 * np.clip(small, 0, 1)).astype(np.uint8).tobytes()
    return QImage(data, _SIDE, _SIDE, 3 * _SIDE, QImage.Format.Format_RGB888).copy()
