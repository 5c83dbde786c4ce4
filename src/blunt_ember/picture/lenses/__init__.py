"""Lenses: what of an outcome is drawn on the body, a module each; ``registry`` lists them."""
