"""Whole assets: the mesh with its maps wired in. One file a format in `assets`, and those of plug-ins."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import ClassVar

from ruvelt.core.discovery import classes_in
from ruvelt.core.errors import InputError
from ruvelt.core.output.asset_pictures import AssetPictures
from ruvelt.core.output.mapset import Look, WrittenFile
from ruvelt.core.output.presets import ExportPreset, file_stem

#: Entry points of plug-ins with asset formats.
ENTRY_POINTS = "ruvelt.assets"
_log = logging.getLogger(__name__)
#: A file of an asset: its name, its kind, its bytes.
AssetFile = tuple[str, str, bytes]


@dataclass(frozen=True)
class AssetScene:
    """What an asset is made of. stem : what its files are called; pictures : makes those beside it, or finds them among the maps"""

    looks: Sequence[Look]
    preset: ExportPreset
    stem: str
    pictures: AssetPictures


class AssetWriter:
    """A format of whole assets. rank : its place in lists; variants : whether it can hold several looks at a time"""

    id: ClassVar[str] = ""
    label: ClassVar[str] = ""
    variants: ClassVar[bool] = False
    rank: ClassVar[int] = 1000

    @classmethod
    def kind_id(cls) -> str:
        return cls.id

    def files(self, scene: AssetScene) -> list[AssetFile]:
        """Its own files; pictures are the scene's. The same scene gives the same bytes."""
        raise NotImplementedError


@lru_cache(maxsize=1)
def asset_writers() -> dict[str, AssetWriter]:
    """By id: one file each in `assets`, and those of plug-ins."""
    found = list(classes_in("ruvelt.core.output.assets", AssetWriter, ENTRY_POINTS).values())
    for writer in [w for w in found if not w.label]:
        _log.error("the asset format '%s' of %s has no label; it is left out", writer.id, writer.__module__)
        found.remove(writer)
    return {w.id: w() for w in sorted(found, key=lambda w: (w.rank, w.id))}


def asset_writer_of(asset_id: str) -> AssetWriter:
    """Raises InputError for a format that nothing here writes."""
    if asset_id not in asset_writers():
        raise InputError(f"Nothing here writes the asset '{asset_id[:40]}'. Choose one of {', '.join(asset_writers())}.")
    return asset_writers()[asset_id]


def asset_files(looks: Sequence[Look], preset: ExportPreset, project: str, written: Sequence[WrittenFile]) -> list[AssetFile]:
    """Every file of a preset's assets, the pictures that they need beside those of the map set first.

    A format that knows of no variants is written once for each look, with its name.
    """
    made: list[AssetFile] = []
    pictures = [AssetPictures(preset, project, written, look.name if len(looks) > 1 else "") for look in looks]
    for asset in preset.assets:
        writer = asset_writer_of(asset)
        if writer.variants or len(looks) == 1:
            made += writer.files(AssetScene(looks, preset, _stem(preset, project, ""), pictures[0]))
        else:
            for look, own in zip(looks, pictures, strict=True):
                made += writer.files(AssetScene([look], preset, _stem(preset, project, look.name), own))
    beside: dict[str, AssetFile] = {name: (name, kind, data) for own in pictures for name, kind, data in own.made}
    return [*beside.values(), *made]


def _stem(preset: ExportPreset, project: str, variant: str) -> str:
    return file_stem(preset.model_copy(update={"template": "{project}_{map}"}), project, "", 0, "asset", variant)
