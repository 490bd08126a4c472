"""Who may speak to a running Pamble: the machine's own pages and programs, no page from elsewhere.

A page of another site can make the browser ask 127.0.0.1, or a name that it has pointed there. So the host must be one
of this machine's names, and what a browser says of where a request comes from must be Pamble itself.
"""

from __future__ import annotations

from urllib.parse import urlsplit

from starlette.types import ASGIApp, Receive, Scope, Send

OWN = frozenset({"127.0.0.1", "localhost", "::1"})
"""Names of this machine to itself."""


class Guard:
    """Middleware for requests and sockets alike. names: of the host that it answers to; None for any, where a sign-in
    is asked for, whose cookies hang on the name."""

    def __init__(self, app: ASGIApp, names: frozenset[str] | None = OWN) -> None:
        self._app, self._names = app, names

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket") or allowed(scope, self._names):
            await self._app(scope, receive, send)
        elif scope["type"] == "websocket":
            await receive()
            await send({"type": "websocket.close", "code": 4003})
        else:
            body = b'{"code":"elsewhere","message":"Pamble answers only its own pages, on this machine."}'
            head = [(b"content-type", b"application/json"), (b"content-length", str(len(body)).encode())]
            await send({"type": "http.response.start", "status": 403, "headers": head})
            await send({"type": "http.response.body", "body": body})


def allowed(scope: Scope, names: frozenset[str] | None = OWN) -> bool:
    """Whether a request is for a host of these names and comes from no other site's page."""
    headers = {k.decode("latin-1").lower(): v.decode("latin-1") for k, v in scope["headers"]}
    host = urlsplit("//" + headers.get("host", ""))
    try:
        own = names is None or host.hostname in names
        origin = headers.get("origin")
        if not own:
            return False
        if origin is not None:
            from_ = urlsplit(origin)
            if names is None:
                return bool(from_.netloc == host.netloc)
            return from_.hostname in names and (from_.port or 80) == (host.port or 80)
    except ValueError:
        return False
    site, mode = headers.get("sec-fetch-site", "none"), headers.get("sec-fetch-mode", "")
    # A link from elsewhere may open the application; it may not read or change anything.
    opened = mode == "navigate" and scope["type"] == "http" and not scope["path"].startswith("/api/")
    return site in ("none", "same-origin") or opened
