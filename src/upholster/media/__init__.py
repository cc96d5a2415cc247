"""Files in and out: probe, read, write, sequences, the table of formats, proof."""
