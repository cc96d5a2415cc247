"""Drawn shapes: how they move, and which pixels they cover."""
