"""Laying pictures over each other: alpha, blending, transforms, and the layers of a fitting."""
