"""Compiling kernels ahead: only those whose source, or whose helpers' source, changed, and as many at once as there are processors.

Run by itself: `python -m ruvelt.core.warming`, with `--first` only what a first picture and a plain stroke need.
"""

from __future__ import annotations

import hashlib
import importlib
import multiprocessing
import os
import re
import sys
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path

from ruvelt.core import kernels

CORE = Path(__file__).parent
_IMPORTS = re.compile(r"^from ruvelt\.core\.([\w.]+) import", re.MULTILINE)
_STAMP = "kernels.stamp"
#: Processes at once: each takes some hundreds of megabytes.
MOST = 4


def _sources() -> dict[str, str]:
    """Source of every file of the core by its module's name after `ruvelt.core.`."""
    return {".".join(path.relative_to(CORE).with_suffix("").parts): path.read_text() for path in CORE.rglob("*.py")}


def _needs(name: str, sources: dict[str, str], found: set[str]) -> set[str]:
    """A module and what its kernels are made of: kernel files it imports from, theirs, and the plain files where those have constants."""
    found.add(name)
    for other in _IMPORTS.findall(sources[name]):
        if other in sources and other not in found:
            if "_kernels" in other:
                _needs(other, sources, found)
            else:
                found.add(other)
    return found


def digests() -> dict[str, str]:
    """By module with kernels, what tells whether it has to be compiled anew."""
    sources = _sources()
    common = sources["kernels"]
    modules = [name for name, text in sources.items() if re.search(r"^@kernel\(", text, re.MULTILINE)]
    return {
        name: hashlib.sha256("\0".join([common, *(n + sources[n] for n in sorted(_needs(name, sources, set())))]).encode()).hexdigest()
        for name in modules
    }


def _caches(name: str) -> Iterator[Path]:
    *folders, file = name.split(".")
    folder = CORE.joinpath(*folders, "__pycache__")
    yield from folder.glob(f"{file}.*.nbi")
    yield from folder.glob(f"{file}.*.nbc")


def forget_stale() -> int:
    """Delete what was compiled from other sources than there are now; gives of how many files."""
    version = CORE / "__pycache__" / _STAMP
    before = dict(line.split() for line in version.read_text().splitlines()) if version.exists() else {}
    now = digests()
    stale = [name for name, digest in now.items() if before.get(name) != digest]
    for name in stale:
        for path in _caches(name):
            path.unlink()
    # Where the package may not be written, caches lie elsewhere and go by the dates of files.
    with suppress(OSError):
        version.parent.mkdir(exist_ok=True)
        version.write_text("".join(f"{name} {digest}\n" for name, digest in now.items()))
    return len(stale)


#: Modules of hand tools and unwrapping: neither the first picture nor a plain stroke needs them.
LATER = ("brush._area_", "brush._clone_", "brush._cluster_", "brush._push_", "brush._rich_", "brush._smear_", "brush._sweep_", "brush._tool_",
         "mesh._pack_", "stack._laid_")  # fmt: skip


def first(module: str) -> bool:
    """Whether a module's kernels are needed for the first picture, bakes or a plain stroke."""
    return not module.removeprefix("ruvelt.core.").startswith(LATER)


def warm(wanted: Callable[[str], bool] = lambda module: True, tell: Callable[[int, int], None] = lambda done, planned: None) -> None:
    """Compile every kernel of wanted modules that is not in its cache. tell(done, planned) after each"""
    forget_stale()
    os.environ[kernels.LATE] = "1"
    for name in digests():
        importlib.import_module(f"ruvelt.core.{name}")
    from ruvelt.core.stack.blend import loop_of, modes

    # The longest first, so that none is left over for one processor at the end. Forked: sources are read, nothing is compiled yet.
    with multiprocessing.get_context("fork").Pool(min(os.cpu_count() or 1, MOST)) as pool:
        chosen = kernels.longest_first(wanted)
        for done, _ in enumerate(pool.imap_unordered(kernels.load, chosen, chunksize=1), 1):
            tell(done, len(chosen))
        for _ in pool.imap_unordered(loop_of, modes(), chunksize=1):
            pass


def _say(done: int, planned: int) -> None:
    print(done, planned, flush=True)


if __name__ == "__main__":
    warm(first if "--first" in sys.argv else lambda module: True, _say if "--tell" in sys.argv else lambda done, planned: None)
