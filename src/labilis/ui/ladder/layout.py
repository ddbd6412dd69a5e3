"""Where things stand on the ladder: scale, ticks, and labels kept apart where they crowd."""

from __future__ import annotations

import math
from dataclasses import dataclass

from labilis.judge.ladder import Rung


@dataclass(frozen=True)
class Scale:
    """Logarithmic scale between two factors and two heights in pixels (top is the larger
    factor)."""

    low: float
    high: float
    top: float
    bottom: float

    def y(self, factor: float) -> float:
        """Height of a factor; factors outside are put on the border."""
        share = (math.log(min(max(factor, self.low), self.high)) - math.log(self.low)) / (
            math.log(self.high) - math.log(self.low)
        )
        return self.bottom - share * (self.bottom - self.top)

    def ticks(self) -> list[float]:
        """Round factors inside the scale: 1, 2, 3, 4, 5, 6, 8 times powers of ten, thinned when
        there are many."""
        decades = range(math.floor(math.log10(self.low)), math.ceil(math.log10(self.high)) + 1)
        steps: tuple[float, ...] = (1, 2, 3, 4, 5, 6, 8)
        if len(decades) > 4:
            steps = (1,)
        elif len(decades) > 3:
            steps = (1, 2, 5)
        return [
            step * 10.0**decade
            for decade in decades
            for step in steps
            if self.low * 0.999 <= step * 10.0**decade <= self.high * 1.001
        ]


def scale_for(rungs: tuple[Rung, ...], top: float, bottom: float, most: float = 60.0) -> Scale:
    """Scale that holds the service load, the required factor and what lies up to `most` times
    the larger of them."""
    positive = [rung.factor for rung in rungs if rung.factor > 0]
    anchor = max([1.0] + [rung.factor for rung in rungs if rung.kind == "required"])
    inside = [factor for factor in positive if factor <= most * anchor] or [anchor]
    return Scale(0.75 * min([*inside, 1.0]), 1.35 * max([*inside, 1.5 * anchor]), top, bottom)


def kept_apart(wanted: list[float], heights: list[float], top: float, bottom: float) -> list[float]:
    """Centres for labels of the given heights, as near as possible to `wanted` (falling factor, so
    rising y), without overlap and inside (top, bottom). Blocks of touching labels are moved
    together (isotonic regression by pooling)."""
    blocks: list[list[float]] = []  # [sum of offsets, count, first index]
    offsets = []
    below = 0.0
    for height, want in zip(heights, wanted):
        offsets.append(want - below - height / 2)
        below += height
    for index, offset in enumerate(offsets):
        blocks.append([offset, 1, index])
        while len(blocks) > 1 and blocks[-2][0] / blocks[-2][1] > blocks[-1][0] / blocks[-1][1]:
            last = blocks.pop()
            blocks[-1][0] += last[0]
            blocks[-1][1] += last[1]
    start = [0.0] * len(wanted)
    for total, count, first in blocks:
        for index in range(int(first), int(first + count)):
            start[index] = min(max(total / count, top), bottom - below)
    centres, below = [], 0.0
    for index, height in enumerate(heights):
        centres.append(start[index] + below + height / 2)
        below += height
    return centres


def kept_apart_about(
    wanted: list[float], heights: list[float], top: float, bottom: float, above: int, bar: float
) -> list[float]:
    """Like `kept_apart`, but the first `above` labels stay over the bar at height `bar` and the
    others under it, so that no label of a failing mode stands on the side of those that pass; when
    a side has no room the bar is crossed after all."""
    if sum(heights[:above]) > bar - top or sum(heights[above:]) > bottom - bar:
        return kept_apart(wanted, heights, top, bottom)
    return kept_apart(wanted[:above], heights[:above], top, bar) + kept_apart(
        wanted[above:], heights[above:], bar + 2, bottom
    )
