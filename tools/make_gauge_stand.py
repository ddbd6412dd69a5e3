"""Draws the gauge stand of the Vellmark tide station: docs/guide/gauge-stand.step, the assembly
that the guide takes from file to verdict.

A post of channel 60 x 30 x 4 stands on a foot plate; a bracket of folded sheet is bolted to its web
with two M8; a marker of a hundredth of a millimetre was left in the drawing. Run `python
tools/make_gauge_stand.py` to draw it anew.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

from validation.corpus import drawing as d
from validation.corpus.model import write_step

OUT = Path(__file__).parents[1] / "docs/guide/gauge-stand.step"


def bodies() -> list[tuple[str, Any]]:
    """Names and shapes, mm."""
    foot = d.cut(
        d.box(140, 120, 8, (-70, -45, 0)),
        *(d.cylinder(5.5, 20, (x, y, -5)) for x in (-55, 55) for y in (-32, 62)),
    )
    channel = d.extrude(
        [(-30, 0), (30, 0), (30, 30), (26, 30), (26, 4), (-26, 4), (-26, 30), (-30, 30)], 420, 8
    )
    bores = [d.cylinder(4.5, 30, (x, -15, 400), (0, 1, 0)) for x in (-14, 14)]
    post = d.cut(channel, *bores)
    profile = d.fuse(d.box(60, 5, 70, (-30, -5, 350)), d.box(60, 70, 5, (-30, -70, 350)))
    bracket = d.cut(profile, *bores)
    return [
        ("foot", foot),
        ("post", post),
        ("bracket", bracket),
        ("marker", d.box(0.01, 0.01, 0.01, (0, 0, 500))),
    ]


if __name__ == "__main__":
    write_step(bodies(), OUT)
    print(OUT)
