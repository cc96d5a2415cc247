"""Teaching the key what belongs to a subject: `python -m bench.learn`."""
