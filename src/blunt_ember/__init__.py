"""Blunt Ember: thermal cases solved on a mesh and checked against theory."""

__version__ = "0.2.0"
