"""Pictures as keyed before the key became a list of stages, to hold it against; see `test_before.py`."""
