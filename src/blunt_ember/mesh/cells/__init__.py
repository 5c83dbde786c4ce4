"""Families of cells, their facets and their quality."""
