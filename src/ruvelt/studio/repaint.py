"""Changing a sheet's resolution by painting its history again, sharp, instead of stretching pixels."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from ruvelt.core.brush.hand_tools import own_tools
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.shapes import shaped_brush
from ruvelt.core.brush.target import Paint, ResolvedTarget, Target, resolve_target
from ruvelt.core.errors import InputError
from ruvelt.core.planes.plane import U16, Plane
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.resolutions import RESOLUTIONS
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack.document import MeshMap, PaintLayer, Sheet
from ruvelt.core.stack.edits import SetSheet
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.core.stack.lookup import StoredPlanes
from ruvelt.core.stack.plane_ids import normal_map_plane_id
from ruvelt.core.stroke.live import LiveStroke
from ruvelt.studio.history import (
    HistoryStep,
    KeptCopies,
    KeptExchange,
    KeptFlood,
    KeptLevel,
    KeptResolution,
    KeptStroke,
    Laid,
    read_step,
    stored_step,
)
from ruvelt.studio.session import Session
from ruvelt.studio.strokes import play_step
from ruvelt.studio.versions import difference


def change_resolution(session: Session, sheet_id: str, side: int, progress: Callable[[int, int, str], None]) -> None:
    """Give a sheet another resolution as one step of history. Strokes and floods are painted again; pictures are resampled."""
    if side not in RESOLUTIONS:
        raise InputError(f"A sheet cannot have {side} texels a side. Choose one of {', '.join(map(str, RESOLUTIONS))}.")
    with session.lock:
        sheet = session.sheet(sheet_id)
        if side == sheet.resolution:
            return
        old = session.texels(sheet)
        new = SheetSamples(session.model, session.plans[sheet.plan], side, session.workers)
        painter = Repainter(session, sheet, old, new)
        steps = session.store.scripts()
        for done, (_, script, after) in enumerate(steps):
            progress(done, len(steps), "Painting the strokes again")
            painter.take(read_step(script), after)
        before = {p: plane for p, plane in session.store.planes.items() if p.split("/")[0] == sheet.id}
        edit = SetSheet(sheet=sheet.id, values={"resolution": side})
        components = {p: plane.components for p, plane in painter.planes.items()}
        session.store.commit(
            f"{sheet.name} at {side} × {side}",
            edit=edit,
            changes=difference(before, painter.planes),
            components=components,
            script=stored_step(KeptResolution(sheet=sheet.id, resolution=side, was=sheet.resolution)),
        )


class Repainter:
    """Builds the planes of a sheet anew, step by step of history."""

    def __init__(self, session: Session, sheet: Sheet, old: SurfaceSamples, new: SurfaceSamples) -> None:
        self.session, self.sheet, self.old, self.new = session, sheet, old, new
        self.planes: dict[str, Plane] = {}
        #: Resolution at which the step being replayed was painted: sheet strokes are recorded in its texels.
        kept = [read_step(s) for _, s, _ in session.store.scripts()]
        changes = [s for s in kept if isinstance(s, KeptResolution) and s.sheet == sheet.id]
        self._then: int = changes[0].was if changes else sheet.resolution
        #: Whether each exchange of the model that is still to come in history kept its shape.
        self._to_come = [s.same_shape for s in kept if isinstance(s, KeptExchange)]

    def take(self, step: HistoryStep | None, after: dict[str, dict[int, str | None]]) -> None:
        if isinstance(step, KeptResolution):
            if step.sheet == self.sheet.id:
                self._then = step.resolution
                return
            step = None
        if isinstance(step, KeptExchange):
            self._to_come.pop(0)
        if isinstance(step, KeptLevel | KeptExchange):
            return
        mine = {p: chunks for p, chunks in after.items() if p.split("/")[0] == self.sheet.id}
        if not mine:
            return
        if step is None or not self.can_lay(step):
            self._resample(mine)
        elif isinstance(step, KeptCopies):
            for plane, source in step.copies.items():
                if source in self.planes:
                    self.planes[plane] = self.planes[source]
        else:
            self._paint(step)

    def can_lay(self, step: KeptStroke | KeptFlood | KeptCopies) -> bool:
        """Whether a step can be done again here: not with a tool of a plug-in that is gone, nor by what was changed under it since."""
        if isinstance(step, Laid) and step.tool not in ("paint", *own_tools()):
            return False
        if not self._to_come or isinstance(step, KeptCopies):
            return True
        by_layout = on_flat_sheet(step) if isinstance(step, KeptStroke) else step.flood.picks is not None
        by_layout = by_layout or bool(step.hidden_picks or step.shown_picks)
        return all(self._to_come) and not by_layout

    def _paint(self, step: KeptStroke | KeptFlood) -> None:
        target, paint = Target.model_validate(step.target), Paint.model_validate(step.paint)
        lookup = StoredPlanes(self.planes, self.session.store.blobs)
        document = self.session.document
        faces = self.faces()
        evaluator = SheetEvaluator(document, self.sheet, self.new, faces, lookup, self.session.cache, images=self.session.image)
        hidden = faces.away(step.hidden, step.hidden_picks, step.shown_picks)
        kept = step.recorded() if isinstance(step, KeptStroke) else None
        brush = kept.brush if kept is not None else Brush()
        if kept is not None and kept.stroke.shape is not None:
            brush = shaped_brush(brush, kept.stroke.shape)
        live = LiveStroke(self.aim(target, paint), evaluator, lookup, paint=paint, brush=brush, hidden=hidden, workers=self.session.workers)
        if isinstance(step, KeptFlood):
            live.flood(step.flood.picks, step.flood.strength, faces, step.flood.gradient)
        elif kept is not None:
            play_step(self.session, live, kept.brush, kept.stroke, self.scale())
        for plane, chunks in live.changes.items():
            components = next(c.components for c in live.target.cells if c.plane == plane)
            keys = {chunk: self.session.store.blobs.put(values) for chunk, values in chunks.items()}
            self.planes[plane] = self.planes.get(plane, Plane(components)).with_chunks(keys)

    def aim(self, target: Target, paint: Paint) -> ResolvedTarget:
        """Where a step of history is laid."""
        return _bare(self.session, target, paint)

    def faces(self) -> FaceIndex:
        """Picks on what the new samples lie on."""
        return self.session.faces

    def scale(self) -> float:
        """Texels now for one texel when the step at hand was recorded."""
        return self.new.side / self._then

    def _resample(self, after: dict[str, dict[int, str | None]]) -> None:
        """Planes whose pixels came from elsewhere (a version brought back, a picture): stretched to the new size."""
        for name in after:
            current = self.session.store.planes.get(name)
            if current is not None and current.chunks:
                self.planes[name] = self._stretched(current)
            else:
                self.planes.pop(name, None)

    def _stretched(self, plane: Plane) -> Plane:
        whole = np.zeros((plane.components, self.old.slot_count), np.uint16)
        for chunk, key in plane.chunks.items():
            whole[:, chunk * CHUNK : (chunk + 1) * CHUNK] = self.session.store.blobs.get(key)
        assert isinstance(self.old, SheetSamples)
        assert isinstance(self.new, SheetSamples)
        return image_to_plane(self.session, self.new, np.asarray(self.old.to_image(np.ascontiguousarray(whole.T)), np.uint16))


def on_flat_sheet(step: KeptStroke) -> bool:
    """Whether a stroke was made on the flat sheet, by its texels."""
    shape = step.stroke.get("shape") or {}
    return bool(step.stroke.get("sheet") or shape.get("sheet"))


def image_to_plane(session: Session, samples: SheetSamples, image: U16) -> Plane:
    """A plane from an (h, w, components) uint16 picture stretched over the sheet; chunks without coverage are left out."""
    direction = cv2.INTER_AREA if image.shape[0] > samples.side else cv2.INTER_CUBIC
    scaled = image
    if image.shape[:2] != (samples.side, samples.side):
        stretched = cv2.resize(image.astype(np.float32), (samples.side, samples.side), interpolation=direction)
        scaled = np.rint(np.clip(stretched, 0, 65535)).astype(np.uint16)
    slots = samples.from_image(scaled)
    keys: dict[int, str] = {}
    for chunk in range(samples.chunk_count):
        values = np.ascontiguousarray(slots[chunk * CHUNK : (chunk + 1) * CHUNK].T.astype(np.uint16))
        if values[-1].any():
            keys[chunk] = session.store.blobs.put(values)
    return Plane(image.shape[2], keys)


def _bare(session: Session, target: Target, paint: Paint) -> ResolvedTarget:
    """The planes of a target without asking whether its layer is still there, shown or unlocked: history happened."""
    source = (PaintedSource(id=target.mask),) if target.mask else ()
    layer = PaintLayer(id=target.layer, name="x", mask={"sources": source} if source else None)  # type: ignore[arg-type]
    maps = (MeshMap(id=target.mesh_map),) if target.mesh_map else ()
    sheet = Sheet(id=target.sheet, name="x", plan=0, resolution=256, layers=(layer,), mesh_maps=maps)
    document = session.document.model_copy(update={"sheets": (sheet,)})
    known = tuple(c for c in target.channels if document.channel(c) is not None)
    resolved = resolve_target(document, target.model_copy(update={"channels": known}), paint)
    return ResolvedTarget(resolved.sheet, resolved.layer, resolved.cells, ())


def set_normal_map(session: Session, sheet_id: str, image: U16 | None, revision: int | None = None) -> None:
    """Lay a supplied tangent-space normal map (h, w, 4, Y up) under the relief of a sheet, or take it away (None)."""
    with session.lock:
        session.check_revision(revision)
        sheet = session.sheet(sheet_id)
        name = normal_map_plane_id(sheet.id)
        if image is not None and image.shape[0] != image.shape[1]:
            raise InputError(f"A normal map is square; this one is {image.shape[1]} × {image.shape[0]}. Export it square from where it was baked.")
        plane = Plane(4) if image is None else image_to_plane(session, session.texels(sheet), image)
        old = session.store.planes.get(name, Plane(4))
        edit = SetSheet(sheet=sheet.id, values={"normal_map": image is not None, "normal_pictures": ()})
        label = "Take the normal map away" if image is None else "Import normal map"
        session.store.commit(label, edit=edit, changes=difference({name: old}, {name: plane}), components={name: 4})
