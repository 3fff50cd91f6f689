"""What every kind says of itself."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar

from ruvelt.core.stack.basics import Frozen
from ruvelt.core.stack.kinds.controls import Control, Group, Kind


class Described(Frozen):
    """A kind's class holds what the interface shows of it; its field `kind` is its id in stored projects. rank : its place in its group's menu"""

    label: ClassVar[str] = ""
    hint: ClassVar[str] = ""
    group: ClassVar[Group] = "other"
    rank: ClassVar[int] = 1000
    controls: ClassVar[tuple[Control, ...]] = ()
    #: The mesh map that it reads.
    needs: ClassVar[str | None] = None
    #: What to do where it says nothing yet, for lack of what it reads.
    waits: ClassVar[str] = "It has no effect yet."
    #: Kept out of menus: it comes with files, or stands for what is not known here.
    hidden: ClassVar[bool] = False

    if TYPE_CHECKING:
        #: Its id in stored projects; each kind declares its own as a literal.
        @property
        def kind(self) -> str: ...

    @classmethod
    def kind_id(cls) -> str:
        """Its id; none of a base class."""
        field = cls.model_fields.get("kind")
        return str(field.default) if field is not None else ""

    @classmethod
    def described(cls) -> Kind:
        return Kind(id=cls.kind_id(), name=cls.label, hint=cls.hint, group=cls.group, controls=cls.controls, needs=cls.needs, waits=cls.waits)
