"""Every formula of a textbook, by the function it is called by."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from blunt_ember.case.values.textbook.corners import CORNERS
from blunt_ember.case.values.textbook.entry import Entry
from blunt_ember.case.values.textbook.fins import FIN_EFFICIENCIES
from blunt_ember.case.values.textbook.shape_factors import SHAPE_FACTORS
from blunt_ember.case.values.textbook.sources import SOURCES

#: By what they give, the entries.
BOOKS: Mapping[str, tuple[Entry, ...]] = MappingProxyType(
    {
        "a shape factor: heat is S k ΔT": SHAPE_FACTORS,
        "the efficiency of a fin": FIN_EFFICIENCIES,
        "by how much a source warms a place": SOURCES,
        "the power of the distance from a corner": CORNERS,
    }
)
TEXTBOOK: Mapping[str, Entry] = MappingProxyType({entry.name: entry for book in BOOKS.values() for entry in book})
