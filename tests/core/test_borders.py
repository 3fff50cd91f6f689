"""Blur and growth do not stop where one sheet ends and another begins: a model of two sheets against the same model of one."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from numpy.testing import assert_allclose
from scipy.spatial import cKDTree

from ruvelt.core.mesh.facts import Material
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.planes.cache import BoundedCache
from ruvelt.core.planes.plane import MemoryChunks, Plane
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.collar import Collar
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.beyond import Borders
from ruvelt.core.stack.document import Document, MeshMap, PaintLayer, Sheet
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.lookup import StoredPlanes
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import base_plane_id
from tests.meshes import globe, square

# A seed whose edges cross the border in both halves: where hardly one does there is nothing to get wrong, and a ratio says nothing.
NOISE = {"id": "n", "kind": "noise", "size": 0.05, "octaves": 2, "seed": 10}


def halved(model: Model) -> Model:
    """The same with the faces on the right in a material, and so a sheet, of their own."""
    middle = np.add.reduceat(model.positions[model.corner_vertex, 0].astype(float), model.face_starts[:-1].astype(int)) / np.diff(model.face_starts)
    return replace(model, materials=(Material("Left"), Material("Right")), face_material=(middle > 1e-6).astype(np.int32))


def grid(cells: int = 8) -> Model:
    """A square of 2 × 2 units as quads, so that it can be divided."""
    n = cells + 1
    x, y = np.meshgrid(np.linspace(-1, 1, n), np.linspace(-1, 1, n))
    faces = [[r * n + c, r * n + c + 1, (r + 1) * n + c + 1, (r + 1) * n + c] for r in range(cells) for c in range(cells)]
    points = np.stack([x, y, np.zeros_like(x)], -1).reshape(-1, 3)
    plain = square()
    layout = replace(plain.uv_layouts[0], uvs=((points[:, :2] + 1) / 2).astype(np.float32), corner_uv=np.array(faces, np.int32).ravel())
    return replace(
        plain,
        positions=points.astype(np.float32),
        face_starts=np.arange(0, 4 * len(faces) + 1, 4, dtype=np.int32),
        corner_vertex=np.array(faces, np.int32).ravel(),
        face_part=np.zeros(len(faces), np.int32),
        face_material=np.zeros(len(faces), np.int32),
        uv_layouts=(layout,),
    )


class Bench:
    """Sheets of a model in memory, each with one paint layer that has a mask."""

    def __init__(self, model: Model, steps: tuple[dict[str, object], ...], side: int = 512) -> None:
        self.plans = plan_sheets(model)
        self.mask = Mask(sources=steps)  # type: ignore[arg-type]
        layer = PaintLayer(id="p", name="P", mask=self.mask)
        sheets = tuple(Sheet(id=f"s{i}", name=p.name, plan=i, resolution=side, layers=(layer,)) for i, p in enumerate(self.plans))
        self.document, self.model = Document(sheets=sheets), model
        self.samples = [SheetSamples(model, p, side) for p in self.plans]
        self.store, self.planes = MemoryChunks(), dict[str, Plane]()

    def values(self, sheet: int, borders: bool = True) -> tuple[np.ndarray, np.ndarray]:
        """Places (n, 3) of the covered texels, and the mask there, 0–1."""
        samples = self.samples[sheet]
        over = Borders(samples, self.plans) if borders else None
        lookup, faces = StoredPlanes(self.planes, self.store), FaceIndex(self.model)
        evaluator = SheetEvaluator(self.document, self.document.sheets[sheet], samples, faces, lookup, BoundedCache(256 << 20), borders=over)
        found = []
        for chunk in range(samples.chunk_count):
            value = evaluator.mask_chunk(self.mask, "p", chunk)
            found.append(np.full(CHUNK, value) if isinstance(value, float) else value / 65535)
        return samples.positions[samples.covered], np.concatenate(found)[samples.covered]


@pytest.mark.parametrize("make", [grid, globe])
@pytest.mark.parametrize(
    "spread", [{"id": "b", "kind": "blur", "radius": 0.01}, {"id": "b", "kind": "blur", "radius": 0.05}, {"id": "g", "kind": "grow", "amount": 0.01}]
)
def test_two_sheets_come_to_what_one_sheet_does(make: object, spread: dict[str, object]) -> None:
    whole = make()  # type: ignore[operator]
    shape = {"id": "l", "kind": "levels", "in_low": 0.45, "in_high": 0.55}
    steps = (NOISE, shape, spread)
    places, truth = Bench(whole, steps).values(0)
    two = Bench(halved(whole), steps)
    tree = cKDTree(places)
    for sheet in (0, 1):
        at, got = two.values(sheet)
        _, without = two.values(sheet, borders=False)
        near = (np.abs(at[:, 0]) < 0.02) & (np.abs(at[:, 1]) < 0.8)
        expected = truth[tree.query(at[near])[1]]
        off, off_without = np.abs(got[near] - expected), np.abs(without[near] - expected)
        # Hard edges meet other texels of a globe's stretched layout.
        assert off.mean() < (0.5 if spread["kind"] == "grow" and make is globe else 0.25) * off_without.mean()
        assert off.mean() < 0.02


def test_what_reads_a_sheets_own_paint_stays_within_it() -> None:
    steps = ({"id": "m", "kind": "painted", "base": 1.0}, {"id": "b", "kind": "blur", "radius": 0.05})
    _, got = Bench(halved(grid()), steps).values(0)
    assert_allclose(got, 1.0)


def test_a_collar_is_the_surface_within_its_reach() -> None:
    model = halved(grid())
    plans = plan_sheets(model)
    samples = SheetSamples(model, plans[0], 256)
    for reach in (0.02, 0.2, 0.7):
        collar = Collar(samples, plans, reach)
        p = collar.positions[collar.covered]
        assert p[:, 0].min() > -1e-6
        assert p[:, 0].max() <= reach
        # A strip of 2 units by the reach, each point with its share of it.
        assert collar.area() == pytest.approx(2 * reach, rel=0.03)
        assert_allclose(collar.normals[collar.covered], [[0, 0, 1]] * len(p), atol=1e-6)
        assert_allclose(collar.uv[collar.covered], np.stack([(p[:, 0] + 1) / 2, (1 - p[:, 1]) / 2], 1), atol=1e-5)


def test_masks_that_come_in_turn_do_not_make_their_collars_anew() -> None:
    model = halved(grid())
    plans = plan_sheets(model)
    borders = Borders(SheetSamples(model, plans[0], 256), plans)
    first, second = borders.within(0.05), borders.within(0.3)
    assert first is not None
    assert second is not None
    assert borders.within(0.05) == first
    assert borders.within(0.3) == second
    # Slightly more needs no other.
    assert borders.within(0.051) == first
    for reach in (0.02, 0.5, 0.8):
        borders.within(reach)
    assert borders.within(0.05) != first


def test_a_mesh_map_is_read_where_the_other_sheet_has_it() -> None:
    """Curvature is 1 on the right sheet and 0 on the left: widened, both come to a half at the border."""
    bench = Bench(halved(grid()), ({"id": "c", "kind": "curvature", "which": "both", "low": 0.0, "high": 1.0, "radius": 0.03},))
    sheets = tuple(s.model_copy(update={"mesh_maps": (MeshMap(id="curvature"),)}) for s in bench.document.sheets)
    bench.document = Document(sheets=sheets)
    for sheet, value in zip(sheets, (32768, 65535), strict=True):
        values_u16 = np.stack([np.full(CHUNK, value, np.uint16), np.full(CHUNK, 65535, np.uint16)])
        keys = {c: bench.store.put(values_u16) for c in range(4)}
        bench.planes[base_plane_id(sheet.id, "curvature")] = Plane(2, keys)
    profile = []
    for sheet in (0, 1):
        at, got = bench.values(sheet)
        near = (np.abs(at[:, 0]) < 0.01) & (np.abs(at[:, 1]) < 0.8)
        profile.append(got[near].mean())
        assert np.ptp(got[near]) < 0.12
    # A hundredth apart on a slope of 1/σ√2π, σ a share of the diagonal.
    assert abs(profile[0] - profile[1]) == pytest.approx(0.01 / (0.03 * np.sqrt(8) * np.sqrt(2 * np.pi)), abs=0.03)
    assert np.mean(profile) == pytest.approx(0.5, abs=0.04)
