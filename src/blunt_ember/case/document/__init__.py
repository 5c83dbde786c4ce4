"""The document model: what may stand in a case file, a module an idea."""
