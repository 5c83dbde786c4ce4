"""Case files: JSON text, reading and writing, older formats, the schema."""
