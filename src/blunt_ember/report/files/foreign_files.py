"""Files of other kinds made into cases, and bodies and answers written to them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from blunt_ember.case.case import Case, case_from_data
from blunt_ember.case.document.bodies import Imported
from blunt_ember.case.document.case_document import FORMAT
from blunt_ember.case.values.quantity import stated
from blunt_ember.case.values.units import LENGTH, TEMPERATURE
from blunt_ember.errors import BluntEmberError, ExpressionError
from blunt_ember.flow.outcome import Outcome
from blunt_ember.geometry.section import outlines_of
from blunt_ember.immutable import immutable
from blunt_ember.mesh.imported import MESH_SUFFIXES, imported_geometry
from blunt_ember.mesh.mesh import Mesh
from blunt_ember.ordinary_file import MOST_OF_A_DRAWING, require_ordinary
from blunt_ember.outlines.loops import DrawingError, regions_of
from blunt_ember.outlines.svg_writing import section_svg
from blunt_ember.written_file import write_text, written

DRAWINGS = (".dxf", ".svg")


class UnitMissingError(BluntEmberError):
    """A file does not say what its lengths are in, and nobody has said it."""


def is_foreign(path: Path) -> bool:
    """Tell whether a file is a drawing or a mesh rather than a case."""
    return path.suffix.lower() in (*DRAWINGS, *MESH_SUFFIXES)


@immutable
class ForeignCase:
    """A case made of a drawing or a mesh, and in words what of that was left out."""

    case: Case
    left_out: str = ""


def case_from_foreign(path: Path, unit: str | None = None) -> ForeignCase:
    """Return a new case whose body is what a drawing or a mesh holds; ``unit`` is the length 1 stands for in it.

    Raises :class:`UnitMissingError` when neither the file nor ``unit`` says it, :class:`DrawingError` and
    :class:`CaseError` for what cannot be used.
    """
    data: dict[str, Any] = {"format": FORMAT, "title": path.stem.replace("_", " ")[:200]}
    if path.suffix.lower() in DRAWINGS:
        if not path.exists():
            raise DrawingError(f"there is no file {path}")
        require_ordinary(path, MOST_OF_A_DRAWING)
        # Libraries for drawings take a while to import, and few cases begin with one.
        from blunt_ember.outlines.dxf import read_dxf
        from blunt_ember.outlines.svg_reading import read_svg

        drawing = (read_dxf if path.suffix.lower() == ".dxf" else read_svg)(path)
        regions = regions_of(drawing.layers, _named(unit or drawing.unit, path))
        data["body"] = {"kind": "section", "depth": "1 m", "regions": regions}
        listed = ", ".join(f"{count} {kind}" for kind, count in drawing.left_out.items())
        left_out = f"left out, as they draw no outline: {listed}" if listed else ""
        return ForeignCase(case_from_data(data, str(path.resolve().parent)), left_out)
    one = f"1 {_named(unit, path)}"
    folder = str(path.resolve().parent)
    body = Imported.model_validate({"kind": "imported", "file": path.name, "unit": one})
    groups: dict[str, Any] = {region.name: {} for region in imported_geometry(body, folder).regions}
    data["body"] = {"kind": "imported", "file": path.name, "unit": one, "groups": groups}
    return ForeignCase(case_from_data(data, folder))


def _named(unit: str | None, path: Path) -> str:
    """Return a unit of length without its number, such as ``mm``."""
    if unit is None:
        raise UnitMissingError(f"{path.name} does not say what its lengths are in; say it, such as mm or m")
    name = unit.strip().removeprefix("1").strip()
    try:
        stated(f"1 {name}", LENGTH)
    except ExpressionError as error:
        raise UnitMissingError(f"'{unit}' is no unit of length; write one such as mm or m") from error
    return name


def write_outlines(outcome: Outcome, path: Path) -> None:
    """Write the outlines of a section as a drawing; raise :class:`BluntEmberError` for another body."""
    outlines = outlines_of(outcome.geometry)
    if outlines is None:
        raise BluntEmberError("only a section can be drawn as .svg; write a solid as .stl")
    write_text(section_svg(outlines), path)


def write_skin_file(outcome: Outcome, path: Path) -> None:
    """Write the skin of a solid as triangles; raise :class:`BluntEmberError` where there is none."""
    from blunt_ember.mesh.files.mesh_files import write_skin

    with written(path) as scratch:
        write_skin(_mesh_of(outcome), scratch)


def write_mesh_file(outcome: Outcome, path: Path) -> None:
    """Write the mesh with its temperatures, as far as they are known, in the format of the suffix.

    Raises :class:`BluntEmberError` when that cannot be done.
    """
    from blunt_ember.mesh.files.mesh_files import write_mesh

    mesh = _mesh_of(outcome)
    fields = {}
    if outcome.solution is not None:
        kind = outcome.case.units.of(TEMPERATURE)
        fields = {f"temperature {kind.shown}": outcome.solution.temperature * kind.factor - kind.zero}
    with written(path) as scratch:
        write_mesh(mesh, scratch, fields)


def _mesh_of(outcome: Outcome) -> Mesh:
    if outcome.mesh is None:
        raise outcome.trouble or BluntEmberError("there is no mesh to write")
    return outcome.mesh
