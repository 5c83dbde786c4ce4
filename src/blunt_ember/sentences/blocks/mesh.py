"""What the sheet says of the mesh."""

from __future__ import annotations

from blunt_ember.case.case import Case
from blunt_ember.case.editing.edits import with_value
from blunt_ember.case.values.display import number
from blunt_ember.flow.outcome import Outcome
from blunt_ember.mesh.cells.quality import SHARP, quality_of
from blunt_ember.mesh.mesh_request import ACROSS
from blunt_ember.sentences.blocks.body.shapes import whole_entry
from blunt_ember.sentences.parts import (
    Choice,
    Entry,
    Option,
    Remove,
    SentencePart,
    SheetRow,
    SheetSection,
    Word,
    adding,
    entry,
    place_entries,
    removing,
    setting,
)

_CELLS = {
    "auto": "mapped where it can be",
    "triangles": "free triangles",
    "mostly quadrilaterals": "free, mostly four-sided",
    "quadrilaterals": "mapped throughout",
}


def mesh_section(case: Case, outcome: Outcome | None) -> SheetSection:
    """Return the section of the mesh."""
    wish = case.document.mesh
    data = case.data.get("mesh", {})
    orders = tuple(
        Option(words, setting(("mesh", "order"), order)) for words, order in (("linear", 1), ("quadratic", 2))
    )

    kinds = tuple(Option(words, setting(("mesh", "cells"), cells)) for cells, words in _CELLS.items())

    def set_size(now: Case, typed: str) -> Case:
        return with_value(now, ("mesh", "size"), typed.strip() or "auto")

    def set_across(now: Case, typed: str) -> Case:
        text = typed.strip()
        return with_value(now, ("mesh", "across"), int(text) if text.isdigit() and len(text) < 6 else typed)

    across = wish.across if wish.across is not None else ACROSS[len(case.document.body.coordinates)]
    row: SheetRow = (
        Word("cells of"),
        Entry(
            "mesh.size",
            str(data.get("size", "auto")),
            "Largest cell, such as 5 mm, or auto",
            set_size,
            at=("mesh", "size"),
        ),
        Word("at least"),
        Entry("mesh.across", str(across), "Cells across every region at least", set_across, at=("mesh", "across")),
        Word("across,"),
        Choice("mesh order", "quadratic" if wish.order == 2 else "linear", orders, "plain choice"),
    )
    rows: list[SheetRow] = [row]
    if case.document.body.files:
        rows = [(Word("as it is in the file"),)]
    elif case.document.body.drawn:
        shape = Choice("mesh cells", _CELLS[wish.cells], kinds, "plain choice")
        rows = [(*row, shape), *_finer_places(case, outcome)]
    mesh = outcome.mesh if outcome else None
    if mesh is None:
        return SheetSection("Mesh", "", tuple(rows))
    quality = quality_of(mesh)
    sharp = len(quality.sharp)
    angle = f"smallest angle {quality.smallest_angle.min():.0f}°, " if mesh.dimension > 1 else ""
    said = f"{angle}sides up to {quality.aspect.max():.3g} : 1"
    marked = f"; {sharp} cells below {SHARP:.0f}°, marked in the lens Mesh" if sharp else ""
    state = f"{number(mesh.cell_count)} cells · {number(mesh.node_count)} nodes"
    return SheetSection("Mesh", state, (*rows, (Word(said + marked, "quiet"),)))


def _finer_places(case: Case, outcome: Outcome | None) -> list[SheetRow]:
    rows: list[SheetRow] = []
    for place, local in enumerate(case.document.mesh.local):
        path = ("mesh", "local", place)
        where: list[SentencePart] = [
            Word("on" if local.divisions else "finer on"),
            Word(", ".join(local.surfaces), "strong", local.surfaces),
        ]
        if local.at is not None:
            where = [Word("finer at"), *place_entries(case, (*path, "at"))]
        fine: list[SentencePart] = [
            Word(": cells of"),
            *entry(case, (*path, "size"), "Largest cell there, such as 1 mm"),
        ]
        if local.divisions is not None:
            fine = [
                Word(": divided by"),
                whole_entry(f"divisions {place}", (*path, "divisions"), local.divisions, "Cells along it"),
            ]
        rows.append(
            (*where, *fine, Remove(f"remove finer place {place}", "Remove this finer place", removing(path), at=path))
        )
    found = tuple(outcome.geometry.surfaces) if outcome and outcome.geometry else ()
    extent = outcome.geometry.extent if outcome and outcome.geometry else 0.1
    size = f"{extent * 1000 / 100:.2g} mm"
    offers = tuple(
        Option(
            name,
            options=(
                Option("cells of a size", adding(("mesh", "local"), {"on": name, "size": size})),
                Option("divided by hand", adding(("mesh", "local"), {"on": name, "divisions": 12})),
            ),
        )
        for name in (*case.document.surfaces, *found)
    )
    point = Option(
        "at a point", adding(("mesh", "local"), {"at": ["0 mm"] * len(case.document.body.coordinates), "size": size})
    )
    return [*rows, (Choice("add finer place", "finer, or divided by hand …", (point, *offers), "link"),)]
