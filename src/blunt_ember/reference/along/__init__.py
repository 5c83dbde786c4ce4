"""Heat that flows along thin bodies and leaves them on the way."""
