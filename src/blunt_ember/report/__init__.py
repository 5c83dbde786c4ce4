"""Results as tables, files of other kinds, and one page; the registry of what can be written, and who writes it."""
