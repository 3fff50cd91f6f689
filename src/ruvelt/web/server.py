"""The HTTP server: waitress on this machine's own address, with bounds on whoever only pretends to ask."""

from __future__ import annotations

from typing import Any

from flask import Flask
from waitress.server import create_server

HOST = "127.0.0.1"
THREADS = 8
#: Connections at once; half-open ones beyond what browsers need must not keep others out.
CONNECTIONS = 1000
#: A connection on which nothing happened for so long is closed, a half-sent request with it (seconds).
IDLE = 30
UPLOAD_LIMIT = 1 << 30


def make_server(app: Flask, port: int, idle: int = IDLE) -> Any:
    """A waitress server that runs with `run` and ends with `close`. Raises OSError when the port is taken."""
    return create_server(
        app,
        host=HOST,
        port=port,
        threads=THREADS,
        max_request_body_size=UPLOAD_LIMIT,
        ident=None,
        connection_limit=CONNECTIONS,
        backlog=CONNECTIONS,
        channel_timeout=idle,
        cleanup_interval=max(idle // 6, 1),
        # select() cannot watch a thousand files.
        asyncore_use_poll=True,
    )
