"""What is wrong with shots: measured in the background, told of, mended, put on a sheet."""
