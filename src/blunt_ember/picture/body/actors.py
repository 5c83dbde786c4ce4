"""Actors for VTK, and how they are coloured."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from vtkmodules.vtkCommonCore import vtkLookupTable
from vtkmodules.vtkCommonDataModel import vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor, vtkPolyDataMapper

from blunt_ember.arrays import Floats
from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.lenses.field import Shade
from blunt_ember.picture.palette import Theme, rgb

#: How much of the stage is in what lies outside the range, and round-off that still belongs inside.
_FADED, _ROUND_OFF = 0.82, 1e-9


def plain_actor(data: vtkPolyData, colour: str | None = None) -> vtkActor:
    """Return an actor without lighting, in one colour or by its scalars."""
    mapper = vtkPolyDataMapper()
    mapper.SetInputData(data)
    actor = vtkActor()
    actor.SetMapper(mapper)
    actor.GetProperty().LightingOff()
    if colour is not None:
        mapper.ScalarVisibilityOff()
        actor.GetProperty().SetColor(*rgb(colour))
    return actor


def line_actor(data: vtkPolyData, colour: str, width: float, level: float = 0.0) -> vtkActor:
    """Return an actor of lines ``width`` pixels wide, a little nearer to the eye by ``level``."""
    actor = plain_actor(data, colour)
    actor.GetProperty().SetLineWidth(width)
    actor.SetPosition(0.0, 0.0, level)
    return actor


def colour_by_shade(actor: vtkActor, shade: Shade, theme: Theme) -> None:
    """Colour an actor by its scalars, which are places on the scale of a shade."""
    table = vtkLookupTable()
    table.SetNumberOfTableValues(len(shade.colours))
    for place, colour in enumerate(shade.colours.tolist()):
        table.SetTableValue(place, [*colour, 1.0])
    table.SetNanColor([*rgb(theme.hairline), 1.0])
    below, above = ([*colour, 0.0 if shade.vanish else 1.0] for colour in faded_ends(shade, theme).tolist())
    if shade.narrowed[0]:
        table.UseBelowRangeColorOn()
        table.SetBelowRangeColor(below)
    if shade.narrowed[1]:
        table.UseAboveRangeColorOn()
        table.SetAboveRangeColor(above)
    mapper = actor.GetMapper()
    mapper.SetLookupTable(table)
    mapper.SetScalarRange(-_ROUND_OFF, 1 + _ROUND_OFF)
    mapper.UseLookupTableScalarRangeOff()
    mapper.InterpolateScalarsBeforeMappingOn()


def faded_ends(shade: Shade, theme: Theme) -> Floats:
    """Return the colours (2, 3) of what lies below and above the coloured range."""
    return _FADED * np.array(rgb(theme.stage)) + (1 - _FADED) * shade.colours[[0, -1]]


def region_colours(outcome: Outcome, theme: Theme) -> NDArray[np.uint8]:
    """Return the tint of every region by its material, (r, 3) bytes."""
    assert outcome.mesh is not None
    document = outcome.case.document
    order, fillings = list(document.materials), document.body.fillings
    materials = [fillings[name].material if name in fillings else None for name in outcome.mesh.regions]
    tints = [theme.tints[order.index(m) % len(theme.tints)] if m is not None else theme.field for m in materials]
    return (np.array([rgb(tint) for tint in tints]) * 255).astype(np.uint8)
