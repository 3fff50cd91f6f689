"""Trips of maps to programs outside: what was taken out of a project into a folder, told in JSON beside the files."""

from __future__ import annotations

import hashlib
import json
import re
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError

from ruvelt.core.errors import InputError, NotFound, StorageError
from ruvelt.core.stack.basics import Frozen, Id
from ruvelt.core.stack.channels import CHANNEL_ID
from ruvelt.core.stack.document import Sheet
from ruvelt.studio.session import Session

#: Where what was sent is kept, beside what may be changed.
SENT = ".sent"
#: Bytes; a map of 8192² with alpha at 16 bits, not compressed at all, is half of this.
MOST_BYTES = 1 << 30
TRIP = re.compile(r"[a-z0-9][a-z0-9_-]{0,119}")


class Trip(Frozen):
    """What was taken out, kept as JSON beside it. layer : the one layer whose paint it is, with its alpha; None for all of them together

    landed : the layer that what came back went into last
    """

    format: Literal["ruvelt-trip"] = "ruvelt-trip"
    version: Literal[1] = 1
    id: Annotated[str, Field(pattern=TRIP.pattern)]
    project: str
    project_name: str
    sheet: Id
    sheet_name: str
    channel: Annotated[str, Field(pattern=CHANNEL_ID)]
    channel_name: str
    layer: Id | None = None
    layer_name: str = ""
    side: int
    bits: Literal[8, 16]
    suffix: Annotated[str, Field(pattern=r"^\.[a-z]{2,5}$")]
    colour_space: Literal["sRGB", "data"]
    layout: str
    sha256: str
    landed: Id | None = None

    @property
    def file(self) -> str:
        return self.id + self.suffix


def trips_in(folder: Path) -> list[Trip]:
    """Those whose telling can be read, by name."""
    found = []
    for file in sorted(folder.glob("*.json")) if folder.is_dir() else ():
        try:
            found.append(Trip.model_validate_json(file.read_bytes()))
        except (ValidationError, OSError):
            continue
    return found


def trip_of(folder: Path, trip_id: str) -> Trip:
    """Raises NotFound for one that was not taken out into this folder; a name never becomes a path."""
    if TRIP.fullmatch(trip_id):
        for trip in trips_in(folder):
            if trip.id == trip_id:
                return trip
    raise NotFound(f"'{trip_id[:60]}' was not taken out from here. Take the map out first, or bring the picture in as a layer.")


def is_changed(folder: Path, trip: Trip) -> bool:
    """Whether the file is not what was sent, or what came back last."""
    try:
        return hashlib.sha256(file_of(folder, trip)).hexdigest() != trip.sha256
    except InputError:
        return False


def file_of(folder: Path, trip: Trip) -> bytes:
    """The bytes that lie there now. Raises InputError where there is none, or it is larger than any map."""
    path = folder / trip.file
    try:
        if path.stat().st_size > MOST_BYTES:
            raise InputError(f"{trip.file} is larger than any map of {trip.side} × {trip.side}. Save it again as PNG.")
        return path.read_bytes()
    except OSError:
        raise InputError(f"{trip.file} is not in the folder any more. Save it there under that name.") from None


def keep(folder: Path, trip: Trip) -> None:
    replace_file(folder / f"{trip.id}.json", (trip.model_dump_json(indent=2) + "\n").encode())


def replace_file(path: Path, data: bytes) -> None:
    part = path.with_name(f".{path.name}.part")
    part.write_bytes(data)
    part.replace(path)


def layout_key(session: Session, sheet: Sheet) -> str:
    return hashlib.sha256(f"{session.store.model_key}/{sheet.plan}".encode()).hexdigest()[:20]


def put_file(folder: Path, trip: Trip, data: bytes) -> None:
    """Put a file in place of the one that was taken out. Raises StorageError."""
    try:
        replace_file(folder / trip.file, data)
    except OSError as error:
        raise StorageError(f"The picture could not be put into '{folder}' ({error.strerror}). Free some space.") from None


def forget(folder: Path, trip: Trip) -> None:
    """Take the files of a trip away."""
    names = (trip.file, f"{trip.id}_wire.png", f"{trip.id}_islands.png", f"{trip.id}.json")
    for path in (*(folder / n for n in names), folder / SENT / trip.file):
        path.unlink(missing_ok=True)


def state_as_json(folder: Path, trip: Trip) -> dict[str, Any]:
    return {**json.loads(trip.model_dump_json()), "file": trip.file, "changed": is_changed(folder, trip), "folder": str(folder)}
