"""Questions: read from a solution, said as sentences."""
