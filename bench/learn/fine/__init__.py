"""The trace's network of single pixels: strands and rims along a traced outline."""
