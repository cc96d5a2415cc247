"""What is wrong with a keyed clip, and where: a measure for each kind, spans over frames, and what would mend it."""
