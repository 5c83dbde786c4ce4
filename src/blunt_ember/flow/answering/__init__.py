"""What is answered of a solved case: beside what is expected, and how far it may be off."""
