"""The body drawn by VTK off screen."""

from __future__ import annotations

from collections.abc import Collection
from functools import cache
from typing import Any

import numpy as np
from vtkmodules.util.numpy_support import vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkUnsignedCharArray
from vtkmodules.vtkRenderingCore import vtkLight, vtkRenderer

from blunt_ember.arrays import Image
from blunt_ember.errors import BluntEmberError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.geometry.section import outlines_of
from blunt_ember.picture.body.flat import flat_actors
from blunt_ember.picture.body.solid import SolidScene
from blunt_ember.picture.body.view import View
from blunt_ember.picture.lenses.field import Shade
from blunt_ember.picture.lenses.registry import LENSES
from blunt_ember.picture.palette import Theme, rgb


class BodyRenderer:
    """Draws outcomes into images; keeps one off-screen window, as opening one takes half a second."""

    def __init__(self) -> None:
        self._window = _offscreen_window()
        self._renderer = vtkRenderer()
        self._window.AddRenderer(self._renderer)
        self._renderer.GetActiveCamera().ParallelProjectionOn()
        self._scene: SolidScene | None = None
        light = vtkLight()  # over the left shoulder of the eye
        light.SetLightTypeToCameraLight()
        light.SetPosition(-0.5, 1.1, 1.0)
        self._renderer.AddLight(light)

    def draw(
        self,
        outcome: Outcome,
        lens: str,
        found: Shade | None,
        view: View,
        theme: Theme,
        pixel_ratio: float = 1.0,
        lit: Collection[str] = (),
        moving: bool = False,
    ) -> Image:
        """Return the picture as (height, width, 4) bytes RGBA, top row first.

        ``found`` is the shade of the lens, ``lit`` are surfaces of a solid that are pointed at. While a solid is
        ``moving`` its edges are not smoothed, which takes two thirds of the time.
        """
        self._renderer.RemoveAllViewProps()
        self._renderer.SetBackground(*rgb(theme.stage))
        if view.pose is None:
            actors = flat_actors(outcome, lens, found, view, theme, pixel_ratio)
        else:
            if self._scene is None or not self._scene.shows(outcome, lens, found, theme, pixel_ratio):
                self._scene = SolidScene(outcome, lens, found, theme, pixel_ratio)
            actors = self._scene.actors(lit)
        for actor in actors:
            self._renderer.AddActor(actor)
        fine = view.sharper(pixel_ratio)
        self._window.SetMultiSamples(0 if moving and view.pose is not None else _samples(outcome, lens))
        self._window.SetSize(fine.width, fine.height)
        self._look(fine)
        self._window.Render()
        pixels = vtkUnsignedCharArray()
        self._window.GetRGBACharPixelData(0, 0, fine.width - 1, fine.height - 1, 0, pixels)
        image: Image = vtk_to_numpy(pixels).reshape(fine.height, fine.width, 4)[::-1].copy()
        image[..., 3] = 255
        return image

    def _look(self, view: View) -> None:
        camera = self._renderer.GetActiveCamera()
        camera.SetParallelScale(view.height / 2 * view.scale)
        if view.pose is None:
            camera.SetFocalPoint(*view.centre, 0.0)
            camera.SetPosition(*view.centre, 1.0)
            camera.SetViewUp(0.0, 1.0, 0.0)
            camera.SetClippingRange(0.5, 1.5)
            return
        right, up, towards = view.pose.axes
        focus = view.centre[0] * right + view.centre[1] * up
        camera.SetFocalPoint(*focus)
        camera.SetPosition(*(focus + towards * view.height * view.scale))
        camera.SetViewUp(*up)
        self._renderer.ResetCameraClippingRange()

    def close(self) -> None:
        """Give the graphics context back."""
        self._renderer.RemoveAllViewProps()
        self._window.Finalize()


def _samples(outcome: Outcome, lens: str) -> int:
    """Samples a pixel: upright and level edges are sharp without, and drawing them so takes a third of the time."""
    outlines = outlines_of(outcome.geometry)
    if outlines is None or LENSES[lens].smooth:
        return 4
    curves = outlines.arrangement.curves
    slanted = np.abs(curves.end - curves.start).min(axis=1, initial=np.inf) > 1e-9 * outlines.extent
    triangles = LENSES[lens].cells and outcome.mesh is not None and any("tri" in b.family for b in outcome.mesh.blocks)
    return 4 if slanted.any() or curves.is_arc.any() or triangles else 0


def _offscreen_window() -> Any:
    """Open a window that needs no display."""
    window = _offscreen_kind()()
    window.SetOffScreenRendering(1)
    return window


@cache
def _offscreen_kind() -> Any:
    """The kind of window that draws here: EGL, or software rendering in memory where the machine has no EGL."""
    from vtkmodules import vtkRenderingOpenGL2

    for name in ("vtkEGLRenderWindow", "vtkOSOpenGLRenderWindow"):
        kind = getattr(vtkRenderingOpenGL2, name, None)
        if kind is not None:
            window = kind()
            window.SetOffScreenRendering(1)
            window.SetSize(16, 16)
            if window.SupportsOpenGL():
                return kind
    raise BluntEmberError("no OpenGL could be opened off screen; install Mesa (libegl1 and libgl1-mesa-dri)")
