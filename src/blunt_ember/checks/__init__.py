"""Questions answered, set beside what is expected, and the heat ledger."""
