"""The steps of the flow where the clock runs."""
