"""The key's network: what subjects look like in cells half covered."""
