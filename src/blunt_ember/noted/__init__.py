"""A problem as an analyst notes it in one line, made into a case."""
