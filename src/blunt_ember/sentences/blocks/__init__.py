"""What the sheet says, block by block, in the order an analyst works."""
