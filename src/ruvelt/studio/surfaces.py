"""The model of an open project, what follows from it alone, and rays against it."""

from __future__ import annotations

from dataclasses import replace
from threading import RLock

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush.snapping import EdgeGraph
from ruvelt.core.inspect.check import Finding
from ruvelt.core.inspect.findings import find_problems
from ruvelt.core.lazy import lazy
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.mesh.seams import Edges
from ruvelt.core.mesh.sheets import SheetPlan, plan_sheets
from ruvelt.core.mesh.subdivide import Subdivision
from ruvelt.core.samples.vertices import vertex_normals
from ruvelt.core.stack.document import Sheet
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.plane_ids import high_plane_id
from ruvelt.store.project_store import ProjectStore
from ruvelt.studio.memory import held_bytes

#: What Embree keeps of a triangle, as measured from outside.
RAY_BYTES = 120


class Surface:
    """A model and what follows from it alone."""

    def __init__(self, model: Model, rule: str, laid_out: bool) -> None:
        self.model, self._rule, self._laid_out = model, rule, laid_out
        self._faces: tuple[Edges, FaceIndex] | None = None

    def faces(self, seams: Edges) -> FaceIndex:
        if self._faces is None or self._faces[0] != seams:
            self._faces = (seams, FaceIndex(self.model, seams))
        return self._faces[1]

    @lazy
    def vertex_normals(self) -> NDArray[np.float32]:
        """See `vertex_normals`."""
        return vertex_normals(self.model)

    @lazy
    def plans(self) -> list[SheetPlan]:
        return plan_sheets(self.model, self._rule) if self._laid_out else []  # type: ignore[arg-type]

    @lazy
    def findings(self) -> list[Finding]:
        return find_problems(self.model, self.plans)


class LevelSurface:
    """A level of subdivision above a surface, as far as vertex paint asks."""

    def __init__(self, base: Surface, levels: Subdivision, level: int) -> None:
        self._base, self._parents = base, levels.parents(level)
        self.model, self._places = levels.model(level), levels.places(level)
        self._faces: tuple[FaceIndex, FaceIndex] | None = None

    @lazy
    def vertex_normals(self) -> NDArray[np.float32]:
        """See `vertex_normals`."""
        return vertex_normals(self.model, self._places)

    def faces(self, seams: Edges) -> FaceIndex:
        coarse = self._base.faces(seams)
        if self._faces is None or self._faces[0] is not coarse:
            self._faces = (coarse, coarse.finer(self.model, self._parents))
        return self._faces[1]


