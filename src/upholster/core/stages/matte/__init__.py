"""Matte: coverage, from the first estimate to what is clear and what is solid."""
