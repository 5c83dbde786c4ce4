"""What facets of solids see of each other."""
