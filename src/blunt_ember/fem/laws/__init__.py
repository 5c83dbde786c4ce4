"""Laws of what acts on surfaces, a module each; ``stated`` says which statement makes which."""
