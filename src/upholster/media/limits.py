"""What opening a file may cost; each is a setting (`config`)."""

from upholster.config import config

#: Largest picture, in pixels.
PIXELS = config().max_pixels
#: Most frames of one piece of footage, about an hour and a half at 48 a second.
FRAMES = config().max_frames
#: Longest footage, in hours.
HOURS = config().max_hours
#: Address space of a decoding child, in bytes.
MEMORY = int(config().decoder_gib * 2**30)
#: Seconds a decoding child may take to answer one request.
SECONDS = config().decoder_seconds
#: Largest upload, in bytes.
UPLOAD = int(config().max_upload_gib * 2**30)
