"""Families of steady cases."""
