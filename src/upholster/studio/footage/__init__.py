"""Footage: brought in, read, and looked into."""
