"""Meshes in files of open formats: reading, writing, and how large one may be."""
