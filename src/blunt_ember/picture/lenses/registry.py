"""Every lens, in the order of the row of lenses: the registry that menus, keys, files and the command line read."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from blunt_ember.flow.outcome import Outcome
from blunt_ember.picture.lenses.condensation import CONDENSATION_LENS
from blunt_ember.picture.lenses.differences import DIFFERENCE_LENS, ERROR_LENS
from blunt_ember.picture.lenses.field import Field, Shade, shaded
from blunt_ember.picture.lenses.heat_flow import HEAT_FLOW_LENS
from blunt_ember.picture.lenses.lens import Lens
from blunt_ember.picture.lenses.radiation import RADIATION_LENS
from blunt_ember.picture.lenses.temperature import TEMPERATURE_LENS
from blunt_ember.picture.look import Look

LENSES: Mapping[str, Lens] = MappingProxyType(
    {
        lens.name: lens
        for lens in (
            Lens("Shape", unstated=True),
            Lens("Mesh", cells=True),
            TEMPERATURE_LENS,
            HEAT_FLOW_LENS,
            ERROR_LENS,
            DIFFERENCE_LENS,
            Lens("Material", materials=True),
            RADIATION_LENS,
            CONDENSATION_LENS,
        )
    }
)


def lens_parts(outcome: Outcome, lens: str) -> tuple[str, ...]:
    """Return what of a lens can be chosen, the first is shown when nothing is; nothing where there is no choice."""
    return LENSES[lens].parts(outcome) if outcome.mesh is not None else ()


def field_of(outcome: Outcome, lens: str, part: str = "") -> Field | None:
    """Return what a lens shows of an outcome; None for lenses that show no field, or while there is none."""
    known = LENSES[lens]
    if known.field is None or outcome.mesh is None or outcome.solution is None or outcome.problem is None:
        return None
    parts = known.parts(outcome)
    if known.wants_parts and not parts:
        return None
    return known.field(outcome, part if part in parts else next(iter(parts), ""))


def shade(outcome: Outcome, look: Look | str) -> Shade | None:
    """Return what a look colours the body by; None for lenses that show no field, or while there is none."""
    chosen = look if isinstance(look, Look) else Look(look)
    field = field_of(outcome, chosen.lens, chosen.part)
    return None if field is None else shaded(field, chosen, outcome)
