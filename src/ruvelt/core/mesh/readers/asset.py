"""What a mesh file brings: the model, and the pictures its materials lay on it."""

from __future__ import annotations

from dataclasses import dataclass, field

from ruvelt.core.mesh.facts import PictureFile, PictureUse
from ruvelt.core.mesh.model import Model


@dataclass(frozen=True, eq=False)
class Asset:
    """`uses`: for each of the model's materials its pictures by role; `colors_multiply`: what vertex colours do, by the file's format."""

    model: Model
    pictures: tuple[PictureFile, ...] = ()
    uses: tuple[tuple[PictureUse, ...], ...] = field(default=())
    colors_multiply: bool = False
