"""A sheet's map on its way to a program outside, and back: what was sent is kept beside it, so that only what was changed there comes back."""

from __future__ import annotations

import base64
import hashlib
import io
import json
import re
from dataclasses import dataclass, field
from pathlib import Path
from typing import Annotated, Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image
from pydantic import Field, ValidationError

from ruvelt.core.errors import InputError, NotFound, StorageError
from ruvelt.core.mesh.topology import islands
from ruvelt.core.output.images import BOMBS, BROKEN, decode_image, to_bits
from ruvelt.core.output.writer import writer_of
from ruvelt.core.planes.plane import Plane
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.basics import Frozen, Id
from ruvelt.core.stack.channels import CHANNEL_ID, Channel
from ruvelt.core.stack.document import PaintLayer, Sheet, new_channel_uses
from ruvelt.core.stack.edits import AddLayer, AnyEdit, Batch, SetLayer
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.studio.carrying import plane_of
from ruvelt.studio.copying import position_of
from ruvelt.studio.geometry import layout_lines
from ruvelt.studio.layer_ids import IdMaker
from ruvelt.studio.merging import alone
from ruvelt.studio.session import Session

U16 = NDArray[np.uint16]
#: Where what was sent is kept, beside what may be changed.
SENT = ".sent"
#: Longest side of the picture that shows what differs.
SHOWN = 512
TRIP = re.compile(r"[a-z0-9][a-z0-9_-]{0,119}")
_MARK = np.array([90, 200, 255], np.float32)


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


@dataclass
class Difference:
    """What came back. changed : (slots,) bool; values : (components + 1, slots) uint16, coverage last; told : what is worth knowing of the file"""

    changed: NDArray[np.bool_]
    values: U16
    covered: int
    told: list[str] = field(default_factory=list)
    picture: str = ""

    @property
    def count(self) -> int:
        return int(self.changed.sum())


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


def take_out(
    session: Session, folder: Path, sheet_id: str, channel_id: str, layer_id: str | None = None, *, suffix: str = "png", bits: int = 16
) -> Trip:
    """Write a sheet's map, or one layer of it, into a folder, with its UV wire and island ids beside it; repeats replace what was there.

    Raises InputError for vertices, or a layer that lays nothing in the channel.
    """
    with session.lock:
        sheet = session.sheet(sheet_id)
        samples = session.texels(sheet)
        channel = session.document.channel(channel_id)
        if channel is None:
            raise NotFound(f"There is no channel '{channel_id[:40]}' in this project. Choose another.")
        layer = sheet.find(layer_id) if layer_id is not None else None
        if layer_id is not None and layer is None:
            raise NotFound("That layer is gone; it may have been deleted in another window.")
        values = _layer_values(session, sheet_id, layer_id, channel) if layer_id is not None else _map_values(session, sheet_id, channel_id)
        writer = writer_of("tiff" if suffix in ("tif", "tiff") else suffix)
        made = Trip(
            id="-".join([sheet_id, *([layer_id] if layer_id else []), channel_id])[:120],
            project=session.uid,
            project_name=session.store.name,
            sheet=sheet_id,
            sheet_name=sheet.name,
            channel=channel_id,
            channel_name=channel.name,
            layer=layer_id,
            layer_name=layer.name if layer is not None else "",
            side=samples.side,
            bits=16 if bits == 16 else 8,
            suffix=writer.suffix,
            colour_space="sRGB" if channel.kind == "colour" else "data",
            layout=_layout_key(session, sheet),
            sha256="",
        )
        data = writer.encode(_image(session, samples, values), made.bits)
        made = made.model_copy(update={"sha256": hashlib.sha256(data).hexdigest()})
        wire, ids = _wire(session, sheet, samples.side), _island_ids(session, samples)
    try:
        (folder / SENT).mkdir(parents=True, exist_ok=True)
        _replace(folder / f"{made.id}_wire.png", wire)
        _replace(folder / f"{made.id}_islands.png", ids)
        _replace(folder / SENT / made.file, data)
        _replace(folder / made.file, data)
        _keep(folder, made)
    except OSError as error:
        raise StorageError(f"The map could not be taken out to '{folder}' ({error.strerror}). Choose another folder or free some space.") from None
    return made


def _keep(folder: Path, trip: Trip) -> None:
    _replace(folder / f"{trip.id}.json", (trip.model_dump_json(indent=2) + "\n").encode())


def _replace(path: Path, data: bytes) -> None:
    part = path.with_name(f".{path.name}.part")
    part.write_bytes(data)
    part.replace(path)


def _layout_key(session: Session, sheet: Sheet) -> str:
    return hashlib.sha256(f"{session.store.model_key}/{sheet.plan}".encode()).hexdigest()[:20]


