"""Who may talk to a server that listens on this machine only?

- The Host header must name this server: a foreign name that was pointed at 127.0.0.1 is refused.
  A server told to listen on every address answers to any address written in digits, too: what is
  pointed elsewhere is a name.
- What changes anything must come from this server's own pages: a foreign Origin, or a request a
  browser marks as cross-site, is refused.
- Pages run no script or style but the shipped ones.
"""

from collections.abc import Awaitable, Callable, MutableMapping
from ipaddress import ip_address
from typing import Any
from urllib.parse import urlsplit

from starlette.responses import JSONResponse

from zeroknot.web.addresses import EVERY_ADDRESS, LOCAL_NAMES

Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]

SAFE_METHODS = ("GET", "HEAD", "OPTIONS")
HEADERS = {
    b"content-security-policy": (
        b"default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; "
        b"font-src 'self'; connect-src 'self'; worker-src 'self'; media-src 'self' blob:; "
        b"base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
    ),
    b"x-content-type-options": b"nosniff",
    b"referrer-policy": b"no-referrer",
    b"cross-origin-opener-policy": b"same-origin",
    b"cross-origin-resource-policy": b"same-origin",
}


class Safety:
    """ASGI middleware; `hosts` are the names this server goes by."""

    def __init__(self, app: Any, hosts: tuple[str, ...]):
        self._app = app
        self._hosts = {name.lower() for name in (*LOCAL_NAMES, *hosts)}
        self._any_address = any(name in EVERY_ADDRESS for name in hosts)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = {k.lower(): v.decode("latin-1") for k, v in scope["headers"]}
        refusal = self._refusal(scope["method"], headers)
        if refusal:
            response = JSONResponse({"error": refusal}, status_code=403)
            await response(scope, receive, send)
            return

        async def send_with_headers(message: MutableMapping[str, Any]) -> None:
            if message["type"] == "http.response.start":
                message["headers"] = [*message["headers"], *HEADERS.items()]
            await send(message)

        await self._app(scope, receive, send_with_headers)

    def _refusal(self, method: str, headers: dict[bytes, str]) -> str | None:
        host = headers.get(b"host", "")
        name = _name_of(host)
        if name not in self._hosts and not (self._any_address and _is_address(name)):
            return "this server does not go by that name"
        if method in SAFE_METHODS:
            return None
        origin = headers.get(b"origin")
        if origin is not None and urlsplit(origin).netloc.lower() != host.lower():
            return "this came from another site's page"
        if headers.get(b"sec-fetch-site", "same-origin") not in ("same-origin", "none"):
            return "this came from another site's page"
        return None


def _is_address(name: str) -> bool:
    try:
        ip_address(name.strip("[]"))
    except ValueError:
        return False
    return True


def _name_of(host: str) -> str:
    """The name without its port; IPv6 addresses keep their brackets."""
    name = host.rsplit(":", 1)[0] if not host.endswith("]") else host
    return name.lower()
