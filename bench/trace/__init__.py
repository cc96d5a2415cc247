"""What tracing without a screen is worth, on plates with exact truth."""
