"""The body as VTK draws it."""
