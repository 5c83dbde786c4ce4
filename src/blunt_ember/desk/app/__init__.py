"""The window and what belongs to it as a whole."""
