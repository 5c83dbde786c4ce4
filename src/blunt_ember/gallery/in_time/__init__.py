"""Families in which the clock runs."""
