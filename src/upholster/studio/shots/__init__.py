"""Shots: their recipes, revisions, and what is known of their screens."""
