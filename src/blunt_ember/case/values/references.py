"""What a text in the document stands for: the name of a surface, a region, a material …, or a formula.

A field says so by its annotated type, and everything that follows names (renaming, removing, mapping, "used by") reads
it there; nothing else keeps a list of the fields that refer to something.
"""

from __future__ import annotations

from enum import Enum
from typing import Annotated

from blunt_ember.immutable import immutable


class Target(Enum):
    """What a name refers to."""

    SURFACE = "surface"
    #: A region as the mesh knows it: of a region with levels, each level.
    REGION = "region"
    #: Either of the two, or the whole body.
    SURFACE_OR_REGION = "surface or region"
    #: A surface, or what lies behind the opening of its enclosure.
    SURFACE_OR_OPENING = "surface or opening"
    #: A region as it is drawn, whatever levels it has.
    SHAPE = "shape"
    MATERIAL = "material"
    #: A room, the outside, a fluid that films refer to.
    ENVIRONMENT = "environment"
    #: A parameter, by its own name and not in a formula.
    PARAMETER = "parameter"
    #: A line of the Working.
    WORKING = "working"
    QUESTION = "question"


@immutable
class RefersTo:
    """Annotation of a text, or of the key of an object, that is the name of something stated elsewhere."""

    target: Target


@immutable
class IsFormula:
    """Annotation of a text that is a formula over parameters; base of those that also say of which kind."""


@immutable
class IsPlace:
    """Annotation of a list of coordinates, as many as the body has."""


SurfaceName = Annotated[str, RefersTo(Target.SURFACE)]
RegionName = Annotated[str, RefersTo(Target.REGION)]
SurfaceOrRegionName = Annotated[str, RefersTo(Target.SURFACE_OR_REGION)]
SurfaceOrOpeningName = Annotated[str, RefersTo(Target.SURFACE_OR_OPENING)]
ShapeName = Annotated[str, RefersTo(Target.SHAPE)]
MaterialName = Annotated[str, RefersTo(Target.MATERIAL)]
EnvironmentName = Annotated[str, RefersTo(Target.ENVIRONMENT)]
ParameterName = Annotated[str, RefersTo(Target.PARAMETER)]
WorkingName = Annotated[str, RefersTo(Target.WORKING)]
QuestionName = Annotated[str, RefersTo(Target.QUESTION)]
Formula = Annotated[str, IsFormula()]
