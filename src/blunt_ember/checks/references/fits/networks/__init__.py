"""Parts of one temperature each that radiate to each other, as networks."""
