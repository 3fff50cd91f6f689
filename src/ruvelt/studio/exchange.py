"""Another UV layout or another mesh under the paint of a project, as one step of history."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.bake.mesh_map import baked_maps
from ruvelt.core.errors import Conflict, InputError
from ruvelt.core.mesh.model import Model, TextureCoords
from ruvelt.core.mesh.sheets import SheetPlan, plan_sheets
from ruvelt.core.mesh.subdivide import Subdivision
from ruvelt.core.planes.plane import Plane
from ruvelt.core.samples.relation import Relation, parents_of, relation_of, share_on
from ruvelt.core.samples.resample import REACH, Resampling, same_places, same_polygons
from ruvelt.core.samples.resolutions import side_for
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.document import Document, Sheet
from ruvelt.core.stack.edits import ReplaceDocument
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.plane_ids import DETAIL, MODEL_PLANE, base_plane_id, normal_map_plane_id, touch_up_plane_id
from ruvelt.studio.carrying import Carrier
from ruvelt.studio.history import KeptCopies, KeptExchange, KeptFlood, KeptStroke, read_step, stored_step
from ruvelt.studio.incoming import USUAL, bare_sheets
from ruvelt.studio.picks_moved import MovedPicks, with_moved_picks
from ruvelt.studio.repaint import on_flat_sheet
from ruvelt.studio.session import Session
from ruvelt.studio.versions import difference

Progress = Callable[[int, int, str], None]
#: A mesh that has less than this of its vertices near the old one has nothing to do with it.
LEAST_COMMON = 0.1


@dataclass(frozen=True, eq=False)
class Exchanged:
    """What became of the paint. `lost`: (k,) faces of the new model by sheet, where nothing was found; `dropped`: mesh maps to bake again."""

    relation: Relation
    lost: dict[str, NDArray[np.int32]]
    dropped: tuple[str, ...]


def exchange_model(session: Session, made: Model, label: str, progress: Progress, key: str | None = None) -> Exchanged:
    """Lay a project's paint on another layout of its model, or on another mesh.

    Where the surface is the same, strokes and fills are laid again, sharp, and the rest is resampled; where vertices only moved, what lies on
    them goes with them; else the nearest surface along the normals gives what it has. Sheets are told by their names. `key`: what the model was
    made from, where that took a while. Raises Conflict when it changed meanwhile, InputError when painted sheets would have no place.
    """
    with session.lock:
        if key not in (None, session.surfaces.key):
            raise Conflict("The layout was changed while this one was made, so it was not taken. Do it again.")
        made = replace(made, crease_deg=session.model.crease_deg)
        return _Exchange(session, made, progress).done(label)


class _Exchange:
    def __init__(self, session: Session, made: Model, progress: Progress) -> None:
        self._session, self._made, self._progress = session, made, progress
        progress(0, 1, "Comparing the meshes")
        self._old, self._relation = session.model, relation_of(session.model, made)
        if self._relation == "changed" and (share := share_on(made, self._old)) < LEAST_COMMON:
            raise InputError(
                f"Only {share:.0%} of the new mesh lies near the one that is painted, so the paint was left where it is. Check that both have the "
                "same size, place and axes; or start a new project with it."
            )
        self._parents = parents_of(self._old, made)
        self._plans = plan_sheets(made, session.store.sheet_rule) if made.uv_layouts else []  # type: ignore[arg-type]
        self._planes: dict[str, Plane] = {}
        self._lost: dict[str, NDArray[np.int32]] = {}
        self._dropped: list[str] = []

    def done(self, label: str) -> Exchanged:
        session = self._session
        document, where = self._document()
        there = session.store.planes
        ids = {s.id for s in session.document.sheets}
        before = {n: p for n, p in there.items() if n.split("/")[0] in ids}
        for sheet in session.document.sheets:
            if document.sheet(sheet.id) is not None:
                self._take(sheet, where.get(sheet.id))
        model, document = self._with_picks(document)
        document = self._without_dropped(document)
        blob = session.store.blobs.put_bytes(model.to_bytes())
        changes = {**difference(before, self._planes), MODEL_PLANE: {0: blob}}
        components = {n: p.components for n, p in self._planes.items()} | {MODEL_PLANE: 0}
        script = stored_step(KeptExchange(same_shape=self._relation in ("layout", "shape")))
        self._progress(1, 1, "Storing")
        session.store.commit(
            label, edit=ReplaceDocument(document=document), changes=changes, components=components, script=script, plans=len(self._plans)
        )
        return Exchanged(self._relation, self._lost, tuple(dict.fromkeys(self._dropped)))

    # -- sheets ----------------------------------------------------------------------------------------------------------------------

    def _document(self) -> tuple[Document, dict[str, SheetPlan]]:
        """The document over the new model's sheets, and the plan of each sheet that it keeps."""
        session = self._session
        names = [p.name for p in self._plans]
        textured = session.document.textured
        old_names = {s.id: session.plans[s.plan].name for s in textured}
        by_order = len(names) == len(textured) and not set(names) & set(old_names.values())
        kept: list[Sheet] = []
        where: dict[str, SheetPlan] = {}
        for sheet in session.document.sheets:
            if sheet.of == "vertices":
                kept.append(self._vertices(sheet))
                continue
            index = textured.index(sheet) if by_order else next((i for i, n in enumerate(names) if n == old_names[sheet.id]), None)
            if index is not None:
                where[sheet.id] = self._plans[index]
                kept.append(sheet.model_copy(update={"plan": index}))
            elif any(p.chunks for n, p in session.store.planes.items() if n.split("/")[0] == sheet.id):
                told = ", ".join(f"'{n}'" for n in names[:5]) or "none at all"
                raise InputError(
                    f"The sheet '{old_names[sheet.id]}' is painted, and the new model has no sheet of that name: it has {told}. Give its materials, "
                    "parts or tiles the names they had, or take the paint to vertices first."
                )
        taken = {s.id for s in kept}
        fresh = bare_sheets(self._made, session.store.sheet_rule, USUAL) if self._plans else ()  # type: ignore[arg-type]
        used = {s.plan for s in kept if s.of == "texels"}
        for sheet in fresh:
            if sheet.plan not in used:
                name = sheet.id if sheet.id not in taken else f"{sheet.id[:24]}-new"
                taken.add(name)
                kept.append(sheet.model_copy(update={"id": name}))
        if not kept:
            raise InputError("The new model has no UVs, and this project paints on sheets. Add vertex paint first, or bring a model with UVs.")
        seams = session.document.seams if self._relation in ("layout", "moved") else ()
        hidden = [session.model.parts[p] for p in session.document.hidden_parts]
        still = tuple(i for i, n in enumerate(self._made.parts) if n in hidden)
        document = session.document.model_copy(update={"sheets": tuple(kept), "seams": seams, "hidden_parts": still})
        return document, where

    def _vertices(self, sheet: Sheet) -> Sheet:
        names = {self._old.parts[p] for p in sheet.parts}
        parts = tuple(i for i, n in enumerate(self._made.parts) if n in names)
        if names and not parts:
            told = ", ".join(f"'{n}'" for n in sorted(names)[:5])
            raise InputError(f"Vertex paint lies on {told}, and the new model has no part of that name. Name its parts as they were.")
        count = self._made.vertex_count if not sheet.level else self._levels(sheet).size(sheet.level)[1]
        return sheet.model_copy(update={"parts": parts, "resolution": side_for(count)})

    def _levels(self, sheet: Sheet) -> Subdivision:
        return Subdivision(self._made, sheet.subdivision == "smooth", sheet.sharp_deg, sheet.file_creases)

    # -- paint -----------------------------------------------------------------------------------------------------------------------

    def _take(self, sheet: Sheet, plan: SheetPlan | None) -> None:
        session = self._session
        mine = {n: p for n, p in session.store.planes.items() if n.split("/")[0] == sheet.id and p.chunks}
        if not mine:
            return
        if self._untouched(sheet, plan, mine):
            self._planes |= mine
            return
        old = session.samples(sheet)
        new, levels = self._samples(sheet, plan)
        painter = _Exchanger(session, sheet, old, new, session.faces.finer(self._made, np.maximum(self._parents, 0)), self._relation, levels)
        if self._relation in ("layout", "shape") or (self._relation == "moved" and plan is not None):
            steps = session.store.scripts()
            for done, (_, script, after) in enumerate(steps):
                self._progress(done, len(steps), f"Painting {sheet.name} again")
                painter.take(read_step(script), after)
        self._progress(1, 1, f"Resampling {sheet.name}")
        found = painter.finished()
        for name in self._of_the_old_layout(sheet):
            if found.pop(name, None) is not None:
                self._dropped.append(f"{sheet.name}: {'normal map' if name.endswith('normal-map') else name.split('/')[-1]}")
        self._planes |= found
        if self._relation == "moved":
            # Details are kept vertex by vertex, wherever those lie.
            self._planes |= {n: p for n, p in mine.items() if n.split("/")[1].startswith(DETAIL)}
        lost = painter.lost()
        if len(lost):
            self._lost[sheet.id] = np.unique(new.face[lost]).astype(np.int32)

    def _untouched(self, sheet: Sheet, plan: SheetPlan | None, mine: Iterable[str]) -> bool:
        """Whether each pixel belongs where it did."""
        if plan is None:
            # Paint at a level, or kept for one, belongs to polygons: whole ones, whatever a layout had to cut.
            levelled = sheet.level > 0 or any(n.split("/")[1].startswith(DETAIL) for n in mine)
            return same_places(self._old, self._made) and (not levelled or same_polygons(self._old, self._made))
        old, new = _painted(self._old), _painted(self._made)
        same = self._relation in ("layout", "moved") and np.array_equal(old.corner_uv, new.corner_uv) and np.array_equal(old.uvs, new.uvs)
        return same and np.array_equal(self._session.plans[sheet.plan].faces, plan.faces)

    def _samples(self, sheet: Sheet, plan: SheetPlan | None) -> tuple[SurfaceSamples, Subdivision | None]:
        if plan is not None:
            # A layout has no places: where vertices only moved, paint is laid on it as if they had not.
            model = replace(self._made, positions=self._old.positions) if self._relation == "moved" else self._made
            return SheetSamples(model, plan, sheet.resolution, self._session.workers), None
        levels, parts = self._levels(sheet), self._vertices(sheet).parts
        return VertexSamples(levels.model(sheet.level), parts=parts), levels

    def _of_the_old_layout(self, sheet: Sheet) -> list[str]:
        """Planes whose values are directions in the old layout."""
        if sheet.of == "vertices":
            return []
        maps = [m for m, of in baked_maps().items() if of.needs_tangent]
        return [normal_map_plane_id(sheet.id), *(f(sheet.id, m) for m in maps for f in (base_plane_id, touch_up_plane_id))]

    def _without_dropped(self, document: Document) -> Document:
        """Sheets tell only of the maps that are there."""
        sheets = []
        for sheet in document.sheets:
            gone = {n for n in self._of_the_old_layout(sheet) if n in self._session.store.planes and n not in self._planes}
            maps = tuple(m for m in sheet.mesh_maps if base_plane_id(sheet.id, m.id) not in gone)
            supplied = sheet.normal_map and normal_map_plane_id(sheet.id) not in gone
            sheets.append(sheet.model_copy(update={"mesh_maps": maps, "normal_map": supplied}))
        return document.model_copy(update={"sheets": tuple(sheets)})

    def _with_picks(self, document: Document) -> tuple[Model, Document]:
        """Masks and named groups name the faces they named, whatever those are counted by now."""
        moved = MovedPicks(self._session.faces, self._made, self._parents, document.seams)
        document = with_moved_picks(document, moved)
        return moved.model, document


