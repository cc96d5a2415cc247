"""What drawn shapes do to the matte."""
