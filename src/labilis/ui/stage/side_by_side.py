"""Two or four shapes side by side in one picture: one camera for all, so that they always turn
together."""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np
from vtkmodules.vtkRenderingCore import vtkTextActor

from labilis.results.findings import MeshFindings
from labilis.ui.stage.fields import Field, colour_map
from labilis.ui.stage.lettering import letter
from labilis.ui.stage.picking import world_to_display
from labilis.ui.stage.scene import moving_surface
from labilis.ui.theme import PAPER


class Beside:
    """Copies of the part, each with its own field, set apart in the plane of the picture; each
    with its story under it."""

    def __init__(self, plotter: Any) -> None:
        self.plotter = plotter
        # surface, actor, places, motion
        self._parts: list[tuple[Any, Any, np.ndarray, np.ndarray]] = []
        self._labels: list[Any] = []
        self._corners = np.zeros((0, 3))

    @property
    def count(self) -> int:
        """How many are shown."""
        return len(self._parts)

    def show(self, parts: list[tuple[MeshFindings, Field]]) -> None:
        """Show these instead of what was there; meshes may be of different parts, which keep
        their place to each other."""
        self.clear()
        for mesh, field in parts:
            surface = moving_surface(mesh)
            nodes = surface.point_data["node"]
            surface.point_data["value"] = field.values[nodes]
            actor = self.plotter.add_mesh(
                surface,
                render=False,
                reset_camera=False,
                show_scalar_bar=False,
                scalars="value",
                cmap=colour_map(field),
                clim=(field.least, field.most),
                ambient=0.45,
                diffuse=0.55,
                pickable=False,
                interpolate_before_map=True,
                line_width=5,
            )
            self._parts.append((surface, actor, np.array(surface.points), field.motion[nodes]))
            label = vtkTextActor()
            label.SetInput(field.story)
            style = label.GetTextProperty()
            letter(style, 13, PAPER.ink)
            style.SetJustificationToCentered()
            self.plotter.renderer.AddViewProp(label)
            self._labels.append(label)
        low = np.min([mesh.nodes.min(axis=0) for mesh, _ in parts], axis=0)
        high = np.max([mesh.nodes.max(axis=0) for mesh, _ in parts], axis=0)
        self._corners = np.array(list(itertools.product(*zip(low, high))))
        self.place()

    def clear(self) -> None:
        """Take them off."""
        for _, actor, _, _ in self._parts:
            self.plotter.remove_actor(actor, render=False)
        for label in self._labels:
            self.plotter.renderer.RemoveViewProp(label)
        self._parts, self._labels = [], []

    def _frame(self) -> tuple[np.ndarray, np.ndarray, float, float]:
        """(right, up, extent across, extent upward) of the picture's plane."""
        camera = self.plotter.renderer.GetActiveCamera()
        forward = np.array(camera.GetFocalPoint()) - np.array(camera.GetPosition())
        forward = forward / np.linalg.norm(forward)
        right = np.cross(forward, np.array(camera.GetViewUp()))
        right = right / np.linalg.norm(right)
        up = np.cross(right, forward)
        return right, up, float(np.ptp(self._corners @ right)), float(np.ptp(self._corners @ up))

    def layout(self) -> tuple[int, int]:
        """(columns, rows), so that the picture is used well."""
        _, _, across, upward = self._frame()
        if self.count == 4:
            return (4, 1) if upward > 2.2 * across else (1, 4) if across > 4.0 * upward else (2, 2)
        return (self.count, 1) if across < 2.0 * upward else (1, self.count)

    def extent(self) -> tuple[float, float]:
        """What all of them need across and upward, mm."""
        _, _, across, upward = self._frame()
        columns, rows = self.layout()
        size = max(across, upward)
        return columns * (across + 0.12 * size), rows * (upward + 0.22 * size)

    def place(self) -> None:
        """Set them apart for the present camera."""
        if not self._parts:
            return
        right, up, across, upward = self._frame()
        columns, rows = self.layout()
        size = max(across, upward)
        step = (across + 0.12 * size, upward + 0.22 * size)
        middle = self._corners.mean(axis=0)
        for number, ((_, actor, _, _), label) in enumerate(zip(self._parts, self._labels)):
            column, row = number % columns, number // columns
            shift = (column - (columns - 1) / 2) * step[0] * right + ((rows - 1) / 2 - row) * step[
                1
            ] * up
            actor.SetPosition(*shift)
            x, y, _ = world_to_display(
                self.plotter.renderer, (middle + shift - (0.5 * upward + 0.08 * size) * up)[None]
            )[0]
            label.SetPosition(int(x), int(y) - 18)

    def move(self, scale: float) -> None:
        """Shift all along their motions."""
        for surface, _, base, motion in self._parts:
            surface.points = base + scale * motion
