"""Finishing the subject: its colours, its sharpness and grain, and the light of the scene it goes into."""
