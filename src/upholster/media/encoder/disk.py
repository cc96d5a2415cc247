"""What can go wrong on the disk, in one sentence."""

import errno

from upholster.media.errors import MediaError


def no_room(error: Exception) -> MediaError:
    """A sentence for an error met while writing."""
    if isinstance(error, OSError) and error.errno == errno.ENOSPC:
        return MediaError("The disk is full. Free some room and render again.")
    words = error.strerror or str(error) if isinstance(error, OSError) else str(error)
    return MediaError(f"The file could not be written: {words}.")
