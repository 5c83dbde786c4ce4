"""Solutions in the course of time."""
