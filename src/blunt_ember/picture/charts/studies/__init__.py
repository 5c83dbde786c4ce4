"""Charts of studies: one for every way in which one of a kind may be seen."""
