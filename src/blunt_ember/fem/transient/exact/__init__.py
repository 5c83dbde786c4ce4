"""Runs that are exact in time, all instants at once."""
