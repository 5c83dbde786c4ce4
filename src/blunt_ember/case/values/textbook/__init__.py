"""Formulas of textbooks that formulas of a case may call, each with its range."""
