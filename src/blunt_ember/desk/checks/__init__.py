"""Checks beside the stage."""
