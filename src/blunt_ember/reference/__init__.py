"""Closed-form solutions, each with its source and the range in which it holds."""
