"""The blend modes there are, by their names, and the compiled loops of their formulas."""

from __future__ import annotations

import hashlib
import logging
from functools import lru_cache
from threading import Lock
from typing import Any

import numba

from ruvelt.core.discovery import classes_in
from ruvelt.core.errors import InputError
from ruvelt.core.kernels import shared
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.kinds.blend_mode import OTHER, BlendMode
from ruvelt.core.stack.kinds.found import ENTRY_POINTS

_log = logging.getLogger(__name__)
_compiling = Lock()
_rows = numba.types.CPointer(numba.float32)
#: below, above, out and how many
LOOP = numba.void(_rows, _rows, _rows, numba.int64)
NORMAL = "normal"


def _fits(mode: type[BlendMode]) -> bool:
    """Whether a mode can be listed; one of a plug-in that cannot is reported and left out."""
    if mode.__module__.startswith("ruvelt.core."):
        return True
    if mode.label and mode.kinds and mode.code == OTHER and mode.value is not BlendMode.value:
        return True
    _log.error("the blend mode '%s' of %s has no label, no channels or no formula; it is left out", mode.id, mode.__module__)
    return False


@lru_cache(maxsize=1)
def modes() -> dict[str, type[BlendMode]]:
    """By id, in the order of menus: one file each in `kinds/blends`, and those of plug-ins."""
    found = [m for m in classes_in("ruvelt.core.stack.kinds.blends", BlendMode, ENTRY_POINTS).values() if _fits(m)]
    return {m.id: m for m in sorted(found, key=lambda m: (m.rank, m.id))}


def checked_mode(mode_id: str) -> str:
    """Raises InputError for a name that is no blend mode."""
    if mode_id not in modes():
        raise InputError(f"'{mode_id[:40]}' is not a blend mode. Use one of {', '.join(modes())}.")
    return mode_id


def mode_for(mode_id: str, channel: Channel) -> str:
    """The mode that counts: one that the channel's kind does not offer (hue on roughness), or that is not known here, counts as normal."""
    mode = modes().get(mode_id)
    return mode_id if mode is not None and channel.kind in mode.kinds else NORMAL


def code_of(mode_id: str) -> int:
    """What the evaluation kernel calls a mode."""
    return modes()[mode_id].code


@lru_cache(maxsize=256)
def _loop(mode_id: str) -> Any:
    """None of a formula that cannot be compiled: it is reported once, not with every chunk."""
    try:
        return _compiled(mode_id)
    except Exception:
        if mode_id == NORMAL:
            raise
        _log.exception("the formula of the blend mode '%s' cannot be compiled", mode_id)
        return None


def _compiled(mode_id: str) -> Any:
    value = shared(modes()[mode_id].value)
    code = value.__code__
    constants = [value.__globals__.get(name) for name in code.co_names]
    # Kept compiled loops are found by this and by the formula's name: a changed formula is another one.
    version = int(hashlib.sha256(code.co_code + repr((code.co_consts, [c for c in constants if not callable(c)])).encode()).hexdigest()[:15], 16)

    def loop(below, above, out, count):  # type: ignore[no-untyped-def]
        if version == 0:
            return
        b, a, o = numba.carray(below, count), numba.carray(above, count), numba.carray(out, count)
        for i in range(count):
            o[i] = value(b[i], a[i])

    return numba.cfunc(LOOP, cache=True, error_model="numpy")(loop)


def loop_of(mode_id: str) -> int:
    """The address of a separable mode's loop over (n,) float32 below, above and out; 0 of the others. Compiled when it is first asked for.

    A formula that cannot be compiled is reported, and its mode lays as normal does.
    """
    mode = modes()[mode_id]
    if mode.value is BlendMode.value:
        return 0
    with _compiling:
        loop = _loop(mode_id) or _loop(NORMAL)
    return int(loop.address)
