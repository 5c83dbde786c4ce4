"""Terms of the heat balance."""
