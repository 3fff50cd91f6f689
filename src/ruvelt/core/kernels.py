"""How every kernel is compiled: ahead of time from explicit signatures, kept on disk, free of the interpreter lock."""

from collections.abc import Callable
from typing import Any

import numba
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

Function = Callable[..., Any]


class _Late:
    """A kernel that is read from its cache when it is first called. Two threads may both do so; the second finds the first one's."""

    def __init__(self, build: Callable[[], Function]) -> None:
        self._build = build
        self._run: Function | None = None

    def load(self) -> Function:
        if self._run is None:
            self._run = self._build()
        return self._run

    def __call__(self, *args: Any) -> Any:
        return (self._run or self.load())(*args)


_LATE: list[_Late] = []


def load_all() -> None:
    """Read every kernel that waits for its first call, or compile it."""
    for late in _LATE:
        late.load()


def kernel(*signatures: Any, late: bool = False, **options: Any) -> Callable[[Function], Function]:
    """Compile a loop from its signatures, or read it from the cache beside its module: at import, or `late` at the first call.

    What a stroke needs is read at import, so that no stroke waits; the rest would only make every start longer.
    """

    def compile_it(function: Function) -> Function:
        def build() -> Function:
            jitted: Function = numba.njit(list(signatures), cache=True, nogil=True, error_model="numpy", **options)(function)
            return jitted

        if not late:
            return build()
        _LATE.append(_Late(build))
        return _LATE[-1]

    return compile_it


def inline(function: Function) -> Function:
    """A small helper that becomes part of each kernel that calls it."""
    jitted: Function = numba.njit(inline="always", error_model="numpy")(function)
    return jitted


def helper(function: Function) -> Function:
    """A larger helper of kernels, compiled once for all its callers of a file."""
    jitted: Function = numba.njit(error_model="numpy", nogil=True)(function)
    return jitted


@intrinsic  # type: ignore[untyped-decorator]
def _pointer_from_address(typingctx: Any, source: Any) -> Any:
    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return builder.inttoptr(args[0], cgutils.voidptr_t)

    return types.voidptr(source), build


@numba.njit(inline="always")
def u16_at(address, count):  # type: ignore[no-untyped-def]
    """View `count` uint16 values at a raw address; the caller keeps the owner alive."""
    return numba.carray(_pointer_from_address(address), (count,), dtype=numba.uint16)


@numba.njit(inline="always")
def f32_at(address, count):  # type: ignore[no-untyped-def]
    return numba.carray(_pointer_from_address(address), (count,), dtype=numba.float32)


@numba.njit(inline="always")
def u8_at(address, count):  # type: ignore[no-untyped-def]
    return numba.carray(_pointer_from_address(address), (count,), dtype=numba.uint8)
