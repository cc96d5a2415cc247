"""What people choose, as documents with a version: settings, numbers with keyframes, the recipe."""
