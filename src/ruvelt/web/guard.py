"""Who may talk to the server: pages it served itself, on this machine."""

from __future__ import annotations

from urllib.parse import quote, urlsplit

from flask import Flask, Response, abort, g, request

LOCAL = {"127.0.0.1", "localhost", "[::1]", "::1"}
POLICY = "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; connect-src 'self'; frame-ancestors 'none'"


def _host(value: str) -> str:
    return urlsplit(f"//{value}").hostname or ""


def install_guard(app: Flask) -> None:
    """Refuse foreign Host and Origin headers (DNS rebinding, cross-site requests), and set the safe answer headers."""

    @app.before_request
    def _check() -> None:
        if _host(request.host) not in LOCAL:
            abort(403, description="Ruvelt answers on this machine only. Open it at 127.0.0.1.")
        origin = request.headers.get("Origin")
        if origin is not None and urlsplit(origin).netloc != request.host:
            abort(403, description="This request came from another page. Use Ruvelt in its own window.")
        if request.headers.get("Sec-Fetch-Site") == "cross-site" and request.method != "GET":
            abort(403, description="This request came from another page. Use Ruvelt in its own window.")

    @app.after_request
    def _headers(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", POLICY)
        response.headers.setdefault("X-Content-Type-Options", "nosniff")
        response.headers.setdefault("Referrer-Policy", "no-referrer")
        told = g.get("told")
        if told:
            # Sentences for people, as a header can carry them.
            response.headers["Ruvelt-Told"] = quote(" ".join(told)[:2000])
        return response
