"""Take: which part of the plate is worked on, and which way up it is delivered."""