class Surfaces:
    """What is read of a project's meshes; made anew when another UV layout came, an undo took one back, or the crease angle changed."""

    def __init__(self, store: ProjectStore, lock: RLock) -> None:
        self._store, self._lock = store, lock
        self._kept: tuple[str, Surface] | None = None
        self._caster: tuple[tuple[object, ...], str, RayCaster] | None = None
        self._levels: tuple[str, Subdivision] | None = None
        self._raised: dict[str, LevelSurface] = {}
        self._edges: tuple[RayCaster, EdgeGraph] | None = None
        self._high: dict[str, Model] = {}

    @property
    def key(self) -> str:
        """What everything made from the model depends on: its content, and the crease angle, which normals follow."""
        return f"{self._store.model_key}@{self._store.document.settings.crease_deg:g}"

    @property
    def now(self) -> Surface:
        key = self.key
        with self._lock:
            if self._kept is None or self._kept[0] != key:
                model = self._creased(Model.from_bytes(self._store.blobs.get_bytes(self._store.model_key)))
                self._kept = (key, Surface(model, self._store.sheet_rule, bool(self._store.document.textured)))
            return self._kept[1]

    def key_of(self, sheet: Sheet) -> str:
        """The same for what is made of a sheet, or of vertices at their level."""
        return f"{self.key}^{sheet.level}{_rule(sheet)}" if sheet.level else self.key

    def of(self, sheet: Sheet) -> Surface | LevelSurface:
        """What a sheet's samples lie on: the model, or the level of it that its vertices are painted at."""
        if not sheet.level:
            return self.now
        key = self.key_of(sheet)
        with self._lock:
            levels = self.levels(sheet)
            if key not in self._raised:
                self._raised[key] = LevelSurface(self.now, levels, sheet.level)
            return self._raised[key]

    def levels(self, sheet: Sheet) -> Subdivision:
        """The levels of vertices, by their rule."""
        key = f"{self.key}{_rule(sheet)}"
        with self._lock:
            if self._levels is None or self._levels[0] != key:
                self._raised = {}
                self._levels = (key, Subdivision(self.now.model, sheet.subdivision == "smooth", sheet.sharp_deg, sheet.file_creases))
            return self._levels[1]

    def forget_levels(self) -> None:
        self._levels, self._raised = None, {}

    def _creased(self, model: Model) -> Model:
        return replace(model, crease_deg=self._store.document.settings.crease_deg)

    def high_model(self, key: str) -> Model:
        """A high mesh that bakes measure, read once."""
        blob = self._store.planes[high_plane_id(key)].chunks[0]
        with self._lock:
            found = self._high.get(blob)
            if found is None or found.crease_deg != self._store.document.settings.crease_deg:
                self._high[blob] = self._creased(found or Model.from_bytes(self._store.blobs.get_bytes(blob)))
            return self._high[blob]

    def hidden_faces(self, sheet: Sheet | None = None) -> NDArray[np.bool_] | None:
        """(f,) bool of the model, or of what a sheet's samples lie on; None where all is visible."""
        document = self._store.document
        if not (document.hidden_parts or document.hidden_picks or document.shown_picks):
            return None
        surface = self.now if sheet is None else self.of(sheet)
        return surface.faces(document.seams).away(document.hidden_parts, document.hidden_picks, document.shown_picks)

    def _model_of(self, sheet: Sheet | None) -> Model:
        return self.now.model if sheet is None else self.of(sheet).model

    def caster(self, sheet: Sheet | None = None) -> RayCaster:
        """Rays against what is visible: the model, or what a sheet's samples lie on."""
        with self._lock:
            document, key = self._store.document, self.key if sheet is None else self.key_of(sheet)
            hidden = (document.hidden_parts, document.hidden_picks, document.shown_picks)
            if self._caster is None or self._caster[:2] != (hidden, key):
                faces = self.hidden_faces(sheet)
                self._caster = (hidden, key, RayCaster(self._model_of(sheet), None if faces is None else ~faces))
            return self._caster[2]

    def edge_graph(self, sheet: Sheet | None = None) -> EdgeGraph:
        """The sharp edges of the model, seen as far as it is visible."""
        with self._lock:
            caster = self.caster(sheet)
            if self._edges is None or self._edges[0] is not caster:
                self._edges = (caster, EdgeGraph(self._model_of(sheet), caster))
            return self._edges[1]

    @property
    def model_bytes(self) -> int:
        """Held by the model itself, which samples share; 0 before it is read. Takes no lock and makes nothing, like the others here."""
        return 0 if self._kept is None else held_bytes([self._kept[1].model])

    @property
    def bytes(self) -> int:
        caster = self._caster
        rays = 0 if caster is None else caster[2].triangle_count * RAY_BYTES
        return held_bytes([self._kept, self._edges, caster]) + rays

    @property
    def level_bytes(self) -> int:
        return held_bytes([self._levels, self._raised]) - self.model_bytes if self._levels or self._raised else 0

    @property
    def high_bytes(self) -> int:
        return held_bytes([self._high]) if self._high else 0

    def forget_high(self) -> None:
        self._high = {}


def _rule(sheet: Sheet) -> str:
    return f"/{sheet.subdivision}/{'' if sheet.sharp_deg is None else format(sheet.sharp_deg, 'g')}{'/file' if sheet.file_creases else ''}"