def _map_values(session: Session, sheet_id: str, channel_id: str) -> U16:
    """(components, slots): what all layers come to."""
    evaluator = session.display(sheet_id).evaluator
    evaluator.prepare()
    return np.concatenate(session.workers.map(lambda c: evaluator.composite(channel_id, c), range(evaluator.samples.chunk_count)), axis=1)


def _layer_values(session: Session, sheet_id: str, layer_id: str, channel: Channel) -> U16:
    whole = alone(session, sheet_id, (layer_id,), channel.id)
    if whole is None or not whole[-1].any():
        layer = session.sheet(sheet_id).find(layer_id)
        name = layer.name if layer is not None else layer_id
        raise InputError(f"{name} lays nothing in {channel.name}, so there is nothing to take out. Choose another layer, or the whole map.")
    # A picture with alpha has three components of colour.
    return whole if channel.components == 3 else np.concatenate([whole[:1].repeat(3, axis=0), whole[1:]])


def _image(session: Session, samples: SheetSamples, values: U16) -> U16:
    """(side, side[, components]) with every texel around the islands repeating its nearest, so that edits at borders have room."""
    slots = np.ascontiguousarray(values.T)
    gutter = samples.gutter(None)
    slots[gutter.dst] = slots[gutter.src]
    return np.asarray(samples.to_image(slots if values.shape[0] > 1 else slots[:, 0]), np.uint16)


def _wire(session: Session, sheet: Sheet, side: int) -> bytes:
    """A PNG with the edges of the layout, white on clear."""
    lines, seams = layout_lines(session, session.plans[sheet.plan])
    canvas = np.zeros((side, side), np.uint8)
    for some, strength in ((lines, 150), (seams, 255)):
        ends = np.rint(np.stack([some[:, 0::2], 1 - some[:, 1::2]], axis=-1) * side * 16).astype(np.int32)
        cv2.polylines(canvas, list(ends), False, strength, 1, cv2.LINE_AA, 4)
    return cv2.imencode(".png", np.dstack([np.full((side, side, 3), 255, np.uint8), canvas]))[1].tobytes()


def _island_ids(session: Session, samples: SheetSamples) -> bytes:
    """A PNG with one even colour for each island, clear between them: pressed with a tool outside, it selects an island."""
    labels = islands(session.model, session.model.uv_layouts[0])[np.maximum(samples.face, 0)].astype(np.uint32)
    hue = (labels * np.uint32(2654435761)) >> np.uint32(8)
    colours = np.stack([64 + (hue & 127), 64 + ((hue >> 8) & 127), 64 + ((hue >> 16) & 127), np.full_like(hue, 255)], axis=1).astype(np.uint8)
    colours[~samples.covered] = 0
    return cv2.imencode(".png", np.asarray(samples.to_image(colours)))[1].tobytes()


# -- back -----------------------------------------------------------------------------------------------------------------------


def is_changed(folder: Path, trip: Trip) -> bool:
    """Whether the file is not what was sent, or what came back last."""
    try:
        return hashlib.sha256((folder / trip.file).read_bytes()).hexdigest() != trip.sha256
    except OSError:
        return False


def difference(session: Session, folder: Path, trip: Trip, scaled: bool = False) -> Difference:
    """What a file that came back has otherwise than what was sent, texel by texel, at the coarser of both depths.

    scaled : take one of another size but the same shape, resampled. Raises InputError, in words that say what to do, for what cannot be laid.
    """
    with session.lock:
        samples = _still_there(session, trip)
        came, told = _read(folder / trip.file, trip, scaled)
        sent = decode_image((folder / SENT / trip.file).read_bytes(), trip.file)
        channel = session.document.channel(trip.channel)
        assert channel is not None
        resampled = came.shape[:2] != (trip.side, trip.side)
        if resampled:
            came = _resized(came, trip.side)
            told.append(f"It was resampled to {trip.side} × {trip.side}; every texel that this moved counts as changed.")
        if trip.layer is None and (came[..., 3] < 65535).any():
            told.append("It has transparent places; they are left as they are here.")
        deep = 16 if trip.bits == 16 and not any("8 bits" in t for t in told) else 8
        components = channel.components
        kinds = [*range(components), 3]
        a, b = (samples.from_image(np.ascontiguousarray(picture[..., kinds])) for picture in (sent, came))
        differs = (to_bits(np.asarray(a, np.uint16), deep) != to_bits(np.asarray(b, np.uint16), deep)).any(axis=1)
        changed = differs & samples.covered
        values = np.ascontiguousarray(np.asarray(b, np.uint16).T)
        if trip.layer is None:
            changed &= values[-1] > 0
            values[-1] = np.where(changed, values[-1], 0)
        found = Difference(changed, values, int(samples.covered.sum()), told)
        found.picture = _marked(samples, np.asarray(b, np.uint16), changed, components)
        return found


