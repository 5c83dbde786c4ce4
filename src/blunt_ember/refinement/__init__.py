"""A case on finer and finer meshes: evenly, or where the error is."""
