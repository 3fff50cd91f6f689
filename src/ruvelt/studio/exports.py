"""Exports of a project: map sets written whole or not at all."""

from __future__ import annotations

import glob
import io
import shutil
import threading
import uuid
import zipfile
from collections.abc import Callable, Iterable
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from ruvelt.core.errors import InputError, NotFound, StorageError
from ruvelt.core.output.asset import asset_files
from ruvelt.core.output.images import encode_png, resize
from ruvelt.core.output.mapset import Look, WrittenFile, chosen_maps, vertex_files, write_map_set
from ruvelt.core.output.presets import BUILT_IN, ExportPreset
from ruvelt.core.output.render import render_map
from ruvelt.core.stack.document import Document
from ruvelt.core.stack.variants import shown_as, variant_of
from ruvelt.store.lock import FILE as LOCK
from ruvelt.store.lock import FolderLock, sweep
from ruvelt.studio.files_before import BEGUN, LISTING, FilesBefore
from ruvelt.studio.session import Session
from ruvelt.studio.shelf import Shelf

Progress = Callable[[int, int, str], None]
PRESETS_FILE = "export-presets.json"


class PresetShelf:
    """Built-in presets and the artist's own, kept in the data folder."""

    def __init__(self, data: Path) -> None:
        self._own = Shelf(data / PRESETS_FILE, ExportPreset, "preset")

    def all(self) -> list[ExportPreset]:
        return [*BUILT_IN, *self._own.all()]

    def get(self, preset_id: str) -> ExportPreset:
        found = next((p for p in self.all() if p.id == preset_id), None)
        if found is None:
            raise NotFound(f"There is no export preset '{preset_id}'. Use one of {', '.join(p.id for p in self.all())}.")
        return found

    def save(self, preset: ExportPreset) -> None:
        """Keep an own preset; one of the same id is replaced. Built-in ids are taken."""
        if any(p.id == preset.id for p in BUILT_IN):
            raise InputError(f"'{preset.name}' is a built-in preset. Save yours under another name.")
        self._own.save(preset)

    def delete(self, preset_id: str) -> None:
        if any(p.id == preset_id for p in BUILT_IN):
            raise InputError("A built-in preset cannot be deleted.")
        self._own.delete(preset_id)


_turns: dict[Path, threading.Lock] = {}
_turns_lock = threading.Lock()


def _turn(out: Path) -> threading.Lock:
    """Exports into one folder wait for each other: each has to find what the one before left there."""
    with _turns_lock:
        return _turns.setdefault(out.absolute(), threading.Lock())


def export_project(
    session: Session,
    preset: ExportPreset,
    out: Path,
    *,
    sheets: Iterable[str] | None = None,
    maps: Iterable[str] | None = None,
    variants: Iterable[str | None] | None = None,
    over: bool = False,
    progress: Progress = lambda done, planned, what: None,
) -> list[WrittenFile]:
    """Write a map set into the folder `out`: a new folder appears whole; in one that is there only files are put in place that changed.

    variants : by id, None for the base; without them what shows is written
    over : also over files that something else wrote or changed there since. Raises InputError for those otherwise, and leaves all as it is.
    """
    looks = documents_of(session, variants)
    chosen = chosen_sheets(session, sheets)
    if out.exists() and not out.is_dir():
        raise InputError(f"'{out.name}' is a file. Give a folder to write into.")
    with _turn(out):
        before = FilesBefore(out)
        part = out.with_name(f".{out.name}.{uuid.uuid4().hex[:8]}.part")
        try:
            out.parent.mkdir(parents=True, exist_ok=True)
            # What a killed export left beside this one.
            sweep(out.parent, pattern=f".{glob.escape(out.name)}.*.part")
            part.mkdir()
            lock = FolderLock(part, "an export")
            try:
                files = _write_files(session, looks, chosen, preset, part, maps, before, progress)
            finally:
                lock.release()
            (part / LOCK).unlink()
            _put_in_place(part, out, before, over)
        except OSError as error:
            raise StorageError(f"The export could not be written to '{out}' ({error.strerror}). Choose another folder or free some space.") from None
        finally:
            shutil.rmtree(part, ignore_errors=True)
        return files


def documents_of(session: Session, variants: Iterable[str | None] | None) -> list[tuple[Document, str]]:
    """Documents as variants (by id, None for the base) have them, and their names; without any what shows. Raises InputError."""
    looks = [_document_of(session, v) for v in variants] if variants is not None else [(session.document, "")]
    if not looks:
        raise InputError("Choose at least one variant to export, or the base.")
    if len({name for _, name in looks}) != len(looks):
        raise InputError("Two of the chosen variants have one name, so their files could not be told apart. Rename one of them.")
    return looks


