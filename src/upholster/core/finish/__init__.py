"""What finishing a keyed picture works out: white points, casts, tones, colour decisions, the light of a ground."""
