"""Edits of a case and walks over what it states."""
