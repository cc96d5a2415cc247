"""Scripts that work with the house: their tokens, and answers that are given once."""
