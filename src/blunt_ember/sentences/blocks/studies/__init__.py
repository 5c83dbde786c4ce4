"""What the sheet says of studies."""
