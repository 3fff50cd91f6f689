"""Bakes of a project: stored as one step, old maps kept on cancel, touch-ups kept by a new bake, strokes beside a bake."""

from __future__ import annotations

import threading
from pathlib import Path

import cv2
import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.bake.pairs import PartPair
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.brush.script import parse_script
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import CloneFrom, Paint, Target
from ruvelt.core.errors import Cancelled, Conflict, InputError, NotFound
from ruvelt.core.output.presets import BUILT_IN
from ruvelt.core.samples.address import CHUNK
from ruvelt.studio import bakes
from ruvelt.studio.bakes import (
    BakeRequest,
    MeshUpload,
    add_cage,
    add_high_mesh,
    begin_straight,
    import_map,
    pair_table,
    remove_cage,
    remove_high_mesh,
    remove_map,
    set_touch_up,
    suspects,
)
from ruvelt.studio.bring_in import picture_layer
from ruvelt.studio.exports import export_project
from ruvelt.studio.laying import flood
from ruvelt.studio.looking import pick
from ruvelt.studio.recording import script_since
from ruvelt.studio.repaint import change_resolution
from ruvelt.studio.replay import replay
from ruvelt.studio.session import Session
from ruvelt.studio.strokes import StrokeDesk, StrokeMessage
from ruvelt.studio.studio import Studio
from tests.meshes import CUBE_MTL, cube_obj
from tests.studio.test_studio import begin, points

QUICK = BakeSettings(rays=4)
TOUCH = Target(sheet="wood", mesh_map="occlusion")


def nothing(done: int, planned: int, what: str) -> None:
    return None


def composite(session: Session, map_id: str, sheet: str = "wood") -> np.ndarray:
    display = session.display(sheet)
    return np.concatenate([display.evaluator.composite(f"map:{map_id}", c) for c in range(display.samples.chunk_count)], axis=1)


def request(*maps: str, **more: object) -> BakeRequest:
    return BakeRequest.model_validate({"maps": maps, "settings": QUICK, **more})


def grown_cube(by: float = 1.01, shift: float = 0.0) -> bytes:
    """The cube a little larger, as a high mesh."""
    lines = cube_obj().decode().splitlines()
    moved = ["v " + " ".join(str(float(x) * by + shift) for x in line.split()[1:]) if line.startswith("v ") else line for line in lines]
    return "\n".join(moved).encode()


def touch(session: Session, value: float) -> None:
    flood(session, TOUCH, Paint(values={"map:occlusion": (value,)}), None, 0.5)


