"""The finite-element method: families of cells, assembly, boundary terms, solving, recovering fluxes."""
