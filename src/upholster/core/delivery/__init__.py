"""From a keyed frame to the picture a file holds: timing, size, one-bit edges, flat colours."""
