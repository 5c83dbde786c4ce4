"""What is known of an outcome as rows, aligned text and CSV."""
