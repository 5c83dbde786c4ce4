"""The flow in a process of its own: what is sent to it and back, and how it ends."""
