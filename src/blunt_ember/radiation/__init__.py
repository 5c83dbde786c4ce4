"""What surfaces see of each other: view factors in every space, and their closure."""
