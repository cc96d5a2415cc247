"""Edge: where it lies, how soft it is, and its colour."""
