"""Charts as matplotlib draws them."""
