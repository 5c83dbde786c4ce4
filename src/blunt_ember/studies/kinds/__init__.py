"""What each kind of study does."""
