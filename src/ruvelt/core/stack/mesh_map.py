"""What every mesh map says of itself."""

from __future__ import annotations

from typing import ClassVar


class MeshMapKind:
    """A mesh map's class holds what the interface shows of it and what its pixels are; its id is that of stored projects.

    components : 1 or 3; start : 0–1, what counts where nothing is baked; rank : its place in lists
    """

    id: ClassVar[str] = ""
    label: ClassVar[str] = ""
    hint: ClassVar[str] = ""
    rank: ClassVar[int] = 1000
    components: ClassVar[int] = 1
    start: ClassVar[tuple[float, ...]] = (0.0,)
    #: Made or read by bakes themselves: no export and no mask has use for it.
    own_use: ClassVar[bool] = False
    #: Painted by hand only.
    by_hand: ClassVar[bool] = False

    @classmethod
    def kind_id(cls) -> str:
        return cls.id
