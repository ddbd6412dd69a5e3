"""Points inside loops, against the turns that a loop makes about them; and ties."""

from __future__ import annotations

import numpy as np
import pytest

from labilis.mesh import inside


def turns(points: np.ndarray, loop: np.ndarray) -> np.ndarray:
    """How often (k,) a loop goes round points (k, 2), by the angles of its sides seen from them."""
    one, two = loop - points[:, None], np.roll(loop, -1, axis=0) - points[:, None]
    across = one[..., 0] * two[..., 1] - one[..., 1] * two[..., 0]
    angle = np.arctan2(across, (one * two).sum(axis=2))
    return np.round(angle.sum(axis=1) / (2 * np.pi)).astype(int)


@pytest.mark.parametrize("seed", range(6))
def test_points_inside_a_star_with_a_hole(seed: int) -> None:
    random = np.random.default_rng(seed)
    angle = np.linspace(0, 2 * np.pi, 60, endpoint=False)
    rim = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    outer, hole = rim * random.uniform(6, 10, size=(60, 1)), rim[::-1] * 2.5
    points = random.uniform(-11, 11, size=(4000, 2))
    found = inside(points, [outer, hole])
    assert (found == (turns(points, outer) + turns(points, hole) == 1)).all()
    assert 0.2 < found.mean() < 0.8


def test_points_as_high_as_corners_count_each_corner_once() -> None:
    square = np.array([[0.0, 0.0], [2.0, 0.0], [2.0, 2.0], [0.0, 2.0]])
    points = np.array([[-1.0, 0.0], [-1.0, 2.0], [1.0, 1.0], [3.0, 0.0], [-1.0, 1.0]])
    assert inside(points, [square]).tolist() == [False, False, True, False, False]
    diamond = np.array([[0.0, -1.0], [1.0, 0.0], [0.0, 1.0], [-1.0, 0.0]])
    assert inside(np.array([[-3.0, 0.0], [0.0, 0.0], [3.0, 0.0]]), [diamond]).tolist() == [
        False,
        True,
        False,
    ]
