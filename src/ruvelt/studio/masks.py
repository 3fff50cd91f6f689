"""Masks and fills of an open project: pictures they use, copies between layers, small looks at every step."""

from __future__ import annotations

import hashlib

import numpy as np

from ruvelt.core.errors import InputError, NotFound
from ruvelt.core.output.images import encode_png
from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.document import AdjustLayer, Image
from ruvelt.core.stack.edits import AnyEdit, SetImages, SetLayer
from ruvelt.core.stack.evaluate import MASK_PREFIX
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.core.stack.kinds.step import Shaper
from ruvelt.core.stack.plane_ids import image_plane_id, mask_plane_id
from ruvelt.studio.cells import small_picture
from ruvelt.studio.history import KeptCopies, stored_step
from ruvelt.studio.session import Session
from ruvelt.studio.trial import trial

#: Longest side of a picture that masks and fills use; larger ones are made smaller where they come from.
LARGEST = 8192


def add_image(session: Session, image: U16, name: str) -> str:
    """Keep a picture (h, w, 4 uint16) for masks and fills, as a step of history; returns its key, the same for the same pixels."""
    height, width = image.shape[:2]
    if max(height, width) > LARGEST:
        raise InputError(f"A picture on the surface has at most {LARGEST} pixels a side; this one is {width} × {height}. Make it smaller first.")
    key = hashlib.blake2b(image.tobytes() + bytes(str(image.shape), "ascii"), digest_size=10).hexdigest()
    with session.lock:
        if any(i.key == key for i in session.document.images):
            return key
        entry = Image(key=key, name=(name.strip() or "Picture")[:80], width=width, height=height)
        blob = session.store.blobs.put_bytes(encode_png(np.ascontiguousarray(image), 16))
        plane = image_plane_id(key)
        edit = SetImages(images=(*session.document.images, entry))
        session.store.commit(f"Bring in {entry.name}", edit=edit, changes={plane: {0: blob}}, components={plane: 0})
        return key


def copy_mask(session: Session, sheet_id: str, from_layer: str, to_layer: str, revision: int | None = None) -> None:
    """Give a layer the mask of another, with what is painted in it, in place of its own."""
    with session.lock:
        session.check_revision(revision)
        sheet = session.sheet(sheet_id)
        source, goal = sheet.find(from_layer), sheet.find(to_layer)
        if source is None or goal is None:
            raise NotFound("That layer is gone; it may have been deleted in another window.")
        if source.mask is None:
            raise InputError(f"{source.name} has no mask to copy. Copy one that is there.")
        changes: dict[str, dict[int, str | None]] = {}
        components: dict[str, int] = {}
        copies: dict[str, str] = {}
        for step in source.mask.sources:
            if not isinstance(step, PaintedSource):
                continue
            old, new = (mask_plane_id(sheet_id, x, step.id) for x in (from_layer, to_layer))
            chunks = session.store.planes[old].chunks if old in session.store.planes else {}
            before = session.store.planes[new].chunks if new in session.store.planes else {}
            changes[new] = {**dict.fromkeys(before), **chunks}
            components[new], copies[new] = 2, old
        edit = SetLayer(sheet=sheet_id, layer=to_layer, values={"mask": source.mask.model_dump()})
        script = stored_step(KeptCopies(copies=copies)) if copies else None
        label = f"Copy the mask of {source.name} to {goal.name}"
        session.store.commit(label, edit=edit, changes=changes, components=components, script=script)


def mask_pictures(session: Session, sheet_id: str, layer_id: str, edit: AnyEdit | None = None) -> dict[str, str]:
    """PNG data URLs of a layer's mask ("") and of each of its sources alone, by id; with `edit` as they would be after it."""
    with session.lock:
        display = session.display(sheet_id) if edit is None else trial(session, sheet_id, edit)
        layer = display.evaluator.sheet.find(layer_id)
        if layer is None:
            raise NotFound("That layer is gone; it may have been deleted in another window.")
        if layer.mask is None:
            return {}
        display.evaluator.prepare()
        names = {"": f"{MASK_PREFIX}{layer_id}"}
        names |= {s.id: f"{MASK_PREFIX}{layer_id}:{s.id}" for s in layer.mask.sources if not isinstance(s, Shaper)}
        return {step: small_picture(display, channel) for step, channel in names.items()}


#: What an adjustment that waits is called among mask steps, whose ids are of other letters.
ADJUST = "adjust:"


def waiting(session: Session, sheet_id: str) -> dict[str, list[str]]:
    """What says nothing yet, by layer: ids of mask steps that wait for a map, a picture, a layer or a colour; `ADJUST` for an adjustment."""
    evaluator = session.display(sheet_id).evaluator
    found: dict[str, list[str]] = {}
    for layer, _ in evaluator.sheet.walk():
        steps = [s.id for s in layer.mask.sources if not evaluator.masks.speaks(s)] if layer.mask is not None else []
        if isinstance(layer, AdjustLayer) and layer.adjust.waiting:
            steps.append(ADJUST)
        if steps:
            found[layer.id] = steps
    return found
