"""Masks of a shot: their outlines kept, followed, and proposed."""
