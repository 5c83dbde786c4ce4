"""What stands in the sheet, heading by heading, in the order an analyst works."""

from __future__ import annotations

from blunt_ember.case.case import Case
from blunt_ember.desk.sheet_body import body_section
from blunt_ember.desk.sheet_inside import inside_section, joints_section
from blunt_ember.desk.sheet_materials import materials_section
from blunt_ember.desk.sheet_mesh import mesh_section
from blunt_ember.desk.sheet_parts import Section
from blunt_ember.desk.sheet_questions import formulas, questions
from blunt_ember.desk.sheet_surfaces import surfaces_section
from blunt_ember.desk.sheet_surroundings import surroundings_section
from blunt_ember.flow import Outcome


def sections(case: Case, outcome: Outcome | None) -> list[Section]:
    """Return the whole sheet; ``outcome`` gives the names of surfaces, when the geometry is known."""
    return [
        body_section(case), materials_section(case), surfaces_section(case, outcome),
        surroundings_section(case, outcome), inside_section(case, outcome), joints_section(case, outcome),
        Section("Clock", "steady", ()), mesh_section(case, outcome), questions(case, outcome),
        formulas(case, "parameters"), formulas(case, "working"),
    ]  # fmt: skip
