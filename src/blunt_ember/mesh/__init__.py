"""Cells and nodes over a geometry, with the names of regions and surfaces carried along."""
