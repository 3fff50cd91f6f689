"""Mesh maps as evaluation sees them: a baked plane with its touch-up above, read like a channel of its own.

A mesh map is addressed as the channel "map:ID" of a sheet; it takes no part in the sheet's layers.
"""

from __future__ import annotations

import logging
from functools import lru_cache
from typing import Literal

from ruvelt.core.discovery import classes_in
from ruvelt.core.errors import NotFound
from ruvelt.core.stack._blend_kernels import CONST
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.document import MeshMap, Sheet
from ruvelt.core.stack.mesh_map import MeshMapKind
from ruvelt.core.stack.program import Op, Program, map_steps

PREFIX = "map:"


#: Entry points of plug-ins with mesh maps.
ENTRY_POINTS = "ruvelt.maps"
_log = logging.getLogger(__name__)


def _fits(kind: type[MeshMapKind]) -> bool:
    """Whether a map can be listed; one of a plug-in that cannot is reported and left out."""
    own = kind.__module__.startswith("ruvelt.core.")
    if own or (kind.label and kind.components in (1, 3) and len(kind.start) == kind.components):
        return True
    _log.error("the mesh map '%s' of %s has no label, or not 1 or 3 components and first values; it is left out", kind.id, kind.__module__)
    return False


@lru_cache(maxsize=1)
def map_kinds() -> dict[str, type[MeshMapKind]]:
    """By id, in the order of lists: one file each in `bake/maps`, and those of plug-ins."""
    found = [k for k in classes_in("ruvelt.core.bake.maps", MeshMapKind, ENTRY_POINTS).values() if _fits(k)]
    return {k.id: k for k in sorted(found, key=lambda k: (k.rank, k.id))}


def map_name(map_id: str) -> str:
    """What people call a map; its id where a plug-in is gone."""
    kind = map_kinds().get(map_id)
    return kind.label if kind is not None else map_id


def in_order(entries: dict[str, MeshMap]) -> list[MeshMap]:
    """A sheet's maps in the order of lists; those of plug-ins that are gone last."""
    known = [entries[m] for m in map_kinds() if m in entries]
    return known + [entry for name, entry in entries.items() if name not in map_kinds()]


def map_channel(channel_id: str) -> Channel | None:
    """The channel that "map:ID" stands for: data, never colour-managed; None for other ids."""
    shape = map_kinds().get(channel_id.removeprefix(PREFIX)) if channel_id.startswith(PREFIX) else None
    if shape is None:
        return None
    # Three components make it a colour to the kernels; its values are numbers all the same.
    kind: Literal["colour", "data"] = "colour" if shape.components == 3 else "data"
    return Channel.model_construct(id=channel_id, name=shape.label, kind=kind, start=shape.start)


def compile_mesh_map(sheet: Sheet, map_id: str) -> Program:
    """The steps of a mesh map: what was baked, then the touch-up unless it is switched off."""
    channel = map_channel(PREFIX + map_id)
    if channel is None:
        raise NotFound(f"There is no mesh map '{map_id}' here. Reload the project.")
    ops = (Op(CONST, "", value=channel.start), *map_steps(sheet, map_id))
    return Program(channel, ops, 1, False)
