"""The key against known truth, with no recipe given: `python -m bench.quality`."""
