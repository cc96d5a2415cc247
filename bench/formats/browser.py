"""Chromium as a reader: what a page makes of a file."""

from pathlib import Path
from types import TracebackType
from typing import Self

from playwright.sync_api import sync_playwright

_SHOWN = {".webm": "video", ".mp4": "video", ".apng": "img", ".webp": "img", ".avif": "img", ".gif": "img"}

#: Draws the first picture and tells the alpha of its corner and of where the subject stands.
_LOOK = """async ([tag, address]) => {
    const shown = document.createElement(tag);
    shown.muted = true;
    shown.src = address;
    const come = tag === 'video' ? shown.play().then(() => shown.pause()) : shown.decode();
    await come;
    const canvas = document.createElement('canvas');
    canvas.width = shown.videoWidth || shown.naturalWidth;
    canvas.height = shown.videoHeight || shown.naturalHeight;
    const drawn = canvas.getContext('2d');
    drawn.drawImage(shown, 0, 0);
    const at = (x, y) => drawn.getImageData(x, y, 1, 1).data[3];
    return [at(1, 1), at(Math.floor(0.4 * canvas.width), Math.floor(canvas.height / 2))];
}"""


class Browser:
    """Debian's Chromium, without a window."""

    def __enter__(self) -> Self:
        self._play = sync_playwright().start()
        self._browser = self._play.chromium.launch(
            executable_path="/usr/bin/chromium", args=["--no-sandbox", "--allow-file-access-from-files"]
        )
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self._browser.close()
        self._play.stop()

    def shows(self, path: Path, keyed: bool) -> str:
        """What is wrong with how a page shows a file; "ok", or empty where pages show no such file."""
        tag = _SHOWN.get(path.suffix)
        if tag is None:
            return ""
        page = self._browser.new_page()
        try:
            blank = path.with_suffix(".html")
            blank.write_text("<!doctype html>")
            page.goto(blank.as_uri())
            corner, subject = page.evaluate(_LOOK, [tag, path.as_uri()])
        except Exception as error:
            return f"does not play it ({str(error).splitlines()[0][:60]})"
        finally:
            page.close()
        if subject < 250 or corner != (0 if keyed else 255):
            return f"alpha {corner} in a corner, {subject} in the subject"
        return "ok"
