"""Steady solutions, their heat flows and their adjoints."""
