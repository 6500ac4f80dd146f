"""A simulated person at a browser: it opens the pages' session and writes as the pages do."""

import json
import urllib.request
from http.cookiejar import CookieJar
from typing import Any

TIMEOUT_S = 60


class Browser:
    """Speaks to a running server at ``url``; the demonstration signs it in by itself."""

    def __init__(self, url: str) -> None:
        self._url = url.rstrip("/")
        self._opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(CookieJar()))
        self._token = str(self._call("GET", "/api/session", None)["csrf_token"])

    def post(self, path: str, body: dict[str, Any]) -> dict[str, Any]:
        """Send a body to a path; returns the answer's."""
        return self._call("POST", path, body)

    def _call(self, method: str, path: str, body: dict[str, Any] | None) -> dict[str, Any]:
        headers = {} if body is None else {"Content-Type": "application/json", "X-CSRF-Token": self._token}
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(self._url + path, data, headers, method=method)
        with self._opener.open(request, timeout=TIMEOUT_S) as answer:
            return dict(json.load(answer))
