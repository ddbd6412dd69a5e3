"""Small pictures of mode shapes, drawn off screen."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyvista as pv
from PyQt6.QtGui import QImage, QPixmap

from labilis.judge.findings import MeshFindings, ModesFindings
from labilis.run.picking import ShapeView
from labilis.ui.stage.scene import colours_of, light_stage, moving_surface
from labilis.ui.theme import PAPER


class Pictures:
    """Draws shapes seen from the side on which they move most; one off-screen plotter for all."""

    def __init__(self, side: int = 76) -> None:
        self._plotter: Any = pv.Plotter(off_screen=True, window_size=[side, side], lighting="none")
        light_stage(self._plotter)
        self._plotter.set_background(PAPER.ground)  # type: ignore[arg-type]

    def draw(self, view: ShapeView, mesh: MeshFindings, modes: ModesFindings) -> dict[int, QPixmap]:
        """Picture of each mode by its number from 0."""
        surface = moving_surface(mesh)
        nodes = np.asarray(surface.point_data["node"])
        base = np.array(surface.points)
        found = {}
        for index in range(len(modes.factors)):
            motion = modes.shapes[index][nodes]
            size = np.linalg.norm(motion, axis=1)
            shifted = surface.copy()
            shifted.points = base + 0.16 * view.length * motion
            shifted.point_data["value"] = size
            self._plotter.clear_actors()
            for style in ("surface", "wireframe"):  # lines keep a thin part visible at this size
                self._plotter.add_mesh(
                    shifted,
                    scalars="value",
                    cmap=colours_of("movement"),
                    clim=(-0.4, 1),
                    show_scalar_bar=False,
                    ambient=0.6,
                    reset_camera=False,
                    style=style,
                    line_width=3,
                )
            across = motion[int(size.argmax())]
            across = across - (across @ view.long_axis) * view.long_axis
            if np.linalg.norm(across) < 1e-9:
                across = np.cross(view.long_axis, [0.3, 0.5, 0.8])
            across = across / np.linalg.norm(across)
            camera = self._plotter.camera
            centre = 0.5 * (shifted.points.max(axis=0) + shifted.points.min(axis=0))
            look = np.cross(view.long_axis, across)
            camera.focal_point = centre
            camera.position = centre + 3 * view.length * look
            camera.up = view.long_axis
            camera.enable_parallel_projection()
            along = float(np.ptp(shifted.points @ view.long_axis))
            camera.parallel_scale = 0.55 * max(along, float(np.ptp(shifted.points @ across)))
            self._plotter.renderer.ResetCameraClippingRange()
            self._plotter.render()
            picture = np.ascontiguousarray(self._plotter.screenshot(return_img=True))
            height, width, _ = picture.shape
            data = picture.tobytes()  # named: an image does not keep its bytes alive
            image = QImage(data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()
            found[index] = QPixmap.fromImage(image)
        return found

    def close(self) -> None:
        """Let go of the off-screen window."""
        self._plotter.close()
