"""Asking the web server the way no page of ours would."""

import http.cookiejar
import json
import re
import urllib.error
import urllib.request
from typing import Any

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
