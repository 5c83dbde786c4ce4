"""Exact solutions fitted to cases, a module a family."""
