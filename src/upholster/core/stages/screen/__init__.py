"""Screen: what is taken for the ground to take out."""
