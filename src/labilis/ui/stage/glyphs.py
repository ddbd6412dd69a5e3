"""Marks of supports, hubs and loads: drawn in screen space so that they keep their size, redrawn as
the camera moves.

Supports are the hatched ground of a drawing with six ticks, three for x y z and three for turns; a
long tick is a motion held, a dot one left free. Loads are arrows with their value on a tag. Hubs
are rings with thin spokes."""

from __future__ import annotations

from typing import Any

import numpy as np
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor2D, vtkCoordinate, vtkPolyDataMapper2D, vtkTextActor

from labilis.run.glyphs import HubMark, JointMark, LoadMark, SupportMark
from labilis.ui.stage.picking import world_to_display
from labilis.ui.theme import PAPER


def _rgb(colour: str) -> tuple[float, float, float]:
    return tuple(int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5))  # type: ignore[return-value]


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
        self.actor.GetProperty().SetColor(*_rgb(colour))
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
        self.supports: list[SupportMark] = []
        self.loads: list[LoadMark] = []
        self.hubs: list[HubMark | JointMark] = []
        self.visible = True

    def show(
        self, supports: list[SupportMark], loads: list[LoadMark], hubs: list[HubMark | JointMark]
    ) -> None:
        """Replace all marks."""
        self.supports, self.loads, self.hubs = supports, loads, hubs
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
            if isinstance(hub, JointMark):
                self._joint(hub, ink)
            else:
                self._hub(hub, faint)
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
        side = np.array([-direction[1], direction[0]])
        neck = tip - 12 * direction
        ochre.append([tuple(tail), tuple(neck)])
        heads.append([tuple(tip), tuple(neck + 5.5 * side), tuple(neck - 5.5 * side)])
        if load.held:
            ochre.append([tuple(tail + 6 * side), tuple(tail - 6 * side)])
        self._tag(
            load.tag,
            tail - 8 * direction,
            direction,
            PAPER.accent if load.reaction else PAPER.caution,
        )

    def _tag(self, text: str, at: np.ndarray, direction: np.ndarray, colour: str) -> None:
        tag = vtkTextActor()
        tag.SetInput(text)
        style = tag.GetTextProperty()
        style.SetFontFamilyToArial()
        style.SetFontSize(14)
        style.SetBold(True)
        style.SetColor(*_rgb(colour))
        style.SetBackgroundColor(*_rgb(PAPER.card))
        style.SetBackgroundOpacity(1.0)
        style.SetFrame(True)
        style.SetFrameColor(*_rgb(colour))
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
        width, height = self.renderer.GetSize()
        wide = size[1] - size[0] + 8
        left, right = (
            {True: (wide, 8), False: (8, wide)}[bool(direction[0] > 0)]
            if abs(direction[0]) > abs(direction[1])
            else (wide / 2 + 8, wide / 2 + 8)
        )
        x = float(np.clip(at[0], left, max(width - right, left)))
        tag.SetPosition(x, float(np.clip(at[1], 14, height - 14)))
        self.renderer.AddViewProp(tag)
        self._tags.append(tag)
