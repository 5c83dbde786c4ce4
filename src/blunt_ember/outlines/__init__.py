"""Outlines read from drawings and written to them."""
