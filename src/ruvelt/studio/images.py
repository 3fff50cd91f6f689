"""Pictures that a project holds, for masks, fills and what came with its file."""

from __future__ import annotations

from ruvelt.core.errors import InputError
from ruvelt.core.output.images import decode_image
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.plane_ids import image_plane_id
from ruvelt.store.project_store import ProjectStore


def image_of(store: ProjectStore, cache: BoundedCache, key: str) -> U16 | None:
    """A picture of the project, (h, w, 4) uint16; None when it is gone."""
    plane = store.planes.get(image_plane_id(key))
    blob = plane.chunks.get(0) if plane is not None else None
    if blob is None:
        return None
    found: U16 | None = cache.get(("image", blob))
    if found is None:
        try:
            found = decode_image(store.blobs.get_bytes(blob), key, upright=False)
        except InputError:
            # Its checksums were right, its pixels are not.
            return None
        cache.put(("image", blob), found, found.nbytes)
    return found
