"""What opening a file may cost. Each can be set through the environment."""

import os

#: Largest picture, in pixels.
PIXELS = int(os.environ.get("UPHOLSTER_MAX_PIXELS", 8192 * 4320))
#: Most frames of one piece of footage, about an hour and a half at 48 a second.
FRAMES = int(os.environ.get("UPHOLSTER_MAX_FRAMES", 250_000))
#: Longest footage, in hours.
HOURS = float(os.environ.get("UPHOLSTER_MAX_HOURS", 6))
#: Address space of a decoding child, in bytes.
MEMORY = int(float(os.environ.get("UPHOLSTER_DECODER_GIB", 6)) * 2**30)
#: Seconds a decoding child may take to answer one request.
SECONDS = float(os.environ.get("UPHOLSTER_DECODER_SECONDS", 120))
#: Largest upload, in bytes.
UPLOAD = int(float(os.environ.get("UPHOLSTER_MAX_UPLOAD_GIB", 8)) * 2**30)
