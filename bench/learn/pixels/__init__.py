"""The network of single pixels: what edges and thin parts look like."""
