"""A case and all that was found of it on one page."""
