"""The network of colours along edges: what a subject looks like there without the screen."""
