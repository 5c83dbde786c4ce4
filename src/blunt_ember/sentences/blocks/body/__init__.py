"""What the sheet says of the body: its kind, its regions, and what can be done with them."""
