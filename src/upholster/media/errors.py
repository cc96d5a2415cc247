"""What can be wrong with a file, said in one sentence with a way out."""


class MediaError(Exception):
    """A file cannot be read or written; the message is shown to people as it is."""
