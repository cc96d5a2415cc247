"""Reading pictures out of files, in a child process with limits.

`child` is the program of that process, `video` and `stills` are what it opens files with, and
`reader` is how the rest of Upholster asks it.
"""
