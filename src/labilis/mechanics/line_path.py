"""Line elements at large motions.

The rod of `line` in axes that go with it (corotational; Crisfield 1990): its axis is the chord, its
turn about the chord the mean of both ends'. In them the motion that is left is small, so that the
strains of second order of `line.second_forms` are enough; what the part does as a whole is exact.

Resultants change as those of a member loaded at its ends do (Hellinger and Reissner): of the
strains of second order the element takes what works on such resultants, b(x):

    d = r c + ½ cᵀ D c,   D = ∫ bᵀ (H + C⁻¹ C_w H_w) dx,
    E = ½ dᵀ K d + ½ tᵀ T t + ½ ∫ (C_ww - C_wᵀ C⁻¹ C_w) w² dx,

with c the motion in the axes of the element, K the stiffness at its end, T what a cubic twist
stores beside an even one, and w Wagner's shortening. At rest its second derivative is K_0, and what
end forces add to that is `line.geometric`. Coarse elements do not lock in their own bow.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics import line
from labilis.mechanics.jets import Jet, cross, dot, length, unit
from labilis.mechanics.line_plastic import Yielded

Floats = NDArray[np.float64]
# from motions of the ends (m, 6), local motions (m, 9) and elastic end forces (m, 6): elements that
# may yield, and what they do
YieldingEnds = Callable[[Floats, Floats, Floats], tuple[NDArray[np.int64], Yielded]]
_FREE = 9  # second end beside the first, turn of the first, turn of the second
_LOCAL = 9  # stretch, turns of both ends in the element's axes, rates of twist of both
_SERIES = 0.02  # of 1 - cos(angle/2) under which α / sin α is summed: eight terms leave 1e-16


@dataclass(frozen=True)
class LineForms:
    """What the energy of m elements is made of, from their local motions c (m, 9): relative (m, 6,
    9), bent (m, 6, 9, 9), ends (m, 4, 9), rate (m, g, 9) of the twist, hinges (m, 9, 9); wagner:
    C_ww - C_wᵀ C⁻¹ C_w, N mm⁴; frames (m, 3, 3) at rest, rows along the element first."""

    geometry: line.LineGeometry
    frames: Floats
    relative: Floats
    bent: Floats
    ends: Floats
    rate: Floats
    hinges: Floats
    wagner: float


class LineState(NamedTuple):
    """force (m, 6, 3) N, N mm and N mm² in the order of a line block's members; tangent (m, 18, 18)
    or None; state (m, 10) as in a line block, in the turned axes, its bimoments elastic; rate
    (m,) 1/mm: largest rate of twist."""

    force: Floats
    tangent: Floats | None
    state: Floats
    rate: Floats


def line_forms(g: line.LineGeometry, frames: Floats) -> LineForms:
    """Of elements with warping, whose unknowns are 18."""
    m = len(g.length)
    to_local = np.zeros((m, 18, _LOCAL))
    to_local[:, 6:9, 0] = frames[:, 0]
    for at, turn in ((3, 1), (9, 4)):
        to_local[:, at : at + 3, turn : turn + 3] = np.swapaxes(frames, 1, 2)
    to_local[:, 12, 7] = to_local[:, 15, 8] = 1.0
    h = line.second_forms(g)
    coupling = np.linalg.solve(g.section[:6, :6], g.section[:6, 6])
    six = h[:, :, :6] + coupling[:, None, None] * h[:, :, 6:7]
    x = g.length[:, None] * 0.5 * (1 + line.GAUSS[0])
    carried = line.carried(g.length[:, None] - x)
    full = np.einsum("mg,mgia,mgipq->mapq", g.weight, carried, six, optimize=True)
    return LineForms(
        geometry=g,
        frames=frames,
        relative=g.relative @ to_local,
        bent=np.einsum("mpr,mapq,mqs->mars", to_local, full, to_local, optimize=True),
        ends=g.ends @ to_local,
        rate=g.turn_slope[:, :, 0] @ to_local,
        hinges=np.swapaxes(to_local, 1, 2) @ g.hinges @ to_local,
        wagner=float(g.section[6, 6] - g.section[:6, 6] @ coupling),
    )


def line_state(
    forms: LineForms,
    chord: Floats,
    rotation: Floats,
    rates: Floats,
    tangent: bool,
    free: Floats,
    yielding: YieldingEnds | None = None,
) -> LineState:
    """Of elements whose second end lies at chord (m, 3) mm from the first, whose ends have turned
    by rotation (m, 2, 3, 3), with rates of twist rates (m, 2); free (m,): strain of free growth;
    yielding: what end forces become where the material yields."""
    g, m = forms.geometry, len(chord)
    local = _local_motion(forms, chord, rotation)
    c = np.concatenate([np.stack([part.value for part in local], axis=1), rates], axis=1)
    bow = np.einsum("mapq,mq->map", forms.bent, c, optimize=True)
    d = np.einsum("map,mp->ma", forms.relative + 0.5 * bow, c)
    d[:, 0] -= free * g.length
    slope = forms.relative + bow
    ends = _ends(forms, slope, d, c, yielding)
    twisted = np.einsum("mij,mj->mi", g.twisting, np.einsum("mij,mj->mi", forms.ends, c))
    rate = np.einsum("mgp,mp->mg", forms.rate, c)
    helix = forms.wagner * g.weight
    inner = (
        ends.inner
        + np.einsum("map,ma->mp", slope, ends.force)
        + np.einsum("mij,mi->mj", forms.ends, twisted)
        + np.einsum("mg,mgp->mp", 0.5 * helix * rate**3, forms.rate)
        + np.einsum("mpq,mq->mp", forms.hinges, c)
    )
    state = np.concatenate([ends.force, twisted], axis=1)
    slopes = np.zeros((m, _LOCAL, 11))  # of c to the nine free motions and the two rates
    slopes[:, :7, :_FREE] = np.stack([part.slope for part in local], axis=1)
    slopes[:, 7, 9] = slopes[:, 8, 10] = 1.0
    nodal = _on_nodes(np.einsum("mpq,mp->mq", slopes, inner))
    most = np.abs(rate).max(axis=1)
    if not tangent:
        return LineState(nodal.reshape(m, 6, 3), None, state, most)
    second = (
        ends.second
        + np.swapaxes(ends.lever, 1, 2) @ ends.stiffness @ ends.lever
        + np.einsum("ma,mapq->mpq", ends.force, forms.bent, optimize=True)
        + np.swapaxes(forms.ends, 1, 2) @ g.twisting @ forms.ends
        + np.einsum("mg,mgp,mgq->mpq", 1.5 * helix * rate**2, forms.rate, forms.rate, optimize=True)
        + forms.hinges
    )
    matrix = np.swapaxes(slopes, 1, 2) @ second @ slopes
    for number, part in enumerate(local):
        matrix[:, :_FREE, :_FREE] += inner[:, number, None, None] * part.curvature
    matrix = _on_nodes(np.swapaxes(_on_nodes(matrix), 1, 2))
    return LineState(nodal.reshape(m, 6, 3), np.swapaxes(matrix, 1, 2), state, most)


class _Ends(NamedTuple):
    """force (m, 6), stiffness (m, 6, 6), lever (m, 6, 9), inner (m, 9) and second (m, 9, 9) as in
    `line_plastic.Yielded`, lever with the slope of the ends' motions."""

    force: Floats
    stiffness: Floats
    lever: Floats
    inner: Floats
    second: Floats