def chosen_sheets(session: Session, sheets: Iterable[str] | None) -> list[str]:
    """Ids of the sheets with texels, or of those that are named. Raises NotFound."""
    wanted = None if sheets is None else set(sheets)
    unknown = (wanted or set()) - {s.id for s in session.document.sheets}
    if unknown:
        raise NotFound(f"There is no sheet '{sorted(unknown)[0]}' in this project.")
    return [s.id for s in session.document.sheets if (s.of == "texels" if wanted is None else s.id in wanted)]


def looks_of(session: Session, documents: list[tuple[Document, str]], sheets: list[str], preset: ExportPreset) -> list[Look]:
    """What is written of documents: the sheets as each has them, with the relief of the preset."""
    several = len(documents) > 1
    made = [(_stronger(d, preset.height_strength), name) for d, name in documents]
    return [Look(session.displays(sheets, None if d is session.document else d), name if several else "") for d, name in made]


def _document_of(session: Session, variant: str | None) -> tuple[Document, str]:
    """The document as a variant (None: the base) has it, and its name."""
    document = shown_as(session.document, variant)
    return document, "base" if variant is None else variant_of(document, variant).name


def _write_files(
    session: Session,
    documents: list[tuple[Document, str]],
    sheets: list[str],
    preset: ExportPreset,
    part: Path,
    maps: Iterable[str] | None,
    before: FilesBefore,
    progress: Progress,
) -> list[WrittenFile]:
    looks = looks_of(session, documents, sheets, preset)

    def write(name: str, data: bytes) -> None:
        if before.is_same(name, data):
            return
        (part / name).write_bytes(data)

    vertices = session.document.vertices

    def whole(written: list[WrittenFile]) -> list[tuple[str, str, bytes]]:
        if preset.vertex_files and vertices is not None:
            return [
                (name, kind, data)
                for document, variant in documents
                for name, kind, data in vertex_files(
                    session.displays([vertices.id], document)[0], preset, session.store.name, variant if len(documents) > 1 else ""
                )
            ]
        return asset_files(looks, preset, session.store.name, written)

    if preset.vertex_files and vertices is None:
        raise InputError("Nothing is painted on vertices here. Add vertex paint on the Model screen, or choose a preset that writes maps.")
    if not sheets and not preset.vertex_files:
        raise InputError("There is no sheet to make maps of. Choose the preset Vertex colours, or unwrap the model.")
    extra = whole if (preset.assets and maps is None) or preset.vertex_files else None
    return write_map_set(looks, preset, session.store.name, write, only=maps, extra=extra, kept=before.kept, progress=progress)


def _stronger(document: Document, strength: float) -> Document:
    """The document with all relief times a strength: the height that code 1 stands for, which normals follow."""
    if strength == 1:
        return document
    settings = document.settings.model_copy(update={"height_range": document.settings.height_range * strength})
    return document.model_copy(update={"settings": settings})


def _put_in_place(part: Path, out: Path, before: FilesBefore, over: bool) -> None:
    """A new folder appears in one step; into one that is there files go one by one, the listing last."""
    if not out.exists():
        part.rename(out)
        return
    files = sorted(part.iterdir(), key=lambda f: (f.name == LISTING, f.name))
    strange = [f.name for f in files if f.name != LISTING and (out / f.name).exists() and not before.is_ours(f.name)]
    strange += [LISTING] if before.foreign_listing else []
    if strange and not over:
        more = f" and {len(strange) - 1} more" if len(strange) > 1 else ""
        raise InputError(
            f"'{strange[0]}'{more} in '{out.name}' was not written by the last export, or was changed since. Nothing was written. "
            "Move it away, choose another folder, or write over it."
        )
    # Killed from here on, the next export knows the new files as its own.
    new = part / LISTING
    if new.exists():
        new.replace(out / BEGUN)
    for file in files:
        if file.name != LISTING:
            file.replace(out / file.name)
    if (out / BEGUN).exists():
        (out / BEGUN).replace(out / LISTING)


def map_preview(session: Session, sheet_id: str, preset: ExportPreset, map_id: str, side: int = 256) -> bytes:
    """A small 8-bit PNG of one map, made the same way as the export's."""
    display = session.display(sheet_id)
    spec = next(iter(chosen_maps(display, preset, [map_id])), None)
    if spec is None:
        raise NotFound(f"The preset has no map '{map_id}'.")
    image = render_map(display, spec.model_copy(update={"size": None}), preset.model_copy(update={"size": 0}))
    small = resize(image, side, spec.is_colour)
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
