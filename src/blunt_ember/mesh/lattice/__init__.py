"""The lattice that the cells of a mesh may lie on, and which nodes are neighbours there."""
