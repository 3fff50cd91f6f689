"""Memory and threads given to projects."""

from __future__ import annotations

from dataclasses import dataclass

from ruvelt.core.mesh.readers.allowance import DEFAULT_BYTES


@dataclass(frozen=True)
class Limits:
    """Memory and threads given to projects. `memory_bytes` bounds all that is kept of open projects, whatever their size."""

    memory_bytes: int = 4 << 30
    threads: int | None = None
    #: What one import may take beyond its file.
    import_bytes: int = DEFAULT_BYTES
