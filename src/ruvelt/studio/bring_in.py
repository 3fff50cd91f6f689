"""Pictures from elsewhere as the content of a layer (N1.7)."""

from __future__ import annotations

import numpy as np

from ruvelt.core.errors import InputError, NotFound
from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.document import PaintLayer, new_channel_uses
from ruvelt.core.stack.edits import AddLayer
from ruvelt.core.stack.plane_ids import plane_id
from ruvelt.studio.layer_ids import IdMaker
from ruvelt.studio.repaint import image_to_plane
from ruvelt.studio.session import Session


def picture_layer(session: Session, sheet_id: str, channel_id: str, image: U16, name: str, revision: int | None = None) -> str:
    """A new paint layer in front that holds a square picture (h, w, 4 uint16) in one channel; returns its id.

    Colours come as they are encoded, data from the red component (for height, middle grey is flat); the picture's alpha is the paint's.
    """
    if image.shape[0] != image.shape[1]:
        raise InputError(f"A sheet's picture is square; this one is {image.shape[1]} × {image.shape[0]}. Export it square from where it was made.")
    with session.lock:
        session.check_revision(revision)
        sheet = session.sheet(sheet_id)
        channel = session.document.channel(channel_id)
        if channel is None:
            raise NotFound(f"There is no channel '{channel_id[:40]}' in this project. Choose another.")
        colour = image[..., :3] if channel.components == 3 else image[..., :1]
        plane = image_to_plane(session, session.texels(sheet), np.dstack([colour, image[..., 3:]]))
        layer = PaintLayer(id=IdMaker(sheet).new(), name=(name.strip() or "Picture")[:80], channels=dict(new_channel_uses(session.document.channels)))
        place = plane_id(sheet.id, layer.id, channel.id)
        edit = AddLayer(sheet=sheet.id, layer=layer)
        session.store.commit(f"Bring in {layer.name}", edit=edit, changes={place: dict(plane.chunks)}, components={place: plane.components})
        return layer.id
