"""View factors in closed form, found from the shape of a body."""
