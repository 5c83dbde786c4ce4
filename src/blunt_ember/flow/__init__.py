"""The one-way flow from a case to its checks: steps, cache, keys, and the process it runs in."""