def _ends(
    forms: LineForms, slope: Floats, d: Floats, c: Floats, yielding: YieldingEnds | None
) -> _Ends:
    """What end forces are at motions d (m, 6), elastic where nothing yields."""
    g, m = forms.geometry, len(d)
    found = _Ends(
        np.einsum("mab,mb->ma", g.stiff, d),
        g.stiff.copy(),
        slope.copy(),
        np.zeros((m, _LOCAL)),
        np.zeros((m, _LOCAL, _LOCAL)),
    )
    if yielding is not None:
        rows, part = yielding(d, c, found.force)
        found.force[rows], found.stiffness[rows] = part.force, part.stiffness
        found.lever[rows] += part.lever
        found.inner[rows], found.second[rows] = part.inner, part.second
    return found


def _on_nodes(values: Floats) -> Floats:
    """(..., 18) on the members of a line block from (..., 11) on the free motions."""
    found = np.zeros((*values.shape[:-1], 18))
    found[..., 0:3], found[..., 6:9] = -values[..., 0:3], values[..., 0:3]
    found[..., 3:6], found[..., 9:12] = values[..., 3:6], values[..., 6:9]
    found[..., 12], found[..., 15] = values[..., 9], values[..., 10]
    return found


def _local_motion(forms: LineForms, chord: Floats, rotation: Floats) -> list[Jet]:
    """Stretch and turns (7 numbers) in the axes that go with the element."""
    along = [_of(chord[:, k], k) for k in range(3)]
    nodal = [_turned(rotation[:, end] @ np.swapaxes(forms.frames, 1, 2), end) for end in (0, 1)]
    first = unit(along)
    third = unit(cross(first, [a + b for a, b in zip(nodal[0][1], nodal[1][1])]))
    axes = [first, cross(third, first), third]
    long = length(along)
    found = [Jet(long.value - forms.geometry.length, long.slope, long.curvature)]
    for directors in nodal:
        found += _rotation_vector([[dot(axis, d) for d in directors] for axis in axes])
    return found


