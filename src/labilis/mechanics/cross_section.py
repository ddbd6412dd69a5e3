"""Properties of a cross-section from six-node triangles over it: bending, St Venant torsion, shear,
warping.

The warping function and the two shear functions solve Laplace problems on the section (Pilkey 2002,
Analysis and Design of Elastic Beams), Poisson's ratio taken as zero in them.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
# six points, exact to degree four (Dunavant 1985)
_A, _B = 0.445948490915965, 0.091576213509771
_POINTS = np.array(
    [[_A, _A], [1 - 2 * _A, _A], [_A, 1 - 2 * _A], [_B, _B], [1 - 2 * _B, _B], [_B, 1 - 2 * _B]]
)
# times: 512 fibres; of a rectangle under n = 0.8 they leave 1 % of its moment to the other axis
_HALVED = 9
_WEIGHTS = 0.5 * np.repeat([0.223381589678011, 0.109951743655322], 3)


@dataclass(frozen=True)
class CrossSection:
    """A section about its centroid, in principal axes y and z.

    area mm²; centroid (2,) mm and axes (2, 2), the rows y and z, both in the axes of the outline;
    i_y = ∫z², i_z = ∫y² mm⁴, i_z the smaller; torsion J mm⁴; shear_y, shear_z mm² that carry shear;
    shear_centre (2,) mm from the centroid; warping C_w mm⁶; polar (4,): ∫(y² + z²) [1, z, -y, y² +
    z²] dA, mm⁴ to mm⁶; points (k, 2) mm, the outermost ones; omega (k,) mm² there: the warping
    function about the shear centre, its mean nought; fibres (f, 4): y, z, omega and area mm² of
    about equal parts of the section; twist_arm mm: the largest St Venant's shear stress over G and
    the rate of twist.
    """

    area: float
    centroid: Floats
    axes: Floats
    i_y: float
    i_z: float
    torsion: float
    shear_y: float
    shear_z: float
    shear_centre: Floats
    warping: float
    polar: Floats
    points: Floats
    omega: Floats
    fibres: Floats = field(default_factory=lambda: np.zeros((0, 4)))
    twist_arm: float = 0.0

    @property
    def radius(self) -> float:
        """Least radius of gyration, mm."""
        return float(np.sqrt(self.i_z / self.area))


def quadratic_triangles(points: Floats, triangles: Ints) -> tuple[Floats, Ints]:
    """(points with mid-sides, triangles (m, 6)) of straight triangles (m, 3): corners, then
    mid-sides 01 12 20."""
    sides = np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2)
    unique, number = np.unique(np.sort(sides.reshape(-1, 2), axis=1), axis=0, return_inverse=True)
    return (
        np.concatenate([points, points[unique].mean(axis=1)]),
        np.concatenate([triangles, len(points) + number.reshape(-1, 3)], axis=1),
    )


def cross_section(points: Floats, triangles: Ints) -> CrossSection:
    """Properties of the section covered by triangles (m, 3) on points (n, 2) mm; parts that do not
    touch act together in bending, each for itself in torsion."""
    places, elements = quadratic_triangles(points, triangles)
    values, slopes, weight = _forms(places, elements)
    at = np.einsum("gn,mni->mgi", values, places[elements])
    area = float(weight.sum())
    centroid = np.einsum("mg,mgi->i", weight, at) / area
    second = np.einsum("mg,mgi,mgj->ij", weight, at - centroid, at - centroid)
    axes = _principal(second)
    yz = (at - centroid) @ axes.T
    slopes = slopes @ axes.T
    places = (places - centroid) @ axes.T
    y, z = yz[..., 0], yz[..., 1]
    i_z, i_y = float((weight * y**2).sum()), float((weight * z**2).sum())
    solve, gather = _laplace(len(places), elements, slopes, weight)

    warp = solve(
        gather(
            np.einsum("mg,mg,mgn->mn", weight, z, slopes[..., 0])
            - np.einsum("mg,mg,mgn->mn", weight, y, slopes[..., 1])
        )
    )
    shear = [
        solve(gather(np.einsum("mg,mg,gn->mn", weight, yz[..., k], values)) / inertia)
        for k, inertia in ((0, i_z), (1, i_y))
    ]
    slope = np.einsum("mgnk,mn->mgk", slopes, warp[elements])
    torsion = i_y + i_z + float((weight * (y * slope[..., 1] - z * slope[..., 0])).sum())
    omega = np.einsum("gn,mn->mg", values, warp[elements])
    y_s = -float((weight * omega * z).sum()) / i_y
    z_s = float((weight * omega * y).sum()) / i_z
    about = omega - z_s * y + y_s * z
    mean = (weight * about).sum() / area
    about = about - mean
    hull = _outermost(places)
    omega_there = (warp - z_s * places[:, 0] + y_s * places[:, 1] - mean)[hull]
    carried = [_carried(field, slopes, weight, elements) for field in shear]
    r2 = y**2 + z**2
    polar = np.array([float((weight * r2 * extra).sum()) for extra in (np.ones_like(y), z, -y, r2)])
    return CrossSection(
        area,
        centroid,
        axes,
        i_y,
        i_z,
        torsion,
        carried[0],
        carried[1],
        np.array([y_s, z_s]),
        float((weight * about**2).sum()),
        polar,
        places[hull],
        omega_there,
        _fibres(np.stack([y, z, about, weight], axis=2).reshape(-1, 4)),
        float(np.hypot(slope[..., 0] - z, slope[..., 1] + y).max()),
    )


def _fibres(points: Floats) -> Floats:
    """(f, 4) means of y, z, omega and sums of the area of parts of a section given by points (n,
    4): halved again and again across their longer extent."""
    parts = [points]
    for _ in range(_HALVED):
        halves = []
        for part in parts:
            if len(part) < 2:
                halves.append(part)
                continue
            low, high = part[:, :2].min(axis=0), part[:, :2].max(axis=0)
            across = int(np.argmax(high - low))
            first = part[:, across] < 0.5 * (low + high)[across]
            halves += [part[first], part[~first]]
        parts = halves
    return np.array(
        [[*np.average(part[:, :3], axis=0, weights=part[:, 3]), part[:, 3].sum()] for part in parts]
    )


def _carried(field: Floats, slopes: Floats, weight: Floats, elements: Ints) -> float:
    """Area that carries shear, mm², of a unit force with shear stress the slope of field (n,)."""
    shear = np.einsum("mgnk,mn->mgk", slopes, field[elements])
    return 1.0 / max(float((weight * (shear**2).sum(axis=2)).sum()), 1e-300)


def _principal(second: Floats) -> Floats:
    """Principal axes (rows y, z) of second moments (2, 2) mm⁴; those given where all are alike."""
    moments, vectors = np.linalg.eigh(second)
    axes = vectors.T  # row 0 has the least spread: y
    axes = axes * np.where(axes[np.arange(2), np.abs(axes).argmax(axis=1)] > 0, 1.0, -1.0)[:, None]
    if np.linalg.det(axes) < 0:
        axes = axes * np.array([[1.0], [-1.0]])
    if moments[1] - moments[0] < 1e-9 * moments[1]:
        axes = np.eye(2)
    return axes


def _forms(places: Floats, elements: Ints) -> tuple[Floats, Floats, Floats]:
    """(values (g, 6), slopes (m, g, 6, 2), weights (m, g)) of straight-sided six-node triangles."""
    s, t = _POINTS.T
    l = np.stack([1 - s - t, s, t], axis=1)
    dl = np.array([[-1.0, -1.0], [1.0, 0.0], [0.0, 1.0]])
    values = np.concatenate([l * (2 * l - 1), 4 * l * np.roll(l, -1, axis=1)], axis=1)
    corner = (4 * l - 1)[:, :, None] * dl
    middle = 4 * (l[:, :, None] * np.roll(dl, -1, axis=0) + np.roll(l, -1, axis=1)[:, :, None] * dl)
    natural = np.concatenate([corner, middle], axis=1)
    p = places[elements[:, :3]]
    jacobian = np.stack(
        [p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]], axis=2
    )  # (m, 2, 2): columns d/ds, d/dt
    slopes = np.einsum("gnk,mkj->mgnj", natural, np.linalg.inv(jacobian))
    return values, slopes, np.abs(np.linalg.det(jacobian))[:, None] * _WEIGHTS


def _laplace(count: int, elements: Ints, slopes: Floats, weight: Floats):  # type: ignore[no-untyped-def]
    """(solve, gather): solve ∫∇φ·∇f = right side with the mean of f zero; gather sums element
    values to nodes."""
    local = np.einsum("mg,mgik,mgjk->mij", weight, slopes, slopes, optimize=True)
    rows, columns = np.repeat(elements, 6, axis=1).ravel(), np.tile(elements, (1, 6)).ravel()
    matrix = sparse.csc_matrix((local.ravel(), (rows, columns)), shape=(count, count))
    # each part of the section floats by a constant of its own: ground one node of each
    _, label = sparse.csgraph.connected_components(matrix, directed=False)
    _, first = np.unique(label, return_index=True)
    ground = np.zeros(count)
    ground[first] = matrix.diagonal().max()
    factor = splu(matrix + sparse.diags(ground, format="csc"))

    def gather(values: Floats) -> Floats:
        return np.bincount(elements.ravel(), weights=values.ravel(), minlength=count).astype(
            np.float64
        )

    share = np.bincount(label)

    def solve(right: Floats) -> Floats:
        # what a part of its own cannot balance is carried by what ties the parts together
        return np.asarray(factor.solve(right - (np.bincount(label, weights=right) / share)[label]))

    return solve, gather


def _outermost(points: Floats) -> Ints:
    """Corners of the convex hull, at most some forty of them, by number."""
    from scipy.spatial import ConvexHull

    hull = ConvexHull(points).vertices
    return np.asarray(hull[:: max(1, len(hull) // 40)], dtype=np.int64)
