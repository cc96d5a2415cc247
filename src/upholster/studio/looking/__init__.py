"""Looking at a shot: pictures and values, kept for the next look."""
