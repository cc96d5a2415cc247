"""What canvases of a page show, carried over as text: as numbers one by one it would take seconds."""

import base64

import numpy as np
from playwright.sync_api import Page

#: A function for scripts of a page: the pixels of a context as text.
AS_TEXT = """(context) => {
    const { data } = context.getImageData(0, 0, context.canvas.width, context.canvas.height);
    let text = "";
    // A call takes only so many arguments.
    for (let n = 0; n < data.length; n += 1 << 14) text += String.fromCharCode(...data.subarray(n, n + (1 << 14)));
    return btoa(text);
}"""


def of_text(text: str, width: int, height: int) -> np.ndarray:
    """Pixels that were carried over, ``(height, width, 4)`` bytes."""
    return np.frombuffer(base64.b64decode(text), np.uint8).reshape(height, width, 4)


def shown(page: Page, canvas: str) -> np.ndarray:
    """What a canvas of the page shows, ``(h, w, 4)`` bytes."""
    width, height, text = page.evaluate(
        f"c => {{ const e = document.querySelector(c); return [e.width, e.height, ({AS_TEXT})(e.getContext('2d'))] }}",
        canvas,
    )
    return of_text(text, width, height)