def _of(value: Floats, number: int) -> Jet:
    slope = np.zeros((len(value), _FREE))
    slope[:, number] = 1.0
    return Jet(value, slope, np.zeros((len(value), _FREE, _FREE)))


def _turned(directors: Floats, end: int) -> list[list[Jet]]:
    """The columns of directors (m, 3, 3), which turn by a small turn φ of an end to v + φ × v + φ ×
    (φ × v) / 2."""
    m, rows = len(directors), slice(3 + 3 * end, 6 + 3 * end)
    found = []
    for k in range(3):
        v = directors[:, :, k]
        slope = np.zeros((m, 3, _FREE))
        spin = np.zeros((m, 3, 3))  # φ × v = spin φ
        for i, j, n in ((0, 1, 2), (1, 2, 0), (2, 0, 1)):
            spin[:, i, j], spin[:, i, n] = v[:, n], -v[:, j]
        slope[:, :, rows] = spin
        # ½ (φ (φ·v) - v (φ·φ)), twice differentiated
        eye = np.eye(3)
        second = 0.5 * (
            np.einsum("ia,mb->miab", eye, v) + np.einsum("ib,ma->miab", eye, v)
        ) - np.einsum("mi,ab->miab", v, eye)
        curvature = np.zeros((m, 3, _FREE, _FREE))
        curvature[:, :, rows, rows] = second
        found.append([Jet(v[:, i], slope[:, i], curvature[:, i]) for i in range(3)])
    return found


def _rotation_vector(r: list[list[Jet]]) -> list[Jet]:
    """The turn (3) of a rotation by less than half a turn: its skew part times α / sin α."""
    trace = r[0][0] + r[1][1] + r[2][2]
    # w = cos(α/2); skew = 2 w v, turn = v h(w) with h = 2 arccos(w) / √(1 - w²)
    w = np.sqrt(np.maximum(0.25 * (1.0 + trace.value), 1e-12))
    h, h1, h2 = _half_angle(w)
    factor = h / (2 * w)
    by_w = (h1 - h / w) / (2 * w)
    by_w2 = (h2 - 2 * h1 / w + 2 * h / w**2) / (2 * w)
    w1, w2 = 0.125 / w, -0.015625 / w**3  # to the trace
    scale = trace.through(factor, by_w * w1, by_w2 * w1**2 + by_w * w2)
    half = Jet(np.full_like(w, 0.5), np.zeros_like(trace.slope), np.zeros_like(trace.curvature))
    return [(r[j][i] - r[i][j]) * half * scale for i, j in ((1, 2), (2, 0), (0, 1))]


def _half_angle(w: Floats) -> tuple[Floats, Floats, Floats]:
    """h = 2 arccos(w) / √(1 - w²) with its first two derivatives; they follow from (1 - w²) h' = w
    h - 2, near w = 1 by the series 2 Σ a_n (1 - w)^n, a_n = a_{n-1} n / (2n + 1)."""
    x = 1.0 - w
    a = [1.0]
    for n in range(1, 10):
        a.append(a[-1] * n / (2 * n + 1))
    series = np.array(a)[::-1]
    near = x < _SERIES
    safe = np.where(near, 0.5, w)
    far = 2 * np.arccos(safe) / np.sqrt(1 - safe**2)
    far1 = (safe * far - 2) / (1 - safe**2)
    far2 = (far + 3 * safe * far1) / (1 - safe**2)
    h = np.where(near, 2 * np.polyval(series, x), far)
    h1 = np.where(near, -2 * np.polyval(np.polyder(series), x), far1)
    h2 = np.where(near, 2 * np.polyval(np.polyder(series, 2), x), far2)
    return h, h1, h2
