"""The sheet: the problem as sentences."""
