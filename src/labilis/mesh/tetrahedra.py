"""Tetrahedra from a solid: TetGen on the CAD's triangulation, then mid-side nodes on the true
surface."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.spatial import cKDTree

from labilis.mesh.child_process import Ended, apart
from labilis.mesh.estimate import chord_angle
from labilis.mesh.flips import improve, shapes
from labilis.mesh.mesh import TET_SIDES, TRIANGLE_SIDES, Cells, Floats, Ints, Mesh
from labilis.mesh.sizes import skin_sizes
from labilis.mesh.skin import Skin, crossing, make_skin
from labilis.model import LabilisError, shown
from labilis.shape import BodyShape, Tessellation

# largest element volume over size³ at which the mean edge comes out near the size
_VOLUME_PER_CUBE = 0.2
_GROWTH = 0.35  # element size gained per mm of distance from a zone
_FLATTEST = 1e-5  # shape of an element under which a mesh is of no use
# elements that filling the CAD's own triangles may bring before it is refused
_MOST_FILLED = 150_000
_TRIES = 3  # skins, each finer where the one before crossed itself
# of a skin's triangles that cross: finer ones mend a place, not a surface that runs through itself
# (a damaged file: 45 % of 21,000, 57 % of 149,000, and so on for minutes)
_HOPELESS = 0.2
_MOST_ADDED = 400_000  # nodes that may be added where the skin may be cut
_PATIENCE = 12.0  # s for filling one skin


def mesh_body(
    body: BodyShape,
    size: float,
    order: int = 2,
    zones: Sequence[tuple[Ints, Ints, float]] = (),
    coarser: float = 1.0,
) -> Mesh:
    """Mesh a solid with tetrahedra of about `size` mm mean edge length.

    `zones` holds (faces, edges, size) of regions with their own size. `order` 2 gives mid-side
    nodes on the true surface; `coarser`: how much longer sides may be in thin walls and at bends.
    Raises LabilisError if the surface cannot be filled.
    """
    around = zone_points(body, zones)
    mesh = mesh_kept(body, body.view.size, size, order, around, coarser)
    if mesh is not None:
        return mesh
    smallest = min([size, *(zone[2] for zone in zones)])
    surface = body.tessellate(
        max(smallest / 20.0, body.view.size * 1e-5), chord_angle(body.view, smallest)
    )
    nodes, tets, triangles, markers = fill(surface.points, surface.triangles, surface.face, size)
    wanted = float(body.volume) / (0.105 * size**3)
    if len(tets) > max(_MOST_FILLED, 3.0 * wanted):
        raise LabilisError(
            "The solid's surface is drawn so finely in places that a mesh of "
            f"{shown.length(size, 3)} would have {len(tets):,} elements.",
            "mesh",
            "Mesh it as shells if it is thin; else take what is tiny off it where it was drawn, "
            "and export it again.",
            "fill",
        )
    if zones:
        nodes, triangles, markers = refine_surface(nodes, triangles, markers, size, around)
        nodes, tets, triangles, markers = fill(nodes, triangles, markers, size)
    triangles, face = outward(nodes, tets, triangles, markers)
    segments, edge = segments_of(triangles, face, nodes, body, surface)
    nodes = onto_surface(body, nodes, tets, triangles, face, segments, edge)
    mesh = Mesh(nodes, _cells(tets), triangles, face, segments, edge, told=(ANOTHER_WAY,))
    return mesh if order == 1 else second_order(body, mesh)


ANOTHER_WAY = (
    "A solid was filled from the triangles that it is drawn with, since a skin of the "
    "wanted size crosses itself."
)


def mesh_kept(
    body: BodyShape,
    reach: float,
    size: float,
    order: int,
    around: Sequence[tuple[Floats, float]],
    coarser: float = 1.0,
) -> Mesh | None:
    """Tetrahedra in a skin of triangles of the wanted size, which stays as it is; None where that
    cannot be filled. `around`: points with smaller sizes."""
    mean = 2.0 * float(body.volume) / float(body.faces.area.sum())
    surface = body.tessellate(max(0.02 * min(mean, size), reach * 1e-5), 0.25)
    finer = list(around)
    for _ in range(_TRIES):
        skin = make_skin(body, surface, skin_sizes(body, surface, size, finer, coarser=coarser))
        bad = crossing(skin.points, skin.triangles)
        if len(bad) == 0:
            found = fill_kept(skin, size)
            if found is not None:
                nodes, tets = found
                tets, triangles, face = improve(nodes, tets, skin.triangles, skin.face)
                if shapes(nodes, tets).min() < _FLATTEST:
                    return None
                nodes, tets, triangles, segments = _compact(nodes, tets, triangles, skin.segments)
                mesh = Mesh(nodes, _cells(tets), triangles, face, segments, skin.edge)
                return mesh if order == 1 else second_order(body, mesh)
            return None
        if len(bad) > _HOPELESS * len(skin.triangles):
            return None
        places = skin.points[skin.triangles[bad]].mean(axis=1)
        side = np.linalg.norm(np.diff(skin.points[skin.triangles[bad]], axis=1), axis=2).max(axis=1)
        finer.append((places, 0.5 * float(np.median(side))))
    return None


def _compact(
    nodes: Floats, tets: Ints, triangles: Ints, segments: Ints
) -> tuple[Floats, Ints, Ints, Ints]:
    """All of it without nodes that no element has."""
    used = np.unique(tets)
    new = np.full(len(nodes), -1, dtype=np.int64)
    new[used] = np.arange(len(used))
    return nodes[used], new[tets], new[triangles], new[segments]


def fill_kept(skin: Skin, size: float) -> tuple[Floats, Ints] | None:
    """(nodes, those of the skin first, and elements (m, 4) with positive volume) of TetGen on a
    skin that it may not touch; None where it cannot."""
    import tetgen

    centre = skin.points.mean(axis=0)
    for attempt in range(_TRIES):
        # turned out of line with the axes: the library loses its way in sides and faces that run
        # along them
        frame = np.linalg.qr(np.random.default_rng(attempt).standard_normal((3, 3)))[0]
        turned = (skin.points - centre) @ frame

        def run(turned: Floats = turned) -> tuple[Floats, Ints]:
            generator = tetgen.TetGen(turned, skin.triangles.astype(np.int32))
            generator.tetrahedralize(
                plc=True,
                nobisect=True,
                quality=True,
                minratio=1.4,
                mindihedral=10.0,
                fixedvolume=True,
                maxvolume=_VOLUME_PER_CUBE * size**3,
                steinerleft=_MOST_ADDED,
                quiet=True,
                nowarning=True,
            )
            return np.asarray(generator.node, dtype=np.float64), np.asarray(
                generator.elem, dtype=np.int64
            )

        try:
            nodes, tets = apart(run, _PATIENCE)
        except Ended:
            continue
        same = (
            len(nodes) >= len(skin.points)
            and np.allclose(nodes[: len(skin.points)], turned)
            and len(tets) > 0
        )
        if same:
            nodes = np.concatenate([skin.points, nodes[len(skin.points) :] @ frame.T + centre])
            return _positive(nodes, tets, len(skin.points))
    return None


def _positive(nodes: Floats, tets: Ints, kept: int) -> tuple[Floats, Ints] | None:
    """Elements turned to a positive volume, without nodes that nothing uses; None when one of
    the first `kept` nodes is not used."""
    flipped = _volumes(nodes, tets) < 0
    tets[flipped] = tets[flipped][:, [1, 0, 2, 3]]
    used = np.unique(tets)
    if len(used) == len(nodes):
        return nodes, tets
    new = np.full(len(nodes), -1, dtype=np.int64)
    new[used] = np.arange(len(used))
    return (nodes[used], new[tets]) if (new[:kept] == np.arange(kept)).all() else None


def fill(
    points: Floats, corners: Ints, owner: Ints, size: float
) -> tuple[Floats, Ints, Ints, Ints]:
    """TetGen on a surface of triangles (k, 3) with the CAD face of each: (nodes, elements (m, 4)
    with positive volume, triangles on the faces, CAD face of each). Raises LabilisError if the
    surface cannot be filled."""
    import tetgen

    def run() -> tuple[Floats, Ints, Ints, Ints]:
        generator = tetgen.TetGen(points, corners.astype(np.int32), (owner + 1).astype(np.int32))
        generator.tetrahedralize(
            plc=True,
            quality=True,
            minratio=1.25,
            mindihedral=12.0,
            fixedvolume=True,
            maxvolume=_VOLUME_PER_CUBE * size**3,
            steinerleft=_MOST_ADDED,
            quiet=True,
            nowarning=True,
        )
        return tuple(
            np.asarray(item)
            for item in (  # type: ignore[return-value]
                generator.node,
                generator.elem,
                generator.trifaces,
                generator.triface_markers,
            )
        )

    try:
        nodes, tets, trifaces, markers = apart(run, _PATIENCE)
    except Ended as error:
        raise LabilisError(
            f"The solid cannot be filled with elements of {shown.length(size, 3)} ({error}).",
            "mesh",
            "Mesh it as shells if it is thin; else take what is tiny off it where it was drawn, "
            "and export it again.",
            "mesh-failed",
        ) from error
    nodes, tets = nodes.astype(np.float64), tets.astype(np.int64)
    flipped = _volumes(nodes, tets) < 0
    tets[flipped] = tets[flipped][:, [1, 0, 2, 3]]
    used, renumbered = np.unique(tets, return_inverse=True)
    new = np.full(len(nodes), -1, dtype=np.int64)
    new[used] = np.arange(len(used))
    triangles = new[trifaces.astype(np.int64)]
    return nodes[used], renumbered.reshape(tets.shape), triangles, markers.astype(np.int64) - 1


def _cells(elements: Ints) -> tuple[Cells, ...]:
    return (Cells(elements, np.zeros(len(elements), dtype=np.int64)),)


def _volumes(nodes: Floats, tets: Ints) -> Floats:
    corner = nodes[tets[:, :4]]
    return (
        np.einsum(
            "ij,ij->i",
            np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]),
            corner[:, 3] - corner[:, 0],
        )
        / 6.0
    )


def refine_surface(
    nodes: Floats, triangles: Ints, face: Ints, size: float, zones: Sequence[tuple[Floats, float]]
) -> tuple[Floats, Ints, Ints]:
    """Surface triangulation with sides split until they are as short as the zones (points on them,
    size) ask: (points, triangles, face).

    TetGen grades the inside from the surface. (Its own size field crashes on bodies with bores, so
    it is not used.)"""
    trees = [(cKDTree(points), zone_size) for points, zone_size in zones]
    used, renumbered = np.unique(triangles, return_inverse=True)
    points, corners = nodes[used], renumbered.reshape(-1, 3)
    for _ in range(12):
        sides = np.sort(corners[:, TRIANGLE_SIDES].reshape(-1, 2), axis=1)
        unique, inverse = np.unique(sides, axis=0, return_inverse=True)
        middle = points[unique].mean(axis=1)
        length = np.linalg.norm(points[unique[:, 0]] - points[unique[:, 1]], axis=1)
        field = np.full(len(unique), size)
        for tree, zone_size in trees:
            away = np.maximum(tree.query(middle)[0] - zone_size, 0.0)
            field = np.minimum(field, zone_size + _GROWTH * away)
        split = (length > 1.4 * field) & (field < 0.99 * size)
        if not split.any():
            break
        new = np.full(len(unique), -1, dtype=np.int64)
        new[split] = len(points) + np.arange(int(split.sum()))
        points = np.concatenate([points, middle[split]])
        corners, face = split_triangles(corners, face, new[inverse].reshape(-1, 3))
    return points, corners, face


# sides to split (01, 12, 20 as bits) -> triangles in corners 0 1 2 and mid-sides 3 4 5
_SPLITS = {
    0: [(0, 1, 2)],
    1: [(0, 3, 2), (3, 1, 2)],
    2: [(0, 1, 4), (0, 4, 2)],
    4: [(0, 1, 5), (5, 1, 2)],
    3: [(3, 1, 4), (0, 3, 4), (0, 4, 2)],
    6: [(5, 4, 2), (0, 1, 4), (0, 4, 5)],
    5: [(0, 3, 5), (3, 1, 2), (3, 2, 5)],
    7: [(0, 3, 5), (3, 1, 4), (5, 4, 2), (3, 4, 5)],
}


def split_triangles(corners: Ints, face: Ints, mids: Ints) -> tuple[Ints, Ints]:
    """Triangles (k, 3) cut at the mid-side nodes `mids` (k, 3), -1 where a side stays whole."""
    code = ((mids >= 0) * np.array([1, 2, 4])).sum(axis=1)
    six = np.concatenate([corners, mids], axis=1)
    parts, owners = [], []
    for pattern, pieces in _SPLITS.items():
        rows = np.flatnonzero(code == pattern)
        for piece in pieces:
            parts.append(six[rows][:, list(piece)])
            owners.append(face[rows])
    return np.concatenate(parts), np.concatenate(owners)


def zone_points(
    body: BodyShape, zones: Sequence[tuple[Ints, Ints, float]]
) -> list[tuple[Floats, float]]:
    """Points spread over each zone, with its size."""
    result = []
    for faces, edges, zone_size in zones:
        fine = body.tessellate(max(zone_size / 10.0, body.reach * 1e-5), 0.3)
        on_zone = fine.triangles[np.isin(fine.face, faces)]
        points = [_scatter(fine.points[on_zone], zone_size)] if len(on_zone) else []
        points += [_along(fine.edge(int(edge)), zone_size) for edge in edges]
        result.append((np.concatenate(points), zone_size))
    return result


def _scatter(corners: Floats, spacing: float) -> Floats:
    """Points on triangles (k, 3, 3) about `spacing` apart, never more than some tens of
    thousands."""
    longest = float(np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max())
    count = int(
        np.clip(np.ceil(longest / spacing), 1, max(2, int(np.sqrt(60_000 / max(len(corners), 1)))))
    )
    i, j = np.meshgrid(np.arange(count + 1), np.arange(count + 1), indexing="ij")
    keep = i + j <= count
    weights = np.stack([i[keep], j[keep], count - i[keep] - j[keep]], axis=1) / count
    return np.asarray(np.einsum("pc,kcx->kpx", weights, corners).reshape(-1, 3))


def _along(line: Floats, spacing: float) -> Floats:
    """Points along a polyline (k, 3) about `spacing` apart."""
    lengths = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    steps = np.linspace(
        0.0, lengths[-1], int(np.clip(np.ceil(lengths[-1] / spacing), 1, 20_000)) + 1
    )
    return np.stack([np.interp(steps, lengths, line[:, axis]) for axis in range(3)], axis=1)


def outward(nodes: Floats, tets: Ints, triangles: Ints, face: Ints) -> tuple[Ints, Ints]:
    """Boundary triangles (k, 3) turned so that their normal points out of the body that the
    elements fill, and `face` as it is."""
    sides = np.sort(tets[:, [[1, 2, 3], [0, 2, 3], [0, 1, 3], [0, 1, 2]]].reshape(-1, 3), axis=1)
    inside = np.repeat(np.arange(len(tets)), 4)
    opposite = tets[inside, np.tile(np.arange(4), len(tets))]
    order = np.lexsort(sides.T[::-1])
    keys = sides[order]
    wanted = np.sort(triangles, axis=1)
    stride = np.int64(len(nodes))
    packed = (keys[:, 0] * stride + keys[:, 1]) * stride + keys[:, 2]
    place = np.searchsorted(packed, (wanted[:, 0] * stride + wanted[:, 1]) * stride + wanted[:, 2])
    apex = nodes[opposite[order[place]]]
    corner = nodes[triangles]
    normal = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    inward = np.einsum("ij,ij->i", normal, apex - corner[:, 0]) > 0
    turned = triangles.copy()
    turned[inward] = turned[inward][:, [0, 2, 1]]
    return turned, face


def segments_of(
    triangles: Ints,
    face: Ints,
    nodes: Floats,
    body: BodyShape,
    surface: Tessellation,
    beside: Ints | None = None,
) -> tuple[Ints, Ints]:
    """Mesh edges between triangles of two CAD faces, and the CAD edge each belongs to. `beside` (k,
    3) lists CAD edges with two faces each, lower first, where there may be more than two round an
    edge."""
    sides = np.sort(triangles[:, TRIANGLE_SIDES].reshape(-1, 2), axis=1)
    owner = np.repeat(face, 3)
    order = np.lexsort((owner, sides[:, 1], sides[:, 0]))
    sides, owner = sides[order], owner[order]
    pair = (sides[:-1] == sides[1:]).all(axis=1) & (owner[:-1] != owner[1:])
    found, low, high = sides[:-1][pair], owner[:-1][pair], owner[1:][pair]
    edge = np.full(len(found), -1, dtype=np.int64)
    middle = nodes[found].mean(axis=1)
    if beside is None:
        beside = np.column_stack([np.arange(len(body.edges)), np.sort(body.edges.faces, axis=1)])
    for faces in {(int(a), int(b)) for a, b in zip(low, high)}:
        rows = (low == faces[0]) & (high == faces[1])
        candidates = beside[(beside[:, 1:] == faces).all(axis=1), 0]
        if len(candidates) == 0:
            continue
        distances = np.stack(
            [_distance_to_polyline(surface.edge(int(c)), middle[rows]) for c in candidates]
        )
        edge[rows] = candidates[np.argmin(distances, axis=0)]
    found, edge = found[edge >= 0], edge[edge >= 0]
    _, once = np.unique(
        found, axis=0, return_index=True
    )  # a side between three faces was found twice
    return found[np.sort(once)], edge[np.sort(once)]


def _distance_to_polyline(line: Floats, points: Floats) -> Floats:
    start, step = line[:-1], np.diff(line, axis=0)
    length2 = np.maximum(np.einsum("ij,ij->i", step, step), 1e-300)
    offset = points[:, None, :] - start[None]
    t = np.clip(np.einsum("pij,ij->pi", offset, step) / length2, 0.0, 1.0)
    return np.asarray(np.linalg.norm(offset - t[..., None] * step[None], axis=2).min(axis=1))


def _surface_places(
    triangles: Ints, face: Ints, segments: Ints, edge: Ints, body: BodyShape
) -> tuple[dict[int, Ints], dict[int, Ints]]:
    """Nodes to be put on each curved face (not on an edge of it) and on each curved edge."""
    on_edges = np.unique(segments)
    by_face = {
        int(f): np.setdiff1d(np.unique(triangles[face == f]), on_edges)
        for f in np.unique(face)
        if body.faces.kind[f] != "plane"
    }
    by_edge = {
        int(e): np.unique(segments[edge == e])
        for e in np.unique(edge)
        if body.edges.kind[e] != "line"
    }
    return by_face, by_edge


def onto_surface(
    body: BodyShape,
    nodes: Floats,
    tets: Ints,
    triangles: Ints,
    face: Ints,
    segments: Ints,
    edge: Ints,
) -> Floats:
    """Nodes (n, 3): corner nodes that TetGen put on chords moved to the true surface; a move
    that would invert an element is undone."""
    moved = nodes.copy()
    by_face, by_edge = _surface_places(triangles, face, segments, edge, body)
    ends = _edge_ends(segments, edge)
    for index, members in by_face.items():
        if len(members):
            moved[members] = body.project_to_face(index, nodes[members])
    for index, members in by_edge.items():
        inner = np.setdiff1d(members, ends)
        if len(inner):
            moved[inner] = body.project_to_edge(index, nodes[inner])
    before = _volumes(nodes, tets)
    while (
        bad := _volumes(moved, tets) < 0.15 * before
    ).any():  # each round takes nodes back for good, so that it ends
        back = np.unique(tets[bad])
        moved[back] = nodes[back]
    return moved


def _edge_ends(segments: Ints, edge: Ints) -> Ints:
    """Nodes where CAD edges meet: they belong to several and stay where they are."""
    pairs = np.unique(np.stack([segments[:, :2].ravel(), np.repeat(edge, 2)], axis=1), axis=0)
    node, count = np.unique(pairs[:, 0], return_counts=True)
    return np.asarray(node[count > 1])


def second_order(body: BodyShape, mesh: Mesh) -> Mesh:
    """Mid-side nodes added, those on the surface put on it; elements that would turn inside out
    kept straight."""
    sides = np.sort(mesh.elements[:, TET_SIDES].reshape(-1, 2), axis=1)
    unique, inverse = np.unique(sides, axis=0, return_inverse=True)
    count, n = len(mesh.nodes), len(mesh.nodes) + len(unique)
    middle = mesh.nodes[unique].mean(axis=1)
    elements = np.concatenate([mesh.elements, count + inverse.reshape(-1, 6)], axis=1)
    stride = np.int64(n)
    packed = unique[:, 0] * stride + unique[:, 1]

    def mids(pairs: Ints) -> Ints:
        low, high = pairs.min(axis=-1), pairs.max(axis=-1)
        return np.asarray(count + np.searchsorted(packed, low * stride + high))

    triangles = np.concatenate([mesh.triangles, mids(mesh.triangles[:, TRIANGLE_SIDES])], axis=1)
    segments = np.concatenate([mesh.segments, mids(mesh.segments[:, :2])[:, None]], axis=1)
    straight = np.concatenate([mesh.nodes, middle])
    nodes = straight.copy()
    by_face, by_edge = _surface_places(
        triangles, mesh.triangle_face, segments, mesh.segment_edge, body
    )
    for index, members in by_face.items():
        new = members[members >= count]
        if len(new):
            nodes[new] = body.project_to_face(index, straight[new])
    for index, members in by_edge.items():
        new = members[members >= count]
        if len(new):
            nodes[new] = body.project_to_edge(index, straight[new])
    straightened = 0
    while (bad := _least_jacobian(nodes, elements) <= 0.05).any():
        back = np.unique(elements[bad, 4:])
        if np.array_equal(nodes[back], straight[back]):
            break
        straightened += int(bad.sum())
        nodes[back] = straight[back]
    return Mesh(
        nodes,
        _cells(elements),
        triangles,
        mesh.triangle_face,
        segments,
        mesh.segment_edge,
        straightened,
        told=mesh.told,
    )


# natural coordinates where a curved element turns inside out first: corners and mid-sides
_PROBES = np.array(
    [
        [0, 0, 0],
        [1, 0, 0],
        [0, 1, 0],
        [0, 0, 1],
        [0.5, 0, 0],
        [0.5, 0.5, 0],
        [0, 0.5, 0],
        [0, 0, 0.5],
        [0.5, 0, 0.5],
        [0, 0.5, 0.5],
    ],
    dtype=float,
)


def _least_jacobian(nodes: Floats, elements: Ints) -> Floats:
    """Least Jacobian (m,) of ten-node elements at corners and mid-sides over that of the
    straight element."""
    least = np.full(len(elements), np.inf)
    x = nodes[elements]
    reference = 6.0 * _volumes(nodes, elements)
    for xi, eta, zeta in _PROBES:
        jacobian = np.einsum("na,mnx->max", quadratic_gradient(xi, eta, zeta), x)
        least = np.minimum(least, np.linalg.det(jacobian) / reference)
    return least


def quadratic_gradient(xi: float, eta: float, zeta: float) -> Floats:
    """Natural derivatives (10, 3) of the ten-node tetrahedron's shape functions at one point."""
    first = 1.0 - xi - eta - zeta
    barycentric = np.array([first, xi, eta, zeta])
    slope = np.array([[-1.0, -1, -1], [1, 0, 0], [0, 1, 0], [0, 0, 1]])
    corners = (4.0 * barycentric - 1.0)[:, None] * slope
    a, b = TET_SIDES.T
    mids = 4.0 * (barycentric[a][:, None] * slope[b] + barycentric[b][:, None] * slope[a])
    return np.concatenate([corners, mids])
