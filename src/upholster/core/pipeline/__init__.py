"""The heart as a list of stages: what a stage is, their order, and the one runner that walks them."""
