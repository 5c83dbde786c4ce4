"""What the analyst states: the case document, its quantities and its file."""
