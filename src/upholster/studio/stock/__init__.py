"""The stockroom: finished, proofed clips."""
