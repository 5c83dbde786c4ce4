"""The commands, a module each."""
