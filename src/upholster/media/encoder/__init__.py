"""Writing delivered pictures to files.

`writer` opens the right kind for a format; `movie`, `pictures` and `pair` are the kinds, `pixels` turns
pictures into frames of each pixel format, `join` puts parts together, `again` encodes what cannot be joined.
"""
