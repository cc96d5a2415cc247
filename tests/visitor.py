"""Asking the web server the way no page of ours would."""

import http.cookiejar
import json
import re
import urllib.error
import urllib.request
from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from conftest import House


class Visitor:
    """A browser without scripts: it keeps its cookie and sends the page's token."""

    def __init__(self, house: House) -> None:
        self._address = house.address
        jar = http.cookiejar.CookieJar()
        self._open = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(jar)).open
        page = self._open(f"{house.address}/footage").read().decode()
        self._token = re.search(r'name="csrf-token" content="([^"]+)"', page).group(1)  # type: ignore[union-attr]

    def ask(self, path: str, body: Any = None, method: str | None = None) -> tuple[int, Any]:
        data = body if isinstance(body, bytes) else json.dumps(body).encode() if body is not None else None
        headers = {"X-CSRF-Token": self._token, "Content-Type": "application/json", "Accept": "application/json"}
        request = urllib.request.Request(self._address + path, data, headers, method=method)
        try:
            answer = self._open(request)
            status, content = answer.status, answer.read()
        except urllib.error.HTTPError as error:
            status, content = error.code, error.read()
            answer = error
        if "json" in (answer.headers.get("Content-Type") or ""):
            return status, json.loads(content)
        return status, (content, dict(answer.headers))


def pixels_of(content: bytes, headers: Mapping[str, str]) -> NDArray[np.uint8]:
    """The picture of an answer, straight RGBA ``(h, w, 4)``; what is not sent of it is clear."""
    width, height = map(int, headers["X-Size"].split("x"))
    if headers["X-Sent"] == "all":
        return np.frombuffer(content, np.uint8).reshape(height, width, 4)
    words = np.frombuffer(content, np.uint32)
    runs, whole = words[1 : 1 + 2 * words[0]].reshape(-1, 2), np.zeros(width * height, np.uint32)
    whole[np.concatenate([np.arange(at, at + length) for at, length in runs])] = words[1 + 2 * words[0] :]
    return whole.view(np.uint8).reshape(height, width, 4)