def test_a_bake_is_one_step_of_history(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    told = studio.bakery(cube).bake(request("occlusion", "position"))
    assert told["maps"] == ["occlusion", "position"]
    assert [m.id for m in session.document.sheets[0].mesh_maps] == ["occlusion", "position"]
    assert session.document.sheets[0].mesh_maps[0].source == "model"
    assert session.document.sheets[0].mesh_maps[0].settings["rays"] == 4
    assert session.store.history()[0].label == "Bake Occlusion, Position"
    samples = session.display("wood").samples
    assert composite(session, "occlusion")[0][samples.covered].min() == 65535
    session.undo()
    assert session.document.sheets[0].mesh_maps == ()
    session.redo()
    assert composite(session, "occlusion")[0][samples.covered].min() == 65535


def test_baked_maps_are_exported_with_their_touch_up_and_padding(studio: Studio, cube: str, tmp_path: Path) -> None:
    session = studio.session(cube)
    preset = next(p for p in BUILT_IN if p.id == "baked-maps")
    with pytest.raises(InputError, match="bake"):
        export_project(session, preset, tmp_path / "none")
    studio.bakery(cube).bake(request("occlusion", "position", sheets=["wood"]))
    touch(session, 0.0)
    files = export_project(session, preset, tmp_path / "maps")
    assert [(f.sheet, f.map, f.bits, f.colour_space) for f in files] == [("Wood", "occlusion", 16, "data"), ("Wood", "position", 16, "data")]
    samples = session.display("wood").samples
    covered = samples.to_image(samples.covered)
    for file, map_id in zip(files, ("occlusion", "position"), strict=True):
        picture = cv2.imread(str(tmp_path / "maps" / file.name), cv2.IMREAD_UNCHANGED)
        picture = picture[..., None] if picture.ndim == 2 else picture[..., ::-1]
        expected = samples.to_image(np.ascontiguousarray(composite(session, map_id).T))
        assert_array_equal(picture[covered], expected[covered])
        if map_id == "occlusion":
            # Half-way to black by the touch-up, and the padding repeats it outside the islands.
            ring = cv2.dilate(covered.astype(np.uint8), np.ones((9, 9), np.uint8)).astype(bool) & ~covered
            assert ring.any()
            assert np.unique(picture[covered | ring]).tolist() == [32767]


def test_a_cancelled_bake_leaves_the_old_map(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    desk = studio.bakery(cube)
    desk.bake(request("position"))
    before, revision = composite(session, "position"), session.revision

    def stop(done: int, planned: int, what: str) -> None:
        if done > planned // 2:
            raise Cancelled("Stopped.")

    with pytest.raises(Cancelled):
        desk.bake(request("position", "occlusion"), stop)
    assert session.revision == revision
    assert_array_equal(composite(session, "position"), before)
    assert desk.run is None
    desk.bake(request("facing"))


def test_a_crash_leaves_the_old_map_and_frees_the_desk(studio: Studio, cube: str, monkeypatch: pytest.MonkeyPatch) -> None:
    session, desk = studio.session(cube), studio.bakery(cube)
    revision = session.revision

    def crash(*_: object) -> None:
        raise MemoryError

    monkeypatch.setattr("ruvelt.core.bake.baker.Baker._chunk", crash)
    with pytest.raises(MemoryError):
        desk.bake(request("position"))
    monkeypatch.undo()
    assert session.revision == revision
    desk.bake(request("position"))


def test_a_new_bake_keeps_the_touch_up(studio: Studio, cube: str) -> None:
    session, desk = studio.session(cube), studio.bakery(cube)
    desk.bake(request("occlusion"))
    touch(session, 0.0)
    covered = session.display("wood").samples.covered
    assert_allclose(composite(session, "occlusion")[0][covered] / 65535, 0.5, atol=1e-4)
    desk.bake(request("occlusion", settings=BakeSettings(rays=8)))
    assert_allclose(composite(session, "occlusion")[0][covered] / 65535, 0.5, atol=1e-4)
    set_touch_up(session, "wood", "occlusion", False)
    assert (composite(session, "occlusion")[0][covered] == 65535).all()
    desk.bake(request("occlusion"))
    assert not session.document.sheets[0].mesh_maps[0].touch_up
    with pytest.raises(Conflict, match="switched off"):
        touch(session, 0.0)
    set_touch_up(session, "wood", "occlusion", True)
    assert_allclose(composite(session, "occlusion")[0][covered] / 65535, 0.5, atol=1e-4)


def test_everything_survives_a_restart(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    add_high_mesh(session, MeshUpload(grown_cube(), "grown.obj"), nothing)
    studio.bakery(cube).bake(request("height", "occlusion"))
    touch(session, 0.2)
    before = composite(session, "height"), composite(session, "occlusion")
    studio.close()
    again = Studio(studio.data)
    back = again.session(cube)
    assert_array_equal(composite(back, "height"), before[0])
    assert_array_equal(composite(back, "occlusion"), before[1])
    assert back.surfaces.high_model("grown").face_count == 6
    again.close()


def test_from_a_high_mesh(studio: Studio, cube: str) -> None:
    session, desk = studio.session(cube), studio.bakery(cube)
    key = add_high_mesh(session, MeshUpload(grown_cube(), "grown.obj"), nothing)
    assert [m.triangles for m in session.document.high_meshes] == [12]
    desk.bake(request("height", settings=BakeSettings(rays=4, front=0.02, back=0.02)))
    samples = session.display("wood").samples
    middle = samples.covered & (np.abs(samples.positions).max(axis=1) < 1.001) & (np.abs(samples.positions[:, 1]) < 0.3)
    middle &= np.minimum(np.abs(samples.positions[:, 0]), np.abs(samples.positions[:, 2])) < 0.3
    height = (composite(session, "height")[0][middle] / 32767.5 - 1) * 0.02 * session.model.diagonal
    # Along the averaged normals of the middle of a face the larger cube lies 0.01 above, a little more where they lean.
    assert_allclose(height, 0.01, atol=0.0015)
    assert suspects(session) == []
    assert session.document.sheets[0].mesh_maps[0].source == "high"
    remove_high_mesh(session, key)
    assert session.document.high_meshes == ()
    session.undo()
    assert session.surfaces.high_model(key).face_count == 6
    with pytest.raises(NotFound):
        remove_high_mesh(session, "other")


def test_suspects_are_counted_by_part(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    # A part without a partner is measured against nothing, until somebody says otherwise.
    add_high_mesh(session, MeshUpload(cube_obj().replace(b"o Upper", b"o Lower"), "sides.obj"), nothing)
    far = grown_cube(1.2)
    studio.bakery(cube).bake(request("height"))
    assert {(f["part"], f["missed"] > 0, f["other"]) for f in suspects(session)} == {("Upper", True, 0)}
    table = pair_table(session, QUICK)
    assert [(r["low"], r["to"], r["said"]) for r in table["rows"]] == [("Lower", "parts", False), ("Upper", "nothing", False)]
    said = QUICK.model_copy(update={"pairs": (PartPair(low="Upper", to="everything"),)})
    studio.bakery(cube).bake(BakeRequest(maps=("height",), settings=said))
    assert suspects(session) == []
    remove_high_mesh(session, "sides")
    add_high_mesh(session, MeshUpload(far, "far.obj"), nothing)
    studio.bakery(cube).bake(request("height"))
    found = suspects(session)
    assert {(f["sheet"], f["part"]) for f in found} == {("wood", "Lower"), ("iron", "Upper")}
    covered = {s.id: session.display(s.id).samples.covered_count for s in session.document.sheets}
    assert all(f["missed"] == covered[f["sheet"]] for f in found)


def test_suspects_go_with_the_bake_that_made_them(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    add_high_mesh(session, MeshUpload(grown_cube(1.2), "far.obj"), nothing)
    studio.bakery(cube).bake(request("height"))
    assert suspects(session) != []
    studio.bakery(cube).bake(request("occlusion", source="model"))
    assert suspects(session) == []
    assert all(m.id != "suspects" for s in session.document.sheets for m in s.mesh_maps)
    session.undo()
    assert suspects(session) != []


def test_a_cage_comes_goes_and_is_undone(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    add_high_mesh(session, MeshUpload(cube_obj(), "high.obj"), nothing)
    with pytest.raises(InputError, match="same vertices in the same order"):
        add_cage(session, MeshUpload(cube_obj().replace(b"f ", b"# f ", 1), "other.obj"), nothing)
    assert session.document.cage_mesh is None
    add_cage(session, MeshUpload(grown_cube(1.1), "cage.obj"), nothing)
    add_cage(session, MeshUpload(grown_cube(1.2), "cage.obj"), nothing)
    assert session.document.cage_mesh is not None
    assert [m.key for m in session.document.high_meshes] == ["high"]
    assert len([n for n, p in session.store.planes.items() if n.startswith("@high/") and p.chunks]) == 2
    wide = BakeSettings(rays=4, cage="file", front=0.001, back=0.02)
    studio.bakery(cube).bake(BakeRequest(maps=("height",), settings=wide))
    assert suspects(session) == []
    remove_cage(session)
    assert session.document.cage_mesh is None
    session.undo()
    assert session.document.cage_mesh is not None
    remove_high_mesh(session, "high")
    assert session.document.cage_mesh is not None
    remove_cage(session)
    with pytest.raises(NotFound):
        remove_cage(session)


def test_rays_are_painted_straight(studio: Studio, cube: str) -> None:
    """White over a sheet turns an averaged cage into one of straight rays; strokes, undo and a new bake know it like any touch-up."""
    session = studio.session(cube)
    add_high_mesh(session, MeshUpload(grown_cube(1.01), "grown.obj"), nothing)
    slanted = BakeSettings(rays=4, cage="averaged")
    studio.bakery(cube).bake(BakeRequest(maps=("position",), settings=slanted))
    before = composite(session, "position")
    begin_straight(session, "wood")
    begin_straight(session, "wood")
    flood(session, Target(sheet="wood", mesh_map="straight"), Paint(values={"map:straight": (1.0,)}), None, 1.0)
    studio.bakery(cube).bake(BakeRequest(maps=("position",), settings=slanted))
    after = composite(session, "position")
    straight = BakeSettings(rays=4, cage="split")
    studio.bakery(cube).bake(BakeRequest(maps=("position",), settings=straight))
    wanted = composite(session, "position")
    assert np.abs(after.astype(int) - wanted).max() <= 2
    assert np.abs(before.astype(int) - wanted).max() > 300
    assert next(m for m in session.sheet("wood").mesh_maps if m.id == "straight").source == "hand"


def test_grain_is_evened_over_the_border_of_two_sheets(studio: Studio, cube: str) -> None:
    """Baked together, a sheet's rim knows its neighbours'; with one sheet alone it does not. Both sheets arrive twice, and once in the store."""
    session = studio.session(cube)
    settings = BakeSettings(rays=4, grain=1.0)
    studio.bakery(cube).bake(BakeRequest(maps=("thickness",), settings=settings))
    both = composite(session, "thickness")
    studio.bakery(cube).bake(BakeRequest(maps=("thickness",), sheets=("wood",), settings=settings))
    alone = composite(session, "thickness")
    different = (both != alone).any(axis=0)
    assert 0 < different.mean() < 0.5
    bare = BakeSettings(rays=4, grain=0)
    studio.bakery(cube).bake(BakeRequest(maps=("thickness",), settings=bare))
    covered = session.display("wood").samples.covered
    grainy = composite(session, "thickness")[0][: len(covered)][covered].astype(float)
    assert both[0][: len(covered)][covered].std() < 0.75 * grainy.std()


def test_progress_speaks_before_the_first_ray(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    add_high_mesh(session, MeshUpload(cube_obj(), "sides.obj"), nothing)
    heard: list[str] = []
    studio.bakery(cube).bake(request("curvature"), lambda done, planned, what: heard.append(what))
    first = [w for i, w in enumerate(heard) if i == heard.index(w)]
    assert first[:3] == ["Reading the model", "Reading sides", "Wood: Laying out its texels"]
    assert any("Building what rays meet" in w for w in first[:6])


def test_a_supplied_normal_map_gives_curvature(studio: Studio, cube: str) -> None:
    """A normal map of a round bead on a flat face: bulging in the middle, hollow around its foot."""
    session = studio.session(cube)
    n = 512
    y, x = (np.mgrid[0:n, 0:n] + 0.5) / n
    dx, dy = (x - 0.125) * 8, (y - 0.875) * 8
    r = np.hypot(dx, dy)
    slope = np.where(r < 0.6, np.sin(r / 0.6 * np.pi), 0) * 0.8
    nz = 1 / np.sqrt(1 + slope**2)
    image = np.full((n, n, 4), 65535, np.uint16)
    for k, v in enumerate((slope * dx / np.maximum(r, 1e-9) * nz, -slope * dy / np.maximum(r, 1e-9) * nz, nz)):
        image[..., k] = np.rint((v * 0.5 + 0.5) * 65535)
    import_map(session, "wood", "normal", image)
    told = studio.bakery(cube).bake(
        request("curvature", "occlusion", source="normal-map", sheets=("wood",), settings=BakeSettings(curvature_radius=0.04))
    )
    assert told["maps"] == ["curvature", "occlusion"]
    samples = session.display("wood").samples

    def at(u: float, v: float, name: str) -> float:
        return float(composite(session, name)[0][samples.texel_to_slot(int(u * 256), int(v * 256))] / 65535)

    middle, foot = at(0.125, 0.875, "curvature"), at(0.125 + 0.06, 0.875, "curvature")
    flat = at(0.375, 0.875, "curvature")
    assert middle > 0.6
    assert foot < 0.45
    assert_allclose(flat, 0.5, atol=0.01)
    assert at(0.375, 0.875, "occlusion") > 0.98
    assert at(0.125 + 0.06, 0.875, "occlusion") < at(0.125, 0.875, "occlusion")
    with pytest.raises(InputError, match="says nothing about Thickness"):
        studio.bakery(cube).bake(request("thickness", source="normal-map"))
    with pytest.raises(InputError, match="no normal map"):
        studio.bakery(cube).bake(request("curvature", source="normal-map", sheets=("iron",)))


def test_pictures_become_maps(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    image = np.zeros((64, 64, 4), np.uint16)
    image[..., 0] = np.linspace(0, 65535, 64)[None]
    import_map(session, "wood", "thickness", image)
    assert session.document.sheets[0].mesh_maps[0].source == "picture"
    shown = composite(session, "thickness")[0]
    samples = session.display("wood").samples
    left, right = samples.texel_to_slot(10, 200), samples.texel_to_slot(250, 200)
    assert shown[left] < 5000 < 60000 < shown[right]
    with pytest.raises(InputError, match="64 × 32"):
        import_map(session, "wood", "thickness", image[:32])
    remove_map(session, "wood", "thickness")
    assert session.document.sheets[0].mesh_maps == ()
    with pytest.raises(NotFound):
        remove_map(session, "wood", "thickness")


def test_strokes_go_on_beside_a_bake(studio: Studio, cube: str) -> None:
    session, desk = studio.session(cube), studio.bakery(cube)
    started, go = threading.Event(), threading.Event()

    def hold(done: int, planned: int, what: str) -> None:
        started.set()
        assert go.wait(30)

    told: list[dict[str, object]] = []
    thread = threading.Thread(target=lambda: told.append(desk.bake(request("occlusion"), hold)))
    thread.start()
    assert started.wait(30)
    with pytest.raises(Conflict, match="being baked already"):
        desk.bake(request("position"))
    strokes = StrokeDesk(session)
    answer = strokes.handle(StrokeMessage(stroke="s", begin=begin(session, brush=Brush(size=60, flow=1.0)), points=points((100, 100)), end=True))
    assert answer.stored
    go.set()
    thread.join(60)
    assert told
    assert told[0]["maps"] == ["occlusion"]
    # Both are there: the stroke made during the bake and the bake's map.
    assert session.store.history()[1].label == "Brush · Paint · Base colour"
    assert any(m.id == "occlusion" for m in session.document.sheets[0].mesh_maps)


def test_pieces_arrive_while_a_bake_runs(studio: Studio, cube: str) -> None:
    desk = studio.bakery(cube)
    seen: list[int] = []

    def watch(done: int, planned: int, what: str) -> None:
        assert desk.run is not None
        seen.append(len(desk.run.since(0)))

    desk.bake(request("occlusion"), watch)
    # One sheet's pieces are there before the next sheet is done.
    assert 0 < seen[-1] < 4
    assert seen == sorted(seen)


def test_memory_is_stated_and_refused(studio: Studio, cube: str, monkeypatch: pytest.MonkeyPatch) -> None:
    session = studio.session(cube)
    monkeypatch.setattr(bakes, "available_bytes", lambda: 2 << 30)
    with pytest.raises(InputError, match=r"10,000,000 triangles needs about 3\.1 GiB of memory, and 2\.0 GiB are free"):
        bakes.check_memory(10_000_000)
    monkeypatch.setattr(bakes, "available_bytes", lambda: 1000)
    with pytest.raises(InputError, match="free"):
        add_high_mesh(session, MeshUpload(grown_cube(), "grown.obj"), nothing)
    assert session.document.high_meshes == ()


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"v 0 0 0\nv 1 0 0\nv nan 1 0\nf 1 2 3\n", "number"),
        (b"not a mesh", "."),
        (grown_cube(shift=50), "does not lie where the model lies"),
    ],
)
def test_bad_high_meshes_leave_nothing(studio: Studio, cube: str, data: bytes, words: str) -> None:
    session = studio.session(cube)
    revision = session.revision
    with pytest.raises(InputError, match=words):
        add_high_mesh(session, MeshUpload(data, "bad.obj"), nothing)
    assert session.revision == revision


def test_a_sheet_that_changed_under_a_bake_is_left_alone(studio: Studio, cube: str) -> None:
    session, desk = studio.session(cube), studio.bakery(cube)
    changed = False

    def change(done: int, planned: int, what: str) -> None:
        nonlocal changed
        if not changed and done > 0:
            changed = True
            change_resolution(session, "wood", 512, nothing)

    with pytest.raises(Conflict, match="Bake again"):
        desk.bake(request("position"), change)
    assert session.document.sheets[0].mesh_maps == ()


def test_another_resolution_brings_maps_and_touch_ups_along(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    studio.bakery(cube).bake(request("position", "occlusion"))
    touch(session, 0.0)
    change_resolution(session, "wood", 512, nothing)
    display = session.display("wood")
    samples = display.samples
    assert samples.side == 512
    assert_allclose(np.median(composite(session, "occlusion")[0][samples.covered]) / 65535, 0.5, atol=0.01)
    inner = samples.covered & (np.abs(samples.positions).min(axis=1) < 0.5) & (np.abs(samples.positions[:, 1]) < 0.9)
    found = composite(session, "position")[:, inner] / 65535
    assert np.quantile(np.abs(found.T - (samples.positions[inner] + 1) / 2), 0.95) < 0.02
    assert samples.slot_count == CHUNK * 4


def test_a_touch_up_is_stroked_and_undone(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    studio.bakery(cube).bake(request("occlusion"))
    before = composite(session, "occlusion")
    desk = StrokeDesk(session)
    message = StrokeMessage(
        stroke="s",
        begin=begin(
            session, target=TOUCH, paint=Paint(values={"map:occlusion": (0.0,)}), brush=Brush(size=60, flow=1.0, hardness=0.8),
            textures=("channel:map:occlusion",),
        ),
        points=points((100, 100)),
        end=True,
    )  # fmt: skip
    answer = desk.handle(message)
    assert answer.stored
    assert {p.texture for p in answer.patches} == {"channel:map:occlusion"}
    assert min(int(p.pixels[..., 0].min()) for p in answer.patches) == 0
    assert composite(session, "occlusion")[0].min() == 0
    assert session.store.history()[0].label == "Brush · Touch-up of Occlusion"
    session.undo()
    assert_array_equal(composite(session, "occlusion"), before)


def test_a_recorded_touch_up_is_replayed(studio: Studio, cube: str) -> None:
    """What the hand did on one project's map does the same on another's."""
    session = studio.session(cube)
    studio.bakery(cube).bake(request("occlusion"))
    since = session.store.head
    desk = StrokeDesk(session)
    for stroke, paint, place in (
        ("a", Paint(values={"map:occlusion": (0.0,)}), (100, 100)),
        ("b", Paint(tool="clone", clone=CloneFrom(source=(0.0, 0.0, 1.0))), (60, 100)),
        ("c", Paint(tool="soften"), (80, 100)),
    ):
        more = begin(session, target=TOUCH, paint=paint, brush=Brush(size=30, flow=1.0, hardness=0.8), textures=())
        assert desk.handle(StrokeMessage(stroke=stroke, begin=more, points=points(place), end=True)).stored
    script = parse_script(script_since(session, since))
    other = studio.create(cube_obj(), "cube.obj", name="Other", resolution=256, companions={"cube.mtl": CUBE_MTL})
    studio.bakery(other).bake(request("occlusion"))
    assert replay(studio.session(other), script).strokes == 3
    assert_array_equal(composite(studio.session(other), "occlusion"), composite(session, "occlusion"))
    with pytest.raises(InputError, match="either a 'layer' or a 'mesh_map'"):
        parse_script({"format": "ruvelt-strokes", "version": 1, "steps": [{"do": "target"}]})


def test_a_picture_becomes_a_layer(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    image = np.full((128, 128, 4), 65535, np.uint16)
    image[..., 1:3] = 0
    image[:, :64, 3] = 0
    layer = picture_layer(session, "wood", "base_color", image, "Bark.png")
    samples = session.display("wood").samples
    assert session.document.sheets[0].layers[0].id == layer
    colours = session.display("wood").evaluator.composite("base_color", 0)
    right, left = samples.texel_to_slot(200, 230), samples.texel_to_slot(30, 230)
    assert colours[:, right].tolist() == [65535, 0, 0]
    assert colours[1, left] > 0
    height = np.full((64, 64, 4), 65535, np.uint16)
    height[..., 0] = 32768
    picture_layer(session, "wood", "height", height, "Flat")
    assert pick(session, "wood", right)["height"] == [0.0]
    with pytest.raises(InputError, match="128 × 64"):
        picture_layer(session, "wood", "base_color", image[:64], "x")
    with pytest.raises(NotFound, match="no channel 'gloss'"):
        picture_layer(session, "wood", "gloss", image, "x")
    session.undo()
    session.undo()
    assert all(x.id != layer for x, _ in session.document.sheets[0].walk())
