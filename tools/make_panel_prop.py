"""Writes the demo part: the panel prop of the made-up Vellmark tide station, a thin machined flat
strut with eyed ends.

    python tools/make_panel_prop.py [FILE]

420 mm between the eyes, 3 mm thick, shank 20 mm wide, eyes R 16 mm with bores Ø 12 mm.
"""

import sys
from pathlib import Path

from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.Interface import Interface_Static
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer

LENGTH, THICKNESS, WIDTH, EYE, BORE = 420.0, 3.0, 20.0, 16.0, 12.0


def panel_prop():
    """The solid: foot eye at the origin, head eye at x = LENGTH, flat in x and y."""

    def disc(x: float, radius: float):
        return BRepPrimAPI_MakeCylinder(
            gp_Ax2(gp_Pnt(x, 0, 0), gp_Dir(0, 0, 1)), radius, THICKNESS
        ).Shape()

    part = BRepPrimAPI_MakeBox(gp_Pnt(0, -WIDTH / 2, 0), LENGTH, WIDTH, THICKNESS).Shape()
    for x in (0.0, LENGTH):
        part = BRepAlgoAPI_Fuse(part, disc(x, EYE)).Shape()
    for x in (0.0, LENGTH):
        part = BRepAlgoAPI_Cut(part, disc(x, BORE / 2)).Shape()
    whole = ShapeUpgrade_UnifySameDomain(part, True, True, False)
    whole.Build()
    return whole.Shape()


def main() -> None:
    default = Path(__file__).parents[1] / "src/labilis/demos/panel-prop/panel-prop.step"
    target = Path(sys.argv[1]) if len(sys.argv) > 1 else default
    Interface_Static.SetCVal_s("write.step.product.name", "panel prop")
    writer = STEPControl_Writer()
    writer.Transfer(panel_prop(), STEPControl_AsIs)
    writer.Write(str(target))


if __name__ == "__main__":
    main()