def _painted(model: Model) -> TextureCoords:
    """The layout that is painted; one of nothing for a model without."""
    return model.uv_layouts[0] if model.uv_layouts else TextureCoords("", np.zeros((0, 2), np.float32), np.zeros(0, np.int32))


class _Exchanger(Carrier):
    """Builds the planes of a sheet anew on another model."""

    def __init__(
        self,
        session: Session,
        sheet: Sheet,
        old: SurfaceSamples,
        new: SurfaceSamples,
        faces: FaceIndex,
        relation: Relation,
        levels: Subdivision | None,
    ) -> None:
        super().__init__(session, sheet, old, new)
        self._faces, self._relation, self._levels = faces, relation, levels

    def resampling(self) -> Resampling:
        reach = REACH * self.new.model.diagonal if self._relation == "changed" else None
        return Resampling(self.old, self.new, workers=self.session.workers, reach=reach)

    def can_lay(self, step: KeptStroke | KeptFlood | KeptCopies) -> bool:
        """What was drawn on the flat sheet belongs to its layout."""
        return not (isinstance(step, KeptStroke) and on_flat_sheet(step)) and super().can_lay(step)

    def faces(self) -> FaceIndex:
        if self._levels is None or not self.sheet.level:
            return self._faces
        return self._faces.finer(self.new.model, self._levels.parents(self.sheet.level))

    def lost(self) -> NDArray[np.int64]:
        """Slots that found nothing; none where the surface is the same."""
        return self.way.lost if self._relation == "changed" else np.zeros(0, np.int64)