def _still_there(session: Session, trip: Trip) -> SheetSamples:
    if trip.project != session.uid:
        raise InputError(
            f"It was taken out of the project {trip.project_name}. Open that project to bring it back, or bring it in as a picture layer."
        )
    sheet = session.document.sheet(trip.sheet)
    if sheet is None:
        raise InputError(f"The sheet {trip.sheet_name} is gone, so it cannot be laid back. Bring it in as a picture layer of another sheet.")
    samples = session.texels(sheet)
    if samples.side != trip.side:
        raise InputError(
            f"{sheet.name} was {trip.side} × {trip.side} when this was taken out and is {samples.side} × {samples.side} now. "
            "Set it back to that size, or take the map out again."
        )
    if _layout_key(session, sheet) != trip.layout:
        raise InputError(f"The UV layout of {sheet.name} has changed since this was taken out. Undo that, or take the map out again.")
    if session.document.channel(trip.channel) is None:
        raise InputError(f"The channel {trip.channel_name} is gone. Add it again to bring this back.")
    return samples


def _read(path: Path, trip: Trip, scaled: bool) -> tuple[U16, list[str]]:
    """(h, w, 4) of a file that came back, and what is worth telling of it."""
    try:
        data = path.read_bytes()
    except OSError:
        raise InputError(f"{trip.file} is not in the folder any more. Save it there under that name.") from None
    told: list[str] = []
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "TIFF")) as probe:
            mode, width, height, profile = probe.mode, *probe.size, probe.info.get("icc_profile")
            bits = {"I;16": 16, "I;16B": 16, "I": 16, "F": 32}.get(mode, 8)
            bits = max(bits, _png_bits(data), _tiff_bits(probe))
    except (*BROKEN, *BOMBS):
        raise InputError(f"{trip.file} is not a whole PNG or TIFF picture. Save it again from the program outside.") from None
    if mode == "CMYK":
        raise InputError(f"{trip.file} is CMYK, which has no exact way back. Save it as RGB.")
    if bits == 32:
        raise InputError(f"{trip.file} has floating-point values. Save it with 8 or 16 bits a component.")
    if width != height:
        raise InputError(f"{trip.file} is {width} × {height}, the sheet is square, {trip.side} × {trip.side}. Save it whole, not cropped.")
    if width != trip.side and not scaled:
        raise InputError(
            f"{trip.file} is {width} × {height}; it was taken out at {trip.side} × {trip.side}. Save it at that size, or let it be resampled, "
            "which moves every texel a little."
        )
    if mode == "P":
        told.append("It has a palette; its colours were read as they are listed there.")
    if trip.colour_space == "sRGB" and mode in ("L", "LA", "I;16", "I", "1"):
        told.append("It is grey; red, green and blue are all that.")
    if trip.colour_space == "data" and mode in ("RGB", "RGBA") and trip.layer is None:
        told.append("It has colours; of a channel of one value red is read.")
    if bits < trip.bits:
        told.append(f"It came back with 8 bits; it was sent with {trip.bits}. Only what differs at 8 bits counts as changed.")
    if profile and trip.colour_space == "sRGB" and b"sRGB" not in profile:
        told.append("It has a colour profile other than sRGB; its numbers were read as sRGB. Convert it to sRGB outside if colours look wrong.")
    return decode_image(data, trip.file), told


def _png_bits(data: bytes) -> int:
    return data[24] if data[:8] == b"\x89PNG\r\n\x1a\n" and len(data) > 24 and data[24] == 16 else 8


def _tiff_bits(probe: Image.Image) -> int:
    tags: Any = getattr(probe, "tag_v2", {})
    found = tags.get(258, (8,)) if tags else (8,)
    return int(max(found)) if isinstance(found, tuple) else int(found)


def _resized(image: U16, side: int) -> U16:
    direction = cv2.INTER_AREA if image.shape[0] > side else cv2.INTER_CUBIC
    stretched = cv2.resize(image.astype(np.float32), (side, side), interpolation=direction)
    made: U16 = np.rint(np.clip(stretched, 0, 65535)).astype(np.uint16)
    return made


def _marked(samples: SheetSamples, slots: U16, changed: NDArray[np.bool_], components: int) -> str:
    """A PNG data URL of the map that came back, dimmed, with what differs as it is and outlined."""
    colour = slots[:, :3] if components == 3 else slots[:, :1].repeat(3, axis=1)
    picture = np.asarray(samples.to_image(to_bits(np.ascontiguousarray(colour), 8)), np.float32)
    marked = np.asarray(samples.to_image(changed.astype(np.uint8)))
    side = min(SHOWN, samples.side)
    # Single texels are seen too.
    step = samples.side // side
    small = marked.reshape(side, step, side, step).max(axis=(1, 3))
    picture = cv2.resize(picture, (side, side), interpolation=cv2.INTER_AREA)
    edge = cv2.dilate(small, np.ones((3, 3), np.uint8)) - small
    picture[small == 0] *= 0.35
    picture[edge > 0] = _MARK[::-1]
    _, data = cv2.imencode(".png", picture[..., ::-1].round().astype(np.uint8))
    return "data:image/png;base64," + base64.b64encode(data.tobytes()).decode()


