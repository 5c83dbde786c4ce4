"""The strip: curves, tables, refinement and the time slider."""
