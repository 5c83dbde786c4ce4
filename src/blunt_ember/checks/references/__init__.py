"""What answers are compared with: exact solutions that fit a case, and lines of the Working."""