def land(session: Session, folder: Path, trip: Trip, scaled: bool = False, revision: int | None = None) -> tuple[str | None, Difference]:
    """Lay what came back as a new layer over the old, as one step of history; a file that comes again goes into the layer it came to before.

    A whole map comes back as what was changed; one layer as a layer of its own, and the old one is hidden. Returns the layer, None where nothing
    differs, and what differed.
    """
    with session.lock:
        session.check_revision(revision)
        # Another window may have laid it meanwhile.
        trip = trip_of(folder, trip.id)
        found = difference(session, folder, trip, scaled)
        data_sha = hashlib.sha256((folder / trip.file).read_bytes()).hexdigest()
        sheet = session.sheet(trip.sheet)
        if data_sha == trip.sha256 and trip.landed is not None and sheet.find(trip.landed) is not None:
            return trip.landed, found
        if not found.count:
            _note(folder, trip.model_copy(update={"sha256": data_sha}))
            return None, found
        plane = plane_of(session, found.values)
        again = sheet.find(trip.landed) if trip.landed is not None else None
        layer_id = again.id if isinstance(again, PaintLayer) else IdMaker(sheet).new()
        place = plane_id(sheet.id, layer_id, trip.channel)
        old = session.store.planes[place].chunks if place in session.store.planes else {}
        edit = None if isinstance(again, PaintLayer) else _landing(session, sheet, trip, layer_id)
        session.store.commit(
            f"{trip.layer_name or trip.channel_name} back from outside",
            edit=edit,
            changes={place: {**dict.fromkeys(old), **_chunks(plane)}},
            components={place: plane.components},
        )
        _note(folder, trip.model_copy(update={"sha256": data_sha, "landed": layer_id}))
        return layer_id, found


def _note(folder: Path, trip: Trip) -> None:
    try:
        _keep(folder, trip)
    except OSError as error:
        raise StorageError(f"What came back is laid, but that could not be noted in '{folder}' ({error.strerror}). It may come again.") from None


def _chunks(plane: Plane) -> dict[int, str | None]:
    return dict(plane.chunks)


def _landing(session: Session, sheet: Sheet, trip: Trip, layer_id: str) -> AnyEdit:
    uses = new_channel_uses(session.document.channels)
    # What shows is laid over what shows, not added to it.
    only = {c: use.model_copy(update={"on": c == trip.channel, "blend": None}) for c, use in uses.items()}
    source = sheet.find(trip.layer) if trip.layer is not None else None
    if source is None:
        layer = PaintLayer(id=layer_id, name=f"{trip.channel_name} from outside"[:80], channels=only)
        return AddLayer(sheet=sheet.id, layer=layer)
    use = source.channels.get(trip.channel)
    plain = {"on": True, "strength": 1.0, "value": None, "content": None, "role": None, "relief": 1.0}
    own = use.model_copy(update=plain) if use else only[trip.channel]
    layer = PaintLayer(id=layer_id, name=f"{source.name} from outside"[:80], blend=source.blend, channels={**only, trip.channel: own})
    into, index = position_of(sheet, source.id)
    uses_now = {**{c: u.model_dump() for c, u in source.channels.items()}}
    uses_now[trip.channel] = {**uses_now.get(trip.channel, {}), "on": False}
    hide = SetLayer(sheet=sheet.id, layer=source.id, values={"channels": uses_now}, variant=session.document.showing)
    return Batch(edits=(AddLayer(sheet=sheet.id, layer=layer, into=into, index=index), hide))


def put_file(folder: Path, trip: Trip, data: bytes) -> None:
    """Put a file in place of the one that was taken out. Raises StorageError."""
    try:
        _replace(folder / trip.file, data)
    except OSError as error:
        raise StorageError(f"The picture could not be put into '{folder}' ({error.strerror}). Free some space.") from None


def forget(folder: Path, trip: Trip) -> None:
    """Take the files of a trip away."""
    names = (trip.file, f"{trip.id}_wire.png", f"{trip.id}_islands.png", f"{trip.id}.json")
    for path in (*(folder / n for n in names), folder / SENT / trip.file):
        path.unlink(missing_ok=True)


def state_as_json(folder: Path, trip: Trip) -> dict[str, Any]:
    return {**json.loads(trip.model_dump_json()), "file": trip.file, "changed": is_changed(folder, trip), "folder": str(folder)}
