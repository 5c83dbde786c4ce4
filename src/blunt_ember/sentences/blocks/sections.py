"""What stands in the sheet, heading by heading, in the order an analyst works."""

from __future__ import annotations

from dataclasses import replace

from blunt_ember.case.case import Case
from blunt_ember.case.editing.parameters import unused
from blunt_ember.errors import Note
from blunt_ember.flow.outcome import Outcome
from blunt_ember.sentences.blocks.asked.questions import questions
from blunt_ember.sentences.blocks.body.section import body_section
from blunt_ember.sentences.blocks.clock import clock_section
from blunt_ember.sentences.blocks.enclosures import enclosures_section
from blunt_ember.sentences.blocks.environments import environments_section
from blunt_ember.sentences.blocks.formulas import formulas
from blunt_ember.sentences.blocks.inside import inside_section
from blunt_ember.sentences.blocks.isothermal import isothermal_section
from blunt_ember.sentences.blocks.joints import joints_section
from blunt_ember.sentences.blocks.materials import materials_section
from blunt_ember.sentences.blocks.mesh import mesh_section
from blunt_ember.sentences.blocks.studies.section import studies_section
from blunt_ember.sentences.blocks.surfaces import surfaces_section
from blunt_ember.sentences.blocks.surroundings import surroundings_section
from blunt_ember.sentences.parts import SheetSection, Word


def sections(case: Case, outcome: Outcome | None) -> list[SheetSection]:
    """Return the whole sheet; ``outcome`` gives the names of surfaces, when the geometry is known."""
    idle = unused(case)
    made = {
        "body": body_section(case),
        "materials": materials_section(case),
        "surfaces": surfaces_section(case, outcome),
        "environments": environments_section(case, outcome),
        "surroundings": surroundings_section(case, outcome),
        "enclosures": enclosures_section(case, outcome),
        "heat_inside": inside_section(case, outcome),
        "isothermal": isothermal_section(case, outcome),
        "joints": joints_section(case, outcome),
        "clock": clock_section(case, outcome),
        "mesh": mesh_section(case, outcome),
        "questions": questions(case, outcome),
        "parameters": formulas(case, "parameters", idle["parameters"]),
        "working": formulas(case, "working", idle["working"]),
        "studies": studies_section(case),
    }
    notes = outcome.notes if outcome is not None else ()
    return [
        _with_notes(replace(section, block=block), [note for note in notes if note.at[:1] == (block,)])
        for block, section in made.items()
    ]


def _with_notes(section: SheetSection, notes: list[Note]) -> SheetSection:
    """Put what should be known of a section under its rows."""
    return replace(section, rows=(*section.rows, *((Word(f"△  {note}", "note"),) for note in notes)))
