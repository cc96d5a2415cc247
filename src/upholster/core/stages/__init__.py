"""The stages of the key, one module each, grouped by the line of the work order they belong to."""
