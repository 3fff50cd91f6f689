"""Another layout or mesh under finished paint: there and back, by vertices, by shape, and where nothing is found."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.errors import Conflict, InputError
from ruvelt.core.mesh.model import Model, TextureCoords
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.document import FaceGroup
from ruvelt.core.stack.edits import SetFaceGroups, SetLayer, SetSeams
from ruvelt.core.stack.kinds.sources.faces import FacesSource
from ruvelt.core.stack.masks import Mask
from ruvelt.studio.bakes import BakeRequest
from ruvelt.studio.bring_in import picture_layer
from ruvelt.studio.exchange import exchange_model
from ruvelt.studio.laying import flood
from ruvelt.studio.layout import Placement, pack, place, unwrap_model
from ruvelt.studio.levels import set_level
from ruvelt.studio.repaint import change_resolution
from ruvelt.studio.session import Session
from ruvelt.studio.strokes import PointerSample, StrokeBegin, StrokeMessage
from ruvelt.studio.studio import Studio
from ruvelt.studio.transfer import transfer
from ruvelt.studio.versions import restore_version
from ruvelt.studio.vertex_paint import add_vertex_paint
from tests.meshes import globe

CAMERA = Camera(eye=(0, 0, 4), target=(0, 0, 0), fov_deg=40, width=200, height=200)
RED, BLUE = Paint(values={"base_color": (1.0, 0.0, 0.0)}), Paint(values={"base_color": (0.0, 0.0, 1.0)})


def nothing(done: int, planned: int, what: str) -> None:
    return None


def obj_of(model: Model, layout: TextureCoords) -> bytes:
    """The model as an OBJ with one layout."""
    lines = [f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in model.positions.tolist()] + [f"vt {u:.6f} {v:.6f}" for u, v in layout.uvs.tolist()]
    for a, b in zip(model.face_starts, model.face_starts[1:], strict=False):
        lines.append("f " + " ".join(f"{v + 1}/{t + 1}" for v, t in zip(model.corner_vertex[a:b], layout.corner_uv[a:b], strict=True)))
    return "\n".join([*lines, ""]).encode()


def turned(layout: TextureCoords) -> TextureCoords:
    """The same islands a quarter round and a little smaller."""
    uv = np.stack([0.95 - 0.9 * layout.uvs[:, 1], 0.05 + 0.9 * layout.uvs[:, 0]], axis=1).astype(np.float32)
    return TextureCoords("Turned", np.round(uv, 6), layout.corner_uv)


def ball(studio: Studio, layout: TextureCoords | None = None) -> Session:
    model = globe(32, 16)
    uid = studio.create(obj_of(model, layout or model.uv_layouts[0]), "ball.obj", name="Ball", resolution=512)
    return studio.session(uid)


def target(session: Session) -> Target:
    return Target(sheet=session.document.textured[0].id, layer="l2", channels=("base_color",))


def painted(studio: Studio, session: Session, flat: bool = False) -> None:
    """A flood, and strokes over the front; one on the flat sheet if asked for."""
    flood(session, target(session), RED, None, 0.8)
    brush = Brush(size=0.3, size_unit="object", hardness=0.8)
    for points in (((60, 80), (140, 110)), ((100, 60), (110, 140))):
        begin = StrokeBegin(revision=session.revision, target=target(session), brush=brush, paint=BLUE, camera=CAMERA)
        message = StrokeMessage(
            stroke="s", begin=begin, points=tuple(PointerSample(x=x, y=y, time=i / 60) for i, (x, y) in enumerate(points)), end=True
        )
        assert studio.desk(session.uid).handle(message).stored
    if flat:
        begin = StrokeBegin(
            revision=session.revision, target=target(session), brush=Brush(size=30, size_unit="view"), paint=BLUE, texels_per_pixel=1.0
        )
        points = tuple(PointerSample(x=x, y=200.0, time=x / 600) for x in (150.0, 200.0, 300.0))
        assert studio.desk(session.uid).handle(StrokeMessage(stroke="f", begin=begin, points=points, end=True)).stored


def colours(session: Session) -> tuple[np.ndarray, np.ndarray]:
    """(3, n) codes of base colour on covered texels, and (n, 3) where they lie."""
    sheet = session.document.textured[0]
    display = session.display(sheet.id)
    whole = np.concatenate([display.evaluator.composite("base_color", c) for c in range(display.samples.chunk_count)], axis=1)
    on = display.samples.covered
    return whole[:, on], display.samples.positions[on]


def apart(session: Session, before: tuple[np.ndarray, np.ndarray]) -> np.ndarray:
    """Differences 0–1 of the colour at each place now from that of the nearest place before."""
    from scipy.spatial import cKDTree

    now, at = colours(session)
    _, near = cKDTree(before[1]).query(at)
    return np.abs(now.astype(float) - before[0][:, near]).max(axis=0) / 65535


def with_layout(session: Session, layout: TextureCoords) -> Model:
    return dataclasses.replace(session.model, uv_layouts=(layout,))


def test_a_layout_changed_there_and_back_is_equal_bytes(studio: Studio) -> None:
    session = ball(studio)
    painted(studio, session)
    first, before = session.model.uv_layouts[0], {n: dict(p.chunks) for n, p in session.store.planes.items() if p.chunks}
    exchange_model(session, with_layout(session, turned(first)), "Turn", nothing)
    name = next(n for n in before if n.endswith("l2/base_color"))
    assert dict(session.store.planes[name].chunks) != before[name]
    exchange_model(session, with_layout(session, first), "Back", nothing)
    back = {n: dict(p.chunks) for n, p in session.store.planes.items() if p.chunks and not n.startswith("@model")}
    assert back == before
    for _ in range(2):
        session.undo()
    assert {n: dict(p.chunks) for n, p in session.store.planes.items() if p.chunks} == before


def test_strokes_are_as_sharp_as_if_painted_on_the_new_layout(studio: Studio) -> None:
    session = ball(studio)
    painted(studio, session)
    exchange_model(session, with_layout(session, turned(session.model.uv_layouts[0])), "Turn", nothing)
    other = ball(studio, turned(globe(32, 16).uv_layouts[0]))
    painted(studio, other)
    mine = next(p for n, p in session.store.planes.items() if n.endswith("l2/base_color"))
    theirs = next(p for n, p in other.store.planes.items() if n.endswith("l2/base_color"))
    assert mine.chunks == theirs.chunks
    # And a later change of resolution goes through the exchange as if it had not been.
    for s in (session, other):
        change_resolution(s, s.document.textured[0].id, 1024, nothing)
    mine = next(p for n, p in session.store.planes.items() if n.endswith("l2/base_color"))
    theirs = next(p for n, p in other.store.planes.items() if n.endswith("l2/base_color"))
    assert mine.chunks == theirs.chunks


def test_what_was_painted_flat_and_pictures_stay_where_they_were(studio: Studio) -> None:
    session = ball(studio)
    painted(studio, session, flat=True)
    grid = np.zeros((256, 256, 4), np.uint16)
    grid[..., 3] = 65535
    grid[::2, :, 1] = grid[:, :, 0] = np.linspace(0, 65535, 256).astype(np.uint16)
    picture_layer(session, session.document.textured[0].id, "emission", grid, "Grid")
    before = colours(session)
    exchange_model(session, with_layout(session, turned(session.model.uv_layouts[0])), "Turn", nothing)
    error = apart(session, before)
    assert np.median(error) < 0.002
    assert np.quantile(error, 0.98) < 0.15
    assert session.display(session.document.textured[0].id).evaluator.coverage("emission", 0).max() > 0
    # Flat strokes of before belong to a layout that is gone: other resolutions take them by their pixels, in their places.
    before = colours(session)
    change_resolution(session, session.document.textured[0].id, 256, nothing)
    assert np.quantile(apart(session, before), 0.97) < 0.2


def test_unwrapping_packing_and_placing_lay_the_paint_again(studio: Studio) -> None:
    session = ball(studio)
    painted(studio, session)
    before = colours(session)
    for change in (
        lambda: unwrap_model(session, nothing, 512),
        lambda: pack(session, nothing),
        lambda: place(session, Placement(islands=(0,), scale=0.9)),
    ):
        change()
        assert np.quantile(apart(session, before), 0.97) < 0.12
    for _ in range(3):
        session.undo()
    now = colours(session)
    assert_array_equal(now[0], before[0])


def test_vertices_that_moved_take_their_paint_along(studio: Studio) -> None:
    """The same faces twice as large and bent: sheets keep every byte, and so do vertices, at every level."""
    session = ball(studio)
    painted(studio, session)
    add_vertex_paint(session)
    flood(session, Target(sheet="vertices", layer="l2", channels=("base_color",)), BLUE, (FacePick(by="face", index=40),), 1.0)
    set_level(session, "vertices", 1)
    flood(session, Target(sheet="vertices", layer="l2", channels=("base_color",)), RED, (FacePick(by="face", index=90),), 1.0)
    set_level(session, "vertices", 0)
    sheets = {n: dict(p.chunks) for n, p in session.store.planes.items() if not n.startswith(("vertices", "@"))}
    by_vertex = vertex_values(session)
    bent = (session.model.positions * np.float32(2) + np.float32(0.3) * session.model.positions[:, [1, 2, 0]] ** 2).astype(np.float32)
    made = dataclasses.replace(session.model, positions=np.ascontiguousarray(bent))
    assert exchange_model(session, made, "Bend", nothing).relation == "moved"
    assert {n: dict(p.chunks) for n, p in session.store.planes.items() if not n.startswith(("vertices", "@"))} == sheets
    assert_array_equal(vertex_values(session), by_vertex)
    set_level(session, "vertices", 1)
    on_face = session.samples(session.sheet("vertices")).slots_of_faces(
        session.faces_of(session.sheet("vertices")).mark((FacePick(by="face", index=90),))
    )
    found = session.display("vertices").evaluator.composite("base_color", 0)[:, on_face[:65536]]
    assert (found[0] > 60000).mean() > 0.5


def vertex_values(session: Session) -> np.ndarray:
    samples = session.samples(session.sheet("vertices"))
    whole = np.concatenate([session.display("vertices").evaluator.composite("base_color", c) for c in range(samples.chunk_count)], axis=1)
    return whole[:, samples.slot_of_vertex]  # type: ignore[attr-defined]


def shuffled(model: Model, seed: int = 3) -> tuple[Model, np.ndarray]:
    """The same surface with faces and vertices in another order, every quad cut in two; and the old face of each."""
    rng = np.random.default_rng(seed)
    order = rng.permutation(model.vertex_count)
    rank = np.argsort(order)
    faces = rng.permutation(len(model.triangles))
    corners = model.triangle_corners[faces]
    layout = model.uv_layouts[0]
    made = dataclasses.replace(
        model,
        positions=np.ascontiguousarray(model.positions[order]),
        face_starts=np.arange(0, 3 * len(faces) + 1, 3, dtype=np.int32),
        corner_vertex=rank[model.corner_vertex[corners]].reshape(-1).astype(np.int32),
        face_part=model.face_part[model.triangle_face[faces]],
        face_material=model.face_material[model.triangle_face[faces]],
        uv_layouts=(TextureCoords("UV", layout.uvs, layout.corner_uv[corners].reshape(-1).astype(np.int32)),),
    )
    return made, model.triangle_face[faces]


def test_the_same_shape_in_another_order_keeps_paint_masks_and_groups(studio: Studio) -> None:
    session = ball(studio)
    painted(studio, session)
    sheet = session.document.textured[0]
    picks = (FacePick(by="face", index=200), FacePick(by="face", index=37), FacePick(by="part", index=0))
    session.edit(SetFaceGroups(face_sets=(FaceGroup(id="g1", name="Two", picks=picks[:2]),)), "Groups")
    ground = next(x for x in sheet.layers if x.kind == "fill")
    mask = Mask(sources=(FacesSource(id="m1", picks=picks[:2]),))
    session.edit(SetLayer(sheet=sheet.id, layer=ground.id, values={"mask": mask}), "Mask")
    before, marked = colours(session), session.faces.mark(picks[:2])
    made, parents = shuffled(session.model)
    assert exchange_model(session, made, "Another order", nothing).relation == "shape"
    error = apart(session, before)
    assert np.quantile(error, 0.995) < 0.02
    assert_array_equal(session.faces.mark(session.document.face_sets[0].picks), marked[parents])
    layer = session.document.textured[0].find(ground.id)
    assert layer is not None
    assert layer.mask is not None
    assert_array_equal(session.faces.mark(layer.mask.sources[0].picks), marked[parents])  # type: ignore[attr-defined]
    session.undo()
    assert_array_equal(colours(session)[0], before[0])


def test_a_changed_shape_takes_the_nearest_and_tells_what_found_nothing(studio: Studio) -> None:
    """A ball with a long nose: its back is as it was, and the tip of the nose is far from anything."""
    session = ball(studio)
    painted(studio, session)
    before = colours(session)
    made, _ = shuffled(session.model)
    out = np.maximum(made.positions[:, 0] - 0.7, 0)[:, None] * np.array([6.0, 0, 0])
    made = dataclasses.replace(made, positions=(made.positions + out).astype(np.float32))
    found = exchange_model(session, made, "A nose", nothing)
    assert found.relation == "changed"
    middles = np.array(
        [session.model.positions[session.model.corner_vertex[3 * f : 3 * f + 3]].mean(axis=0) for f in next(iter(found.lost.values()))]
    )
    assert len(middles) > 10
    assert middles[:, 0].min() > 0.7
    back = colours(session)[1][:, 0] < 0.4
    assert np.quantile(apart(session, before)[back], 0.97) < 0.15


def test_meshes_that_have_nothing_in_common_are_refused_in_words(studio: Studio) -> None:
    session = ball(studio)
    painted(studio, session)
    revision, planes = session.revision, dict(session.store.planes)
    far, _ = shuffled(session.model)
    far = dataclasses.replace(far, positions=(far.positions + np.float32(50)))
    with pytest.raises(InputError, match="same size, place and axes"):
        exchange_model(session, far, "Far", nothing)
    bare, _ = shuffled(session.model)
    with pytest.raises(InputError, match="no sheet of that name"):
        exchange_model(session, dataclasses.replace(bare, uv_layouts=()), "No UVs", nothing)
    with pytest.raises(Conflict, match="changed while"):
        exchange_model(session, bare, "Late", nothing, key="another")
    assert (session.revision, dict(session.store.planes)) == (revision, planes)


def test_a_kill_in_the_middle_leaves_the_old_paint(studio: Studio) -> None:
    session = ball(studio)
    painted(studio, session)
    before = colours(session)

    def stop(done: int, planned: int, what: str) -> None:
        if what.startswith("Storing"):
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        exchange_model(session, with_layout(session, turned(session.model.uv_layouts[0])), "Turn", stop)
    uid = session.uid
    studio.release(uid)
    again = studio.session(uid)
    assert_array_equal(colours(again)[0], before[0])
    assert_allclose(again.model.uv_layouts[0].uvs, globe(32, 16).uv_layouts[0].uvs, atol=1e-5)


@pytest.mark.parametrize("change", ["layout", "level", "undo"])
def test_a_stroke_that_was_begun_on_other_ground_is_not_kept(studio: Studio, change: str) -> None:
    """One window draws while another changes what lies under the brush: the stroke is refused, not stored in the wrong places."""
    session = ball(studio)
    painted(studio, session)
    aim = target(session)
    if change == "level":
        aim = Target(sheet=add_vertex_paint(session), layer="l2", channels=("base_color",))
    if change == "undo":
        exchange_model(session, with_layout(session, turned(session.model.uv_layouts[0])), "Turn", nothing)
    begin = StrokeBegin(revision=session.revision, target=aim, brush=Brush(size=0.3, size_unit="object"), paint=BLUE, camera=CAMERA)
    desk = studio.desk(session.uid)
    desk.handle(StrokeMessage(stroke="s", begin=begin, points=(PointerSample(x=80, y=90, time=0),)))
    if change == "layout":
        exchange_model(session, with_layout(session, turned(session.model.uv_layouts[0])), "Turn", nothing)
    elif change == "level":
        set_level(session, "vertices", 1)
    else:
        session.undo()
    planes, revision = {n: dict(p.chunks) for n, p in session.store.planes.items()}, session.revision
    with pytest.raises(Conflict, match="was not kept"):
        desk.handle(StrokeMessage(stroke="s", points=(PointerSample(x=120, y=100, time=0.1),), end=True))
    assert ({n: dict(p.chunks) for n, p in session.store.planes.items()}, session.revision) == (planes, revision)
    # The desk is free for the next one.
    again = begin.model_copy(update={"revision": session.revision})
    assert desk.handle(StrokeMessage(stroke="t", begin=again, points=(PointerSample(x=80, y=90, time=0),), end=True)).stored


def test_a_bake_that_was_begun_on_another_layout_is_not_kept(studio: Studio) -> None:
    session = ball(studio)
    sheet = session.document.textured[0].id
    turns: list[str] = []

    def meanwhile(done: int, planned: int, what: str) -> None:
        if not turns and done:
            turns.append(what)
            exchange_model(session, with_layout(session, turned(session.model.uv_layouts[0])), "Turn", nothing)

    with pytest.raises(Conflict, match="was changed while it was baked"):
        studio.bakery(session.uid).bake(BakeRequest(maps=("facing",), sheets=(sheet,)), meanwhile)
    assert turns
    assert session.sheet(sheet).mesh_maps == ()
    assert not any("@map" in name for name, plane in session.store.planes.items() if plane.chunks)


def test_islands_that_seams_split_are_named_anew_with_them(studio: Studio) -> None:
    """Half an island is picked; on another layout, which has other islands, the same faces are."""
    session = ball(studio)
    painted(studio, session)
    welded, loops = session.model.welded, session.model.corner_vertex
    level = np.abs(session.model.positions[:, 1]) < 1e-4
    pairs = set()
    for a, b in zip(session.model.face_starts, session.model.face_starts[1:], strict=False):
        for v, w in zip(loops[a:b], np.roll(loops[a:b], -1), strict=True):
            if level[v] and level[w]:
                pairs.add(tuple(sorted((int(welded[v]), int(welded[w])))))
    session.edit(SetSeams(seams=tuple(sorted(pairs))), "Split")  # type: ignore[arg-type]
    labels = session.faces.labels("island")
    assert len(np.unique(labels)) == 2
    picks = (FacePick(by="island", index=int(labels[-1])),)
    session.edit(SetFaceGroups(face_sets=(FaceGroup(id="g1", name="Half", picks=picks),)), "Group")
    marked = session.faces.mark(picks)
    assert 0.3 < marked.mean() < 0.7
    exchange_model(session, with_layout(session, turned(session.model.uv_layouts[0])), "Turn", nothing)
    assert_array_equal(session.faces.mark(session.document.face_sets[0].picks), marked)
    unwrap_model(session, nothing, 512)
    if session.model.face_count == len(marked):
        assert_array_equal(session.faces.mark(session.document.face_sets[0].picks), marked)


def test_moved_vertices_on_another_layout_are_laid_as_if_they_had_not_moved(studio: Studio) -> None:
    """However far a mesh was bent, the same faces on the new layout have what they would have had without the bend, to the byte."""
    found = []
    for bend in (False, True):
        session = ball(studio)
        painted(studio, session, flat=True)
        made = with_layout(session, turned(session.model.uv_layouts[0]))
        if bend:
            made = dataclasses.replace(made, positions=np.ascontiguousarray(made.positions[:, [2, 0, 1]] * np.float32(5) + np.float32(3)))
        assert exchange_model(session, made, "Turn", nothing).relation == ("moved" if bend else "layout")
        found.append({n.split("/", 1)[1]: dict(p.chunks) for n, p in session.store.planes.items() if not n.startswith("@") and p.chunks})
    assert found[0] == found[1]


def test_levels_of_other_polygons_are_carried_by_place_not_by_number(studio: Studio) -> None:
    """The same vertices, every quad cut in two: at a level above, what lies on the surface stays where it was."""
    session = ball(studio)
    add_vertex_paint(session)
    set_level(session, "vertices", 1)
    flood(session, Target(sheet="vertices", layer="l2", channels=("base_color",)), RED, tuple(FacePick(by="face", index=i) for i in range(200)), 1.0)
    samples = session.samples(session.sheet("vertices"))
    top = samples.positions[samples.covered][session.display("vertices").evaluator.composite("base_color", 0)[0, samples.covered[:65536]] > 60000]
    made, _ = shuffled(session.model)
    cut = dataclasses.replace(session.model, face_starts=made.face_starts, corner_vertex=np.ascontiguousarray(session.model.triangles.reshape(-1)))
    cut = dataclasses.replace(
        cut,
        face_part=session.model.face_part[session.model.triangle_face],
        face_material=session.model.face_material[session.model.triangle_face],
        uv_layouts=(dataclasses.replace(cut.uv_layouts[0], corner_uv=cut.uv_layouts[0].corner_uv[session.model.triangle_corners].reshape(-1)),),
    )
    assert exchange_model(session, cut, "Cut", nothing).relation == "shape"
    after = session.samples(session.sheet("vertices"))
    red = session.display("vertices").evaluator.composite("base_color", 0)[0, after.covered[:65536]] > 60000
    assert red.any()
    assert after.positions[after.covered][red][:, 1].max() < top[:, 1].max() + 0.08
    low = after.positions[after.covered][:, 1] < top[:, 1].max() - 0.15
    assert red[low].mean() > 0.95


def test_parts_of_vertex_paint_that_a_new_mesh_lacks_are_told(studio: Studio) -> None:
    session = ball(studio)
    made, _ = shuffled(session.model)
    two = dataclasses.replace(session.model, parts=("Ball", "Rest"))
    session.store.commit(
        "Two parts", changes={"@model/current/mesh": {0: session.store.blobs.put_bytes(two.to_bytes())}}, components={"@model/current/mesh": 0}
    )
    add_vertex_paint(session, parts=(0,))
    with pytest.raises(InputError, match="no part of that name"):
        exchange_model(session, dataclasses.replace(made, parts=("Other",)), "Renamed", nothing)


def test_a_version_brought_back_at_another_level_does_not_stop_a_trip(studio: Studio) -> None:
    """Details of finer levels in a step without a hand are no planes of the level that is taken along."""
    session = ball(studio)
    add_vertex_paint(session)
    aim = Target(sheet="vertices", layer="l2", channels=("base_color",))
    flood(session, aim, BLUE, None, 1.0)
    set_level(session, "vertices", 4)
    picks = tuple(FacePick(by="face", index=i) for i in range(100, 400))
    flood(session, aim, RED, picks, 1.0)
    set_level(session, "vertices", 0)
    session.store.add_version("Fine detail")
    set_level(session, "vertices", 4)
    flood(session, aim, BLUE, None, 1.0)
    restore_version(session, session.store.versions()[0].id)
    assert any("@level-4" in name and max(plane.chunks) > 0 for name, plane in session.store.planes.items() if plane.chunks)
    sheet = session.document.textured[0].id
    transfer(session, "vertices", sheet)
    found = session.display(sheet).evaluator.composite("base_color", 0)
    texels = session.texels(session.sheet(sheet))
    inside = (texels.face[: len(found[0])] > 150) & (texels.face[: len(found[0])] < 350)
    assert (found[0, inside] > 60000).mean() > 0.95
