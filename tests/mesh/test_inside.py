"""Points inside loops, against shapely; and ties, which no library promises anything of."""

from __future__ import annotations

import numpy as np
import pytest
import shapely

from labilis.mesh import inside


@pytest.mark.parametrize("seed", range(6))
def test_points_inside_a_star_with_a_hole(seed: int) -> None:
    random = np.random.default_rng(seed)
    angle = np.linspace(0, 2 * np.pi, 60, endpoint=False)
    rim = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    outer, hole = rim * random.uniform(6, 10, size=(60, 1)), rim[::-1] * 2.5
    points = random.uniform(-11, 11, size=(4000, 2))
    shape = shapely.Polygon(outer, [hole])
    assert (inside(points, [outer, hole]) == shapely.contains_xy(shape, *points.T)).all()


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
