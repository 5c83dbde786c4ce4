"""Results as images: the body by VTK, charts by matplotlib; shared by the window and the written pictures."""
