"""Families of surfaces that see each other."""
