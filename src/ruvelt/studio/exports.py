"""Exports of a project: map sets written whole or not at all."""

from __future__ import annotations

import glob
import io
import json
import shutil
import uuid
import zipfile
from collections.abc import Callable, Iterable
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from ruvelt.core.errors import InputError, NotFound, StorageError
from ruvelt.core.output.glb import build_glb
from ruvelt.core.output.images import encode_png, resize
from ruvelt.core.output.mapset import WrittenFile, chosen_maps, render_map, vertex_files, write_map_set
from ruvelt.core.output.presets import BUILT_IN, ExportPreset, file_stem
from ruvelt.store.lock import FILE as LOCK
from ruvelt.store.lock import FolderLock, sweep
from ruvelt.studio.session import Session

Progress = Callable[[int, int, str], None]
PRESETS_FILE = "export-presets.json"


class PresetShelf:
    """Built-in presets and the artist's own, kept in the data folder."""

    def __init__(self, data: Path) -> None:
        self._path = data / PRESETS_FILE

    def all(self) -> list[ExportPreset]:
        return [*BUILT_IN, *self._own()]

    def _own(self) -> list[ExportPreset]:
        if not self._path.is_file():
            return []
        try:
            return [ExportPreset.model_validate(p) for p in json.loads(self._path.read_text("utf-8"))]
        except ValueError:
            raise InputError(f"The file {PRESETS_FILE} in the data folder cannot be read. Repair it or move it away.") from None

    def get(self, preset_id: str) -> ExportPreset:
        found = next((p for p in self.all() if p.id == preset_id), None)
        if found is None:
            raise NotFound(f"There is no export preset '{preset_id}'. Use one of {', '.join(p.id for p in self.all())}.")
        return found

    def save(self, preset: ExportPreset) -> None:
        """Keep an own preset; one of the same id is replaced. Built-in ids are taken."""
        if any(p.id == preset.id for p in BUILT_IN):
            raise InputError(f"'{preset.name}' is a built-in preset. Save yours under another name.")
        self._write([*(p for p in self._own() if p.id != preset.id), preset])

    def delete(self, preset_id: str) -> None:
        if any(p.id == preset_id for p in BUILT_IN):
            raise InputError("A built-in preset cannot be deleted.")
        self._write([p for p in self._own() if p.id != preset_id])

    def _write(self, presets: list[ExportPreset]) -> None:
        part = self._path.with_suffix(".part")
        try:
            part.write_text(json.dumps([p.model_dump() for p in presets], indent=2), "utf-8")
            part.replace(self._path)
        except OSError as error:
            raise StorageError(f"The preset could not be kept ({error.strerror}). Free some space or check the data folder.") from None


def export_project(
    session: Session,
    preset: ExportPreset,
    out: Path,
    *,
    sheets: Iterable[str] | None = None,
    maps: Iterable[str] | None = None,
    progress: Progress = lambda done, planned, what: None,
) -> list[WrittenFile]:
    """Write a map set into the folder `out`. It appears there whole when all is done; a failed or stopped export leaves nothing."""
    wanted = None if sheets is None else set(sheets)
    unknown = (wanted or set()) - {s.id for s in session.document.sheets}
    if unknown:
        raise NotFound(f"There is no sheet '{sorted(unknown)[0]}' in this project.")
    chosen = [s.id for s in session.document.sheets if (s.of == "texels" if wanted is None else s.id in wanted)]
    stem = file_stem(preset.model_copy(update={"template": "{project}_{map}"}), session.store.name, "", 0, "asset")
    if out.exists() and not out.is_dir():
        raise InputError(f"'{out.name}' is a file. Give a folder to write into.")
    part = out.with_name(f".{out.name}.{uuid.uuid4().hex[:8]}.part")
    try:
        out.parent.mkdir(parents=True, exist_ok=True)
        # What a killed export left beside this one.
        sweep(out.parent, pattern=f".{glob.escape(out.name)}.*.part")
        part.mkdir()
        lock = FolderLock(part, "an export")
        try:
            files = _write_files(session, chosen, preset, stem, part, maps, progress)
        finally:
            lock.release()
        (part / LOCK).unlink()
        _put_in_place(part, out)
    except OSError as error:
        raise StorageError(f"The export could not be written to '{out}' ({error.strerror}). Choose another folder or free some space.") from None
    finally:
        shutil.rmtree(part, ignore_errors=True)
    return files


def _write_files(
    session: Session, sheets: list[str], preset: ExportPreset, stem: str, part: Path, maps: Iterable[str] | None, progress: Progress
) -> list[WrittenFile]:
    displays = session.displays(sheets)

    def write(name: str, data: bytes) -> None:
        (part / name).write_bytes(data)

    vertices = session.document.vertices

    def whole() -> list[tuple[str, str, bytes]]:
        if preset.vertex_files and vertices is not None:
            return vertex_files(session.display(vertices.id), preset, session.store.name)
        return [(f"{stem}.glb", "glb", build_glb(displays, preset))]

    if preset.vertex_files and vertices is None:
        raise InputError("Nothing is painted on vertices here. Add vertex paint on the Model screen, or choose a preset that writes maps.")
    if not sheets and not preset.vertex_files:
        raise InputError("There is no sheet to make maps of. Choose the preset Vertex colours, or unwrap the model.")
    extra = whole if (preset.glb and maps is None) or preset.vertex_files else None
    return write_map_set(displays, preset, session.store.name, write, only=maps, extra=extra, progress=progress)


def _put_in_place(part: Path, out: Path) -> None:
    """A new folder appears in one step; into one that is there files go one by one, the listing last."""
    if not out.exists():
        part.rename(out)
        return
    for file in sorted(part.iterdir(), key=lambda f: (f.name == "listing.json", f.name)):
        file.replace(out / file.name)


def map_preview(session: Session, sheet_id: str, preset: ExportPreset, map_id: str, side: int = 256) -> bytes:
    """A small 8-bit PNG of one map, made the same way as the export's."""
    display = session.display(sheet_id)
    spec = next(iter(chosen_maps(display, preset, [map_id])), None)
    if spec is None:
        raise NotFound(f"The preset has no map '{map_id}'.")
    image = render_map(display, spec, preset.model_copy(update={"size": 0}))
    small = resize(image, side, spec.colour_space == "srgb")
    if small.ndim == 3 and small.shape[2] == 4:
        small = np.ascontiguousarray(small[..., :3])
    return encode_png(small, 8)


def zip_folder(folder: Path) -> bytes:
    """A zip of an export, the same bytes each time (PNG is compressed already)."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for file in sorted(folder.iterdir()):
            archive.writestr(zipfile.ZipInfo(file.name, (1980, 1, 1, 0, 0, 0)), file.read_bytes())
    return out.getvalue()


def files_as_json(files: list[WrittenFile]) -> list[dict[str, Any]]:
    return [asdict(f) for f in files]
