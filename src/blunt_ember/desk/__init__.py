"""The window: the only part that knows Qt."""
