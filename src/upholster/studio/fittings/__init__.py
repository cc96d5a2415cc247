"""Fittings: clips placed in layers over a ground; kept, resolved, looked at."""
