"""Canonical families of cases, and the demo cases of a small pottery works."""
