"""Marks of supports, hubs and loads: drawn in screen space so that they keep their size, redrawn as
the camera moves.

Supports are the hatched ground of a drawing with six ticks, three for x y z and three for turns; a
long tick is a motion held, a dot one left free. Loads are arrows with their value on a tag. Hubs
are rings with thin spokes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor2D, vtkCoordinate, vtkPolyDataMapper2D, vtkTextActor

from labilis.ui.stage.lettering import letter, rgb
from labilis.ui.stage.picking import world_to_display
from labilis.ui.theme import PAPER

if TYPE_CHECKING:
    from labilis.run.glyphs import HubMark, JointMark, LoadMark, Marks, SupportMark

_TAG, _BORDER = 12, 6  # size of letters; pixels that a tag keeps off the border


class _Lines:
    """Line segments and triangles in pixels, as one actor each."""

    def __init__(self, renderer: Any, colour: str, width: float) -> None:
        self.data = vtkPolyData()
        mapper = vtkPolyDataMapper2D()
        coordinate = vtkCoordinate()
        coordinate.SetCoordinateSystemToDisplay()
        mapper.SetTransformCoordinate(coordinate)
        mapper.SetInputData(self.data)
        self.actor = vtkActor2D()
        self.actor.SetMapper(mapper)
        self.actor.GetProperty().SetColor(*rgb(colour))
        self.actor.GetProperty().SetLineWidth(width)
        renderer.AddViewProp(self.actor)

    def draw(
        self,
        lines: list[list[tuple[float, float]]],
        fills: list[list[tuple[float, float]]] | None = None,
    ) -> None:
        points, cells, polygons = vtkPoints(), vtkCellArray(), vtkCellArray()
        for group, into in ((lines, cells), (fills or [], polygons)):
            for line in group:
                into.InsertNextCell(len(line))
                for x, y in line:
                    into.InsertCellPoint(points.InsertNextPoint(x, y, 0))
        self.data.SetPoints(points)
        self.data.SetLines(cells)
        self.data.SetPolys(polygons)
        self.data.Modified()


class Glyphs:
    """All marks of one renderer. `show` sets them, `redraw` places them for the present camera."""

    def __init__(self, renderer: Any) -> None:
        self.renderer = renderer
        self._ink = _Lines(renderer, PAPER.ink, 1.4)
        self._faint = _Lines(renderer, PAPER.quiet, 1.0)
        self._ochre = _Lines(renderer, PAPER.caution, 2.6)
        self._teal = _Lines(renderer, PAPER.accent, 2.6)
        self._tags: list[vtkTextActor] = []
        self.supports: Sequence[SupportMark] = ()
        self.loads: Sequence[LoadMark] = ()
        self.hubs: Sequence[HubMark] = ()
        self.joints: Sequence[JointMark] = ()
        self.visible = True

    def show(self, marks: Marks | None) -> None:
        """Replace all marks; with None there are none."""
        self.supports = () if marks is None else marks.supports
        self.loads = () if marks is None else marks.loads
        self.hubs = () if marks is None else marks.hubs
        self.joints = () if marks is None else marks.joints
        self.redraw()

    def redraw(self) -> None:
        """Place everything for the present camera."""
        for tag in self._tags:
            self.renderer.RemoveViewProp(tag)
        self._tags = []
        if not self.visible:
            for part in (self._ink, self._faint, self._ochre, self._teal):
                part.draw([])
            return
        ink: list[list[tuple[float, float]]] = []
        faint: list[list[tuple[float, float]]] = []
        ochre: list[list[tuple[float, float]]] = []
        heads: list[list[tuple[float, float]]] = []
        for hub in self.hubs:
            self._hub(hub, faint)
        for joint in self.joints:
            self._joint(joint, ink)
        taken: dict[tuple[int, int], int] = {}
        for support in self.supports:
            self._support(support, ink, faint, taken)
        teal: list[list[tuple[float, float]]] = []
        teal_heads: list[list[tuple[float, float]]] = []
        for load in self.loads:
            self._load(load, *((teal, teal_heads) if load.reaction else (ochre, heads)))
        self._teal.draw(teal, teal_heads)
        self._ink.draw(ink)
        self._faint.draw(faint)
        self._ochre.draw(ochre, heads)

    def _hub(self, hub: HubMark, faint: list[list[tuple[float, float]]]) -> None:
        at = world_to_display(self.renderer, np.concatenate([hub.centre[None], hub.rim]))
        x, y = at[0, :2]
        angles = np.linspace(0, 2 * np.pi, 21)
        faint.append([(x + 5 * np.cos(a), y + 5 * np.sin(a)) for a in angles])
        for rim_x, rim_y, _ in at[1:]:
            faint.append([(x, y), (rim_x, rim_y)])

    def _joint(self, joint: JointMark, ink: list[list[tuple[float, float]]]) -> None:
        at = world_to_display(self.renderer, joint.places)[:, :2]
        if joint.seam:
            ink.append([tuple(place) for place in at])
            run = np.linalg.norm(np.diff(at, axis=0), axis=1)
            along = np.concatenate([[0.0], np.cumsum(run)])
            for step in np.arange(4.0, along[-1], 8.0):
                x, y = (float(np.interp(step, along, at[:, axis])) for axis in (0, 1))
                ink.append([(x - 4, y - 4), (x + 4, y + 4)])
            return
        angles = np.linspace(0, 2 * np.pi, 21)
        for x, y in at:
            ink.append([(x + 6 * np.cos(a), y + 6 * np.sin(a)) for a in angles])
            ink += [[(x - 9, y), (x + 9, y)], [(x, y - 9), (x, y + 9)]]

    def _support(
        self,
        support: SupportMark,
        ink: list[list[tuple[float, float]]],
        faint: list[list[tuple[float, float]]],
        taken: dict[tuple[int, int], int],
    ) -> None:
        x, y, _ = world_to_display(self.renderer, support.place[None])[0]
        cell = (int(x // 40), int(y // 40))  # two supports at one place stand side by side
        x += 50 * taken.get(cell, 0)
        taken[cell] = taken.get(cell, 0) + 1
        y -= 16
        ink.append([(x, y + 16), (x, y)])
        ink.append([(x - 19, y), (x + 19, y)])
        for step in range(-18, 19, 6):
            ink.append([(x + step, y), (x + step - 6, y - 7)])
        for number, held in enumerate(support.held):
            tick = x - 17.5 + 6 * number + (5 if number > 2 else 0)
            if held:
                ink.append([(tick, y - 11), (tick, y - 19)])
            else:
                faint.append([(tick - 1.5, y - 15), (tick + 1.5, y - 15)])

    def _load(
        self,
        load: LoadMark,
        ochre: list[list[tuple[float, float]]],
        heads: list[list[tuple[float, float]]],
    ) -> None:
        camera = self.renderer.GetActiveCamera()
        step = max(camera.GetParallelScale(), 1e-9) * 0.05
        tip, before = world_to_display(
            self.renderer, np.stack([load.place, load.place - step * load.direction])
        )[:, :2]
        along = tip - before
        full = world_to_display(
            self.renderer, np.stack([load.place, load.place + step * np.array(camera.GetViewUp())])
        )[:, :2]
        unit = max(float(np.linalg.norm(full[1] - full[0])), 1e-9)
        share = float(np.linalg.norm(along)) / unit  # 1 when the arrow lies in the picture's plane
        direction = (
            along / max(float(np.linalg.norm(along)), 1e-9)
            if share > 1e-3
            else np.array([0.0, -1.0])
        )
        length = max(58.0 * min(share, 1.0), 20.0)
        tip = tip - 8 * direction
        tail = tip - length * direction
        colour = PAPER.accent if load.reaction else PAPER.caution
        pushed = self._tag(load.tag, tail - 8 * direction, direction, colour)
        # where the border keeps the tag nearer, the arrow is shorter
        tail = tail + min(max(float(pushed @ direction), 0.0), length - 14.0) * direction
        side = np.array([-direction[1], direction[0]])
        neck = tip - 12 * direction
        ochre.append([tuple(tail), tuple(neck)])
        heads.append([tuple(tip), tuple(neck + 5.5 * side), tuple(neck - 5.5 * side)])
        if load.held:
            ochre.append([tuple(tail + 6 * side), tuple(tail - 6 * side)])

    def _tag(self, text: str, at: np.ndarray, direction: np.ndarray, colour: str) -> np.ndarray:
        """Write on a ground behind an arrow's tail, at a pixel (2,); how far the border pushed it
        from there."""
        tag = vtkTextActor()
        tag.SetInput(text)
        style = tag.GetTextProperty()
        letter(style, _TAG, colour)
        style.SetBackgroundColor(*rgb(PAPER.card))
        style.SetBackgroundOpacity(1.0)
        style.SetFrame(True)
        style.SetFrameColor(*rgb(colour))
        if abs(direction[0]) > abs(direction[1]):
            style.SetVerticalJustificationToCentered()
            (style.SetJustificationToRight if direction[0] > 0 else style.SetJustificationToLeft)()
        else:
            style.SetJustificationToCentered()
            (
                style.SetVerticalJustificationToTop
                if direction[1] > 0
                else style.SetVerticalJustificationToBottom
            )()
        size = [0.0, 0.0, 0.0, 0.0]
        tag.GetBoundingBox(self.renderer, size)
        extent = np.array([size[1] - size[0], size[3] - size[2]])
        # how far it reaches from its place: away from the arrow, to both sides across it
        along = int(abs(direction[1]) >= abs(direction[0]))
        low, high = 0.5 * extent, 0.5 * extent
        back, ahead = (low, high) if direction[along] > 0 else (high, low)
        back[along], ahead[along] = extent[along], 0.0
        least, most = low + _BORDER, np.array(self.renderer.GetSize()) - high - _BORDER
        there = np.clip(at, least, np.maximum(most, least))
        tag.SetPosition(*there)
        self.renderer.AddViewProp(tag)
        self._tags.append(tag)
        return np.asarray(there - at)
