"""What a mesh file says besides its geometry: materials, the tree of nodes, and notes on what an import did with all of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

AlphaMode = Literal["auto", "opaque", "mask", "blend"]
Outcome = Literal["kept", "converted", "folded", "left out"]
IDENTITY = (1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0)


@dataclass(frozen=True)
class Material:
    """A material slot of the file: `base_color` RGBA and `emission` RGB are sRGB-encoded, 0–1.

    alpha_mode : what the alpha is for; "auto" where the file does not say. alpha_cutoff : below it "mask" shows nothing
    emissive_strength : times emission, where that is brighter than white
    """

    name: str
    base_color: tuple[float, float, float, float] = (0.8, 0.8, 0.8, 1.0)
    roughness: float = 0.5
    metallic: float = 0.0
    emission: tuple[float, float, float] = (0.0, 0.0, 0.0)
    double_sided: bool = False
    alpha_mode: AlphaMode = "auto"
    alpha_cutoff: float = 0.5
    emissive_strength: float = 1.0


@dataclass(frozen=True)
class SceneNode:
    """A node of the file's tree. `parent` and `part`: index or -1; `matrix`: 16 numbers, column after column, as glTF writes them."""

    name: str
    parent: int = -1
    part: int = -1
    matrix: tuple[float, ...] = IDENTITY


def counted(count: int, what: str) -> str:
    """A number with its thing: "1 face", "1,200 faces"."""
    return f"{count:,} {what}{'' if count == 1 else 's'}"


@dataclass(frozen=True)
class Note:
    """What an import did with one thing. `about`: the part, material or file it concerns."""

    about: str
    outcome: Outcome
    text: str


WrapMode = Literal["repeat", "mirror", "clamp"]
PicturePart = Literal["rgb", "r", "g", "b", "a"]
#: Columns of a texture transform: u' = a u + b v + c, v' = d u + e v + f, v down.
Transform = tuple[float, float, float, float, float, float]
STRAIGHT: Transform = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)


@dataclass(frozen=True)
class PictureUse:
    """A picture in one role of a material.

    role : a channel's id or "normal"; picture : index into the asset's pictures; uv_set : the file's number of the UV set
    low, high : what 0 and 1 of the picture stand for in the channel; colours in linear light. A normal's `high` is its scale.
    """

    role: str
    picture: int
    part: PicturePart = "rgb"
    uv_set: int = 0
    transform: Transform = STRAIGHT
    wrap: tuple[WrapMode, WrapMode] = ("repeat", "repeat")
    nearest: bool = False
    low: tuple[float, ...] = (0.0,)
    high: tuple[float, ...] = (1.0,)


@dataclass(frozen=True)
class PictureFile:
    """A picture as the file holds it: its encoded bytes."""

    name: str
    data: bytes
