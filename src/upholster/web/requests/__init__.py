"""What requests ask for: one model per body."""
