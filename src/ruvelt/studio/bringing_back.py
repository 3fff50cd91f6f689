"""A map that was changed in a program outside: what differs from what was sent, and that laid as a layer over the old."""

from __future__ import annotations

import base64
import hashlib
import io
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ruvelt.core.errors import InputError, StorageError
from ruvelt.core.output.images import BOMBS, BROKEN, check_picture, decode_image, to_bits
from ruvelt.core.planes.plane import U16, Plane
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.document import PaintLayer, Sheet, new_channel_uses
from ruvelt.core.stack.edits import AddLayer, AnyEdit, Batch, SetLayer
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.studio.carrying import plane_of
from ruvelt.studio.copying import position_of
from ruvelt.studio.layer_ids import IdMaker
from ruvelt.studio.session import Session
from ruvelt.studio.trips import SENT, Trip, file_of, keep, layout_key, trip_of

#: Longest side of the picture that shows what differs.
SHOWN = 512
_MARK = np.array([90, 200, 255], np.float32)


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


def difference(session: Session, folder: Path, trip: Trip, scaled: bool = False, material: int | None = None) -> Difference:
    """What a file that came back has otherwise than what was sent, texel by texel, at the coarser of both depths.

    scaled : take one of another size but the same shape, resampled; material : look at faces of this one of the model's materials only.
    Raises InputError, in words that say what to do, for what cannot be laid.
    """
    return _looked(session, folder, trip, scaled, material, file_of(folder, trip))


def _looked(session: Session, folder: Path, trip: Trip, scaled: bool, material: int | None, data: bytes) -> Difference:
    with session.lock:
        samples = _still_there(session, trip)
        came, told = _read(data, trip, scaled)
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
        within = samples.covered & _of_material(session, trip, samples, material)
        changed = differs & within
        values = np.ascontiguousarray(np.asarray(b, np.uint16).T)
        if trip.layer is None:
            changed &= values[-1] > 0
            values[-1] = np.where(changed, values[-1], 0)
        elif material is not None:
            # What of the layer has another material is as it was.
            values = np.where(within, values, np.asarray(a, np.uint16).T)
        found = Difference(changed, values, int(within.sum()), told)
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
    if layout_key(session, sheet) != trip.layout:
        raise InputError(f"The UV layout of {sheet.name} has changed since this was taken out. Undo that, or take the map out again.")
    if session.document.channel(trip.channel) is None:
        raise InputError(f"The channel {trip.channel_name} is gone. Add it again to bring this back.")
    return samples


def _of_material(session: Session, trip: Trip, samples: SheetSamples, material: int | None) -> NDArray[np.bool_]:
    if material is None:
        return np.ones(samples.covered.shape, bool)
    if material >= len(session.model.materials):
        raise InputError("The model has no such material any more. Choose one of those it has.")
    marked = session.faces_of(session.sheet(trip.sheet)).mark([FacePick(by="material", index=material)])
    found: NDArray[np.bool_] = marked[np.maximum(samples.face, 0)]
    return found


def _read(data: bytes, trip: Trip, scaled: bool) -> tuple[U16, list[str]]:
    """(h, w, 4) of a file that came back, and what is worth telling of it."""
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
    try:
        check_picture(data)
    except InputError as error:
        raise InputError(f"{trip.file} is not a whole PNG or TIFF picture: {error}") from None
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


def land(
    session: Session, folder: Path, trip: Trip, scaled: bool = False, revision: int | None = None, material: int | None = None
) -> tuple[str | None, Difference]:
    """Lay what came back as a new layer over the old, as one step of history; a file that comes again goes into the layer it came to before.

    A whole map comes back as what was changed; one layer as a layer of its own, and the old one is hidden.
    material : lay it on faces of this one only; a layer it comes to again keeps what it has elsewhere
    Returns the layer, None where nothing differs, and what differed.
    """
    with session.lock:
        session.check_revision(revision)
        # Another window may have laid it meanwhile.
        trip = trip_of(folder, trip.id)
        data = file_of(folder, trip)
        found = _looked(session, folder, trip, scaled, material, data)
        data_sha = hashlib.sha256(data).hexdigest()
        sheet = session.sheet(trip.sheet)
        again = sheet.find(trip.landed) if trip.landed is not None else None
        if data_sha == trip.sha256 and again is not None and material is None:
            return again.id, found
        if not found.count:
            # Another material may still wait for its turn.
            if material is None:
                _note(folder, trip.model_copy(update={"sha256": data_sha}))
            return None, found
        layer_id = again.id if isinstance(again, PaintLayer) else IdMaker(sheet).new()
        place = plane_id(sheet.id, layer_id, trip.channel)
        old = session.store.planes.get(place)
        if old is not None and material is not None:
            _keep_elsewhere(session, old, found.values, _of_material(session, trip, session.texels(sheet), material))
        plane = plane_of(session, found.values)
        edit = None if isinstance(again, PaintLayer) else _landing(session, sheet, trip, layer_id)
        session.store.commit(
            f"{trip.layer_name or trip.channel_name} back from outside",
            edit=edit,
            changes={place: {**dict.fromkeys(old.chunks if old is not None else ()), **plane.chunks}},
            components={place: plane.components},
        )
        _note(folder, trip.model_copy(update={"sha256": data_sha, "landed": layer_id}))
        return layer_id, found


def _keep_elsewhere(session: Session, old: Plane, values: U16, within: NDArray[np.bool_]) -> None:
    for chunk in range(values.shape[1] // CHUNK):
        slots = slice(chunk * CHUNK, (chunk + 1) * CHUNK)
        before = session.store.blobs.get(old.chunks[chunk]) if chunk in old.chunks else np.zeros_like(values[:, slots])
        values[:, slots] = np.where(within[slots], values[:, slots], before)


def _note(folder: Path, trip: Trip) -> None:
    try:
        keep(folder, trip)
    except OSError as error:
        raise StorageError(f"What came back is laid, but that could not be noted in '{folder}' ({error.strerror}). It may come again.") from None


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
