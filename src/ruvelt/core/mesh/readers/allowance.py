"""What one import may take: sizes in a file are claims, so memory is asked for before it is taken."""

from __future__ import annotations

from collections.abc import Callable

from ruvelt.core.errors import InputError

#: Memory that an import may take beyond its file, unless told otherwise.
DEFAULT_BYTES = 2 << 30
#: What a vertex and a corner of a face cost until a model is in its final arrays.
VERTEX_BYTES, CORNER_BYTES = 110, 90


class Allowance:
    """Memory that an import may still take. `limit`: bytes beyond the file; `asked`: is called now and then and raises Cancelled to stop."""

    def __init__(self, limit: int = DEFAULT_BYTES, asked: Callable[[], None] = lambda: None) -> None:
        self.limit, self._asked = limit, asked
        self.taken = 0

    def take(self, size: int, what: str) -> None:
        """Ask for `size` bytes for `what`. Raises InputError, before anything is taken, when that is more than is left."""
        self._asked()
        self.taken += max(size, 0)
        if self.taken > self.limit:
            raise InputError(
                f"Opening this file would take about {self.taken / 2**30:.1f} GiB of memory for {what}; {self.limit / 2**30:.1f} GiB are allowed. "
                "If the file is not damaged, reduce the mesh, or allow more with --import-mib."
            )

    def take_mesh(self, vertices: int, corners: int) -> None:
        """Ask for what so many vertices and corners of faces take."""
        self.take(vertices * VERTEX_BYTES + corners * CORNER_BYTES, f"{vertices:,} vertices and {corners:,} corners of faces")

    def pause(self) -> None:
        """Stop here if somebody asked to."""
        self._asked()
