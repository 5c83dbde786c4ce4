"""Quantities, formulas, laws and units: texts to SI values and back."""
