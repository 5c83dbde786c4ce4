"""What facets of plane and turned sections see of each other."""
