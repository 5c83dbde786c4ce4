"""What a run leaves behind: fields on disk, and what is read of them."""
