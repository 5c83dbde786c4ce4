"""Heat that flows one way through layers, steady and in time."""
