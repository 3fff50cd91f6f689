"""How every kernel is compiled: ahead of time from explicit signatures, kept on disk, free of the interpreter lock."""

import hashlib
import math
import os
import platform
import re
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar

import numba
from llvmlite import ir
from llvmlite.binding import get_host_cpu_features
from numba import types
from numba.core import caching, cgutils
from numba.extending import intrinsic, register_jitable
from numba.np.arrayobj import populate_array

Function = Callable[..., Any]
F = TypeVar("F", bound=Function)
#: While it is set in the environment every kernel waits for its first call, so that they can be compiled side by side.
LATE = "RUVELT_KERNELS_LATE"

if platform.machine() in ("x86_64", "AMD64") and numba.config.CPU_FEATURES is None:
    # Where processors are guarded against leaks through them, vector loads from scattered places are slower than single ones by far.
    numba.config.CPU_FEATURES = get_host_cpu_features().flatten() + ",+prefer-no-gather,+prefer-no-scatter"


_IMPORT = re.compile(r"^from (ruvelt[\w.]*) import \(?([\w, ]*)", re.MULTILINE)
_ROOT = Path(__file__).parents[2]


@lru_cache(maxsize=512)
def sources_of(file: Path, root: Path = _ROOT) -> frozenset[Path]:
    """The files below `root` that a file is compiled from: itself, and all it imports from ruvelt, directly or not."""
    found, waiting = {file}, [file]
    while waiting:
        for module, names in _IMPORT.findall(waiting.pop().read_text()):
            place = root.joinpath(*module.split("."))
            for path in (place.with_suffix(".py"), *(place / f"{name.strip()}.py" for name in names.split(","))):
                if path not in found and path.is_file():
                    found.add(path)
                    waiting.append(path)
    return frozenset(found)


def stamp_of(file: Path, root: Path = _ROOT) -> str:
    """A digest of all that a file's kernels are compiled from."""
    return hashlib.sha256(b"\0".join(path.read_bytes() for path in sorted(sources_of(file, root)))).hexdigest()


def _mind_imports() -> None:
    """The compiler keeps what it compiled by the source of the kernel's own file; here helpers come from other files too."""
    own = caching._hash_source_file

    @lru_cache(maxsize=512)
    def stamped(path: str, *rest: Any) -> str:
        file = Path(path).resolve()
        return stamp_of(file) if file.is_relative_to(_ROOT / "ruvelt") else str(own(path, *rest))

    caching._hash_source_file = stamped


_mind_imports()


class _Late:
    """A kernel that is read from its cache when it is first called. Two threads may both do so; the second finds the first one's."""

    def __init__(self, build: Callable[[], Function], module: str, size: int) -> None:
        """module : of its function; size : of its code, bytes"""
        self._build, self.module, self.size = build, module, size
        self._run: Function | None = None

    def load(self) -> Function:
        if self._run is None:
            self._run = self._build()
        return self._run

    def __call__(self, *args: Any) -> Any:
        return (self._run or self.load())(*args)


_LATE: list[_Late] = []
#: Of each kernel, whether there was a cache when it was imported.
_KEPT: list[bool] = []


def load(index: int) -> None:
    """Read a kernel that waits for its first call, or compile it."""
    _LATE[index].load()


def longest_first(wanted: Callable[[str], bool] = lambda module: True) -> list[int]:
    """Kernels of wanted modules that wait for their first call, the ones with most code first."""
    return sorted((i for i, kernel in enumerate(_LATE) if wanted(kernel.module)), key=lambda i: -_LATE[i].size)


@lru_cache(maxsize=256)
def _caches_in(folder: str) -> tuple[str, ...]:
    """Names of the caches beside the modules of a folder."""
    try:
        return tuple(name for name in os.listdir(os.path.join(folder, "__pycache__")) if name.endswith(".nbi"))
    except OSError:
        return ()


def _is_kept(function: Function) -> bool:
    """Whether there is a cache of a kernel, new or old."""
    folder, file = os.path.split(function.__code__.co_filename)
    start = f"{file.removesuffix('.py')}.{function.__name__}-"
    return any(name.startswith(start) for name in _caches_in(folder))


def missing() -> int:
    """How many kernels there are no caches of: what a start without them waits for at first calls."""
    return sum(not kept for kept in _KEPT)


