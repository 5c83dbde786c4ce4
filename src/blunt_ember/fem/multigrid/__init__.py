"""Multigrid: spaces of functions, each coarser than the one before, and cycles through them."""
