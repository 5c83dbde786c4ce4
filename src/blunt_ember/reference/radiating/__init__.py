"""Surfaces that see each other."""
