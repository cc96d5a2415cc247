"""How pictures go to the browser: as they are, without what is clear in them, or packed."""

import json
from typing import Any

import numpy as np
from flask import Response
from numpy.typing import NDArray

from upholster.core.composite.runs import runs_of
from upholster.studio.looking.look import packed

#: Share of a picture that runs of it may come to; above that it goes as it is.
_WORTH = 0.8


def sent(pixels: NDArray[np.uint8], shown: dict[str, Any], *, pack: bool = False) -> Response:
    """The answer with a picture, straight RGBA ``(h, w, 4)``.

    ``X-Size`` is its width and height, ``X-Shown`` is `shown`. It is an image/jpeg as `packed` makes it, or raw: all
    pixels, or, where ``X-Sent`` says *runs*, what `runs_of` gives.
    """
    if pack:
        response = Response(packed(pixels), mimetype="image/jpeg")
    else:
        runs = runs_of(pixels)
        fewer = runs.nbytes < _WORTH * pixels.nbytes
        response = Response((runs if fewer else pixels).tobytes(), mimetype="application/octet-stream")
        response.headers["X-Sent"] = "runs" if fewer else "all"
    response.headers["X-Size"] = f"{pixels.shape[1]}x{pixels.shape[0]}"
    response.headers["X-Shown"] = json.dumps(shown)
    response.headers["Cache-Control"] = "no-store"
    return response
