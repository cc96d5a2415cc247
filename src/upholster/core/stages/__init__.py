"""The stages of the key, in the order of the work order; each reads only its own settings."""
