"""The server itself: connections that only pretend to ask stop nobody, and end."""

from __future__ import annotations

import socket
import time
import urllib.request
from collections.abc import Iterator
from threading import Thread

import pytest

from ruvelt.studio.studio import Studio
from ruvelt.web.app import create_app
from ruvelt.web.server import make_server
from tests.cli.test_cli import free_port


@pytest.fixture
def port(studio: Studio) -> Iterator[int]:
    number = free_port()
    server = make_server(create_app(studio), number, idle=2)
    thread = Thread(target=server.run, daemon=True)
    thread.start()
    yield number
    server.close()
    thread.join(10)


def half(port: int, words: bytes) -> socket.socket:
    made = socket.create_connection(("127.0.0.1", port), timeout=30)
    made.sendall(words)
    return made


def test_half_open_requests_stop_nobody_and_time_out(port: int) -> None:
    heads = [
        b"",
        b"GET /api/projects HTTP/1.1\r\nHost: 127.0.0.1\r\n",
        b"POST /api/projects HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 1000000\r\n\r\nab",
    ]
    held = [half(port, heads[i % 3]) for i in range(240)]
    for _ in range(3):
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/projects", timeout=20) as answer:
            assert answer.status == 200
    began = time.monotonic()
    for connection in held:
        connection.settimeout(30)
        # Closed by the server: nothing more comes, however long one listens.
        while connection.recv(4096):
            pass
        connection.close()
    assert time.monotonic() - began < 25


def test_a_body_that_is_claimed_too_large_is_refused_before_it_is_read(port: int) -> None:
    with half(port, b"POST /api/projects HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 99999999999\r\n\r\n") as connection:
        assert b" 413 " in connection.recv(4096).split(b"\r\n")[0]
