"""The solver as the window sees it."""
