"""Whether what is told to be wrong is wrong: plates with faults put in by code, and plates without."""
