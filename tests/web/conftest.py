"""What tests over HTTP share."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from flask.testing import FlaskClient

from ruvelt.studio.studio import Studio
from ruvelt.web.app import create_app


@pytest.fixture
def client(studio: Studio) -> Iterator[FlaskClient]:
    with create_app(studio).test_client() as made:
        yield made
