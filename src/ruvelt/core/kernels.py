"""How every kernel is compiled: ahead of time from an explicit signature, kept on disk, free of the interpreter lock."""

from collections.abc import Callable
from typing import Any

import numba
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

Function = Callable[..., Any]


def kernel(*signatures: Any, **options: Any) -> Callable[[Function], Function]:
    """Compile a loop at import from its signatures; later imports read it from the cache beside the module."""

    def compile_it(function: Function) -> Function:
        jitted: Function = numba.njit(list(signatures), cache=True, nogil=True, error_model="numpy", **options)(function)
        return jitted

    return compile_it


def inline(function: Function) -> Function:
    """A helper that only other kernels of the same file call."""
    jitted: Function = numba.njit(inline="always", error_model="numpy")(function)
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