def kernel(*signatures: Any, late: bool = False, allocates: bool = False, **options: Any) -> Callable[[Function], Function]:
    """Compile a loop from its signatures, or read it from the cache beside its module: at import, or `late` at the first call.

    What a stroke needs is read at import, so that no stroke waits; the rest would only make every start longer, and so does what has to be
    compiled yet.
    `allocates`: it makes arrays of its own. Else nothing in it is counted, which costs more than short loops do: what it works in is `scratch`.
    """

    def compile_it(function: Function) -> Function:
        def build() -> Function:
            jitted: Function = numba.njit(list(signatures), cache=True, nogil=True, error_model="numpy", _nrt=allocates, **options)(function)
            return jitted

        _KEPT.append(_is_kept(function))
        if not late and LATE not in os.environ and _KEPT[-1]:
            return build()
        _LATE.append(_Late(build, function.__module__, len(function.__code__.co_code)))
        return _LATE[-1]

    return compile_it


def inline(function: Function) -> Function:
    """A small helper that becomes part of each kernel that calls it."""
    jitted: Function = numba.njit(inline="always", error_model="numpy")(function)
    return jitted


def shared(function: F) -> F:
    """A small function that Python calls as it stands, on arrays or numbers, and that becomes part of each kernel that calls it."""
    jitted: F = register_jitable(forceinline=True)(function)
    return jitted


def helper(function: Function) -> Function:
    """A larger helper of kernels, compiled once for all its callers of a file."""
    jitted: Function = numba.njit(error_model="numpy", nogil=True, _nrt=False)(function)
    return jitted


def _array(context: Any, builder: Any, array: Any, place: Any, shape: Any) -> Any:
    """An array of values that nobody counts."""
    size = context.get_constant(types.intp, array.dtype.bitwidth // 8)
    strides = [size]
    for length in reversed(shape[1:]):
        strides.insert(0, builder.mul(strides[0], length))
    made = context.make_array(array)(context, builder)
    populate_array(made, data=place, shape=shape, strides=strides, itemsize=size, meminfo=None)
    return made._getvalue()


def _view_of(dtype: Any) -> Any:
    """A function of kernels: view `count` values at a raw address. The caller keeps the owner alive."""

    @intrinsic  # type: ignore[untyped-decorator]
    def view(typingctx: Any, address: Any, count: Any) -> Any:
        array = types.Array(dtype, 1, "C")

        def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            place = builder.inttoptr(args[0], context.get_data_type(dtype).as_pointer())
            return _array(context, builder, array, place, [args[1]])

        return array(types.int64, types.int64), build

    return view


def _scratch_of(dtype: Any) -> Any:
    """A function of kernels: an array, not filled, that lasts as long as the kernel runs. Its shape is a number or tuple of constants."""

    @intrinsic(prefer_literal=True)  # type: ignore[untyped-decorator]
    def scratch(typingctx: Any, shape: Any) -> Any:
        lengths = [length.literal_value for length in (shape if isinstance(shape, types.BaseTuple) else [shape])]
        array = types.Array(dtype, len(lengths), "C")

        def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            count = ir.Constant(ir.IntType(64), math.prod(lengths))
            place = cgutils.alloca_once(builder, context.get_data_type(dtype), size=count)
            place.align = 64
            return _array(context, builder, array, place, [context.get_constant(types.intp, length) for length in lengths])

        return array(shape), build

    return scratch


@intrinsic  # type: ignore[untyped-decorator]
def call_rows(typingctx: Any, address: Any, below: Any, above: Any, out: Any, count: Any) -> Any:
    """Call a compiled loop (float32 *below, *above, *out, int64 count) at an address, in kernels."""

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        row, number = ir.FloatType().as_pointer(), ir.IntType(64)
        loop = builder.inttoptr(args[0], ir.FunctionType(ir.VoidType(), [row, row, row, number]).as_pointer())
        rows = [context.make_array(kind)(context, builder, value).data for kind, value in zip(signature.args[1:4], args[1:4], strict=True)]
        builder.call(loop, [*rows, args[4]])
        return context.get_dummy_value()

    return types.void(types.int64, below, above, out, types.int64), build


f32_at, u8_at, u16_at, u64_at = (_view_of(t) for t in (types.float32, types.uint8, types.uint16, types.uint64))
f32_scratch, f64_scratch, u8_scratch, u16_scratch, u32_scratch, u64_scratch, i64_scratch = (
    _scratch_of(t) for t in (types.float32, types.float64, types.uint8, types.uint16, types.uint32, types.uint64, types.int64)
)
