"""What is wrong or unlikely in a case, said to the analyst."""
