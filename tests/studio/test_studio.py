"""Use-cases without HTTP: projects, sessions, strokes, floods, layers, versions, exports, jobs."""

from __future__ import annotations

import json
import os
import threading
import time
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.errors import Cancelled, Conflict, InputError, NotFound
from ruvelt.core.output.presets import BUILT_IN
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.document import ChannelUse, FillLayer, GroupLayer, PaintLayer
from ruvelt.core.stack.edits import AddLayer, MoveLayer, RemoveLayer, SetLayer
from ruvelt.studio.cells import cell_pictures
from ruvelt.studio.copying import duplicate_layer
from ruvelt.studio.exports import PresetShelf, export_project, map_preview, zip_folder
from ruvelt.studio.geometry import viewport_geometry
from ruvelt.studio.jobs import Job, Jobs
from ruvelt.studio.laying import flood
from ruvelt.studio.limits import Limits
from ruvelt.studio.looking import unpainted
from ruvelt.studio.probe import probe
from ruvelt.studio.recording import script_since
from ruvelt.studio.session import Session
from ruvelt.studio.strokes import PointerSample, StrokeBegin, StrokeDesk, StrokeMessage
from ruvelt.studio.studio import Studio
from ruvelt.studio.tiles import drawn_tiles
from ruvelt.studio.versions import restore_version
from tests.conftest import Clock
from tests.meshes import CUBE_MTL, cube_obj

RED = Paint(values={"base_color": (1.0, 0.0, 0.0)})
#: Looks at the side x = 1 (… the cube's first Wood face lies at z = 1).
FRONT = Camera(eye=(0, 0, 6), target=(0, 0, 0), fov_deg=30, width=200, height=200)
WOOD = Target(sheet="wood", layer="l2", channels=("base_color",))


def begin(session: Session, **more: object) -> StrokeBegin:
    values: dict[str, object] = {
        "revision": session.revision,
        "target": WOOD,
        "brush": Brush(size=60, hardness=0.8, flow=1.0),
        "paint": RED,
        "camera": FRONT,
        "textures": ("colour", "data", "normal"),
    }
    return StrokeBegin.model_validate({**values, **more})


def points(*pairs: tuple[float, float]) -> tuple[PointerSample, ...]:
    return tuple(PointerSample(x=x, y=y) for x, y in pairs)


def colour_at_centre(session: Session) -> list[float]:
    return probe(session, FRONT, None, 100, 100, True)["values"]["base_color"]  # type: ignore[no-any-return]


def test_a_new_project_is_ready_to_paint(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    assert [(s.id, s.name, s.resolution) for s in session.document.sheets] == [("wood", "Wood", 256), ("iron", "Iron", 256)]
    assert [x.name for x in session.document.sheets[0].layers] == ["Paint", "Ground"]
    assert unpainted(session, "wood", "base_color")[0] == 0
    count, faces = unpainted(session, "wood", "height")
    assert (count, faces.tolist()) == (session.samples(session.sheet("wood")).covered_count, [0, 1, 2, 3])
    # The ground starts in the material's colour: linear 0.2 is 0.485 encoded.
    assert colour_at_centre(session)[0] == pytest.approx(0.4845, abs=1e-3)
    card = studio.projects()[0]
    assert (card.name, card.sheets, card.layers) == ("Crate", 2, 4)


@pytest.mark.parametrize(
    ("values", "match"),
    [
        ({"data": b"", "filename": "a.obj"}, "is empty"),
        ({"data": cube_obj(), "filename": "a.obj", "resolution": 300}, "300 texels"),
        ({"data": cube_obj(), "filename": "a.obj", "name": "x" * 100}, "1 to 80 printable"),
        ({"data": cube_obj(), "filename": "a.obj", "name": "a\nb"}, "1 to 80 printable"),
        ({"data": b"v 0 0 0\n", "filename": "a.obj"}, "no faces"),
    ],
)
def test_a_project_that_cannot_be_leaves_nothing(studio: Studio, values: dict[str, object], match: str) -> None:
    with pytest.raises(InputError, match=match):
        studio.create(**values)  # type: ignore[arg-type]
    assert list((studio.data / "projects").iterdir()) == []


def test_a_model_without_uvs_becomes_a_project_of_vertex_paint(studio: Studio) -> None:
    uid = studio.create(b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "bare.obj")
    session = studio.session(uid)
    assert [(s.of, s.resolution) for s in session.document.sheets] == [("vertices", 256)]
    assert [(f.kind, f.level) for f in session.findings] == [("missing-uvs", "warns")]
    header, blocks = viewport_geometry(session, "vertices")
    assert (header["of"], header["vertices"]["length"]) == ("vertices", 3 * 6 * 4)
    assert sum(map(len, blocks)) > 0
    assert len(studio.card_picture(uid)) > 500


def test_crash_leftovers_are_swept_and_strange_folders_ignored(tmp_path: Path, clock: Clock) -> None:
    (tmp_path / "projects" / "abc.part").mkdir(parents=True)
    os.utime(tmp_path / "projects" / "abc.part", (0, 0))
    (tmp_path / "projects" / "new.part").mkdir()
    (tmp_path / "projects" / "..hidden").mkdir()
    (tmp_path / "projects" / "deadbeef0000").mkdir()
    (tmp_path / "projects" / "deadbeef0000" / "project.sqlite").write_bytes(b"garbage" * 1000)
    studio = Studio(tmp_path, Limits(), clock)
    assert not (tmp_path / "projects" / "abc.part").exists()
    assert (tmp_path / "projects" / "new.part").exists(), "it may be one that is being made this moment"
    (listed,) = studio.projects()
    assert (listed.uid, listed.sheets) == ("deadbeef0000", 0)
    assert "damaged or not a project" in str(listed.trouble)
    assert (tmp_path / "projects" / "deadbeef0000").exists()
    studio.close()


@pytest.mark.parametrize("uid", ["../../etc", "", "abc", "ABCDEFABCDEF", "aaaaaaaaaaaa", "aaaaaaaaaaa/", "a" * 12 + "\0"])
def test_only_ids_name_projects(studio: Studio, uid: str) -> None:
    with pytest.raises(NotFound):
        studio.session(uid)


def test_projects_are_found_by_name_and_deleted(studio: Studio, cube: str) -> None:
    assert studio.find("Crate") == cube == studio.find(cube)
    with pytest.raises(NotFound):
        studio.find("Barrel")
    studio.create(cube_obj(), "cube.obj", name="Crate", resolution=256)
    with pytest.raises(InputError, match="Several projects"):
        studio.find("Crate")
    studio.delete(cube)
    assert len(studio.projects()) == 1
    with pytest.raises(NotFound):
        studio.session(cube)


def test_more_projects_than_are_kept_open(studio: Studio) -> None:
    uids = [studio.create(cube_obj(), "cube.obj", name=f"Crate {i}", resolution=256) for i in range(6)]
    for uid in [*uids, *uids]:
        flood(studio.session(uid), WOOD, RED, None, 0.5)
    assert [studio.session(u).store.head for u in uids] == [2] * 6


def test_a_stroke_in_batches_is_stored_once_and_undone_whole(studio: Studio, cube: str) -> None:
    session, desk = studio.session(cube), studio.desk(cube)
    before = colour_at_centre(session)
    first = desk.handle(StrokeMessage(stroke="s1", begin=begin(session), points=points((60, 100))))
    assert first.dabs == 1
    assert {p.texture for p in first.patches} == {"colour"}
    assert session.store.head == 0
    middle = desk.handle(StrokeMessage(stroke="s1", points=points((80, 100), (120, 100))))
    # The curve is one sample behind: up to 80 so far.
    assert middle.dabs >= 1
    assert middle.hit is not None
    assert middle.hit[2] == pytest.approx(1.0)
    last = desk.handle(StrokeMessage(stroke="s1", points=points((140, 100)), end=True))
    assert last.stored
    assert {t for t, _, _ in last.versions} == {"colour"}
    assert session.store.head == 1
    assert colour_at_centre(session) == pytest.approx([1, 0, 0], abs=1e-4)
    display = session.display("wood")
    for texture, chunk, version in last.versions:
        assert display.version(texture, chunk) == version
    assert session.undo() == "Brush · Paint · Base colour"
    assert colour_at_centre(session) == before


def test_a_cancelled_stroke_and_one_beside_the_model_store_nothing(studio: Studio, cube: str) -> None:
    session, desk = studio.session(cube), studio.desk(cube)
    desk.handle(StrokeMessage(stroke="s1", begin=begin(session), points=points((100, 100))))
    desk.handle(StrokeMessage(stroke="s1", cancel=True))
    miss = desk.handle(StrokeMessage(stroke="s2", begin=begin(session), points=points((2, 2), (5, 5)), end=True))
    assert (miss.dabs, miss.stored) == (0, False)
    assert (session.store.head, session.revision) == (0, 1)
    with pytest.raises(NotFound, match="not running"):
        desk.handle(StrokeMessage(stroke="s1", points=points((1, 1))))


def test_one_stroke_at_a_time_and_none_from_a_stale_view(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    now = [0.0]
    desk = StrokeDesk(session, lambda: now[0])
    stale = begin(session)
    session.edit(SetLayer(sheet="wood", layer="l2", values={"name": "Hand"}), "Rename")
    with pytest.raises(Conflict, match="changed in another window"):
        desk.handle(StrokeMessage(stroke="a", begin=stale, points=points((100, 100))))
    desk.handle(StrokeMessage(stroke="a", begin=begin(session), points=points((100, 100))))
    with pytest.raises(Conflict, match="Another window is painting"):
        desk.handle(StrokeMessage(stroke="b", begin=begin(session), points=points((100, 100))))
    # The first window is gone for good: its stroke is stored as it is, and the other must look again.
    now[0] = 60.0
    with pytest.raises(Conflict, match="changed in another window"):
        desk.handle(StrokeMessage(stroke="b", begin=begin(session), points=points((100, 100))))
    assert session.store.head == 2
    desk.handle(StrokeMessage(stroke="b", begin=begin(session), points=points((100, 100)), end=True))
    assert session.store.head == 3


def test_a_straight_line_locks_to_its_angle(studio: Studio, cube: str) -> None:
    session, desk = studio.session(cube), studio.desk(cube)
    brush = Brush(size=12, hardness=0.9, flow=1.0)
    answer = desk.handle(
        StrokeMessage(stroke="s", begin=begin(session, lock_angle=True, brush=brush), points=points((60, 100), (90, 130), (140, 106)), end=True)
    )
    assert answer.stored
    reds = [probe(session, FRONT, None, x, 100, True)["values"]["base_color"][1] for x in (70, 100, 130)]
    assert max(reds) < 0.01
    assert probe(session, FRONT, None, 90, 125, True)["values"]["base_color"][1] > 0.2


def test_the_flat_sheet_takes_strokes_in_texels(studio: Studio, cube: str) -> None:
    session, desk = studio.session(cube), studio.desk(cube)
    values = begin(session, camera=None, texels_per_pixel=0.5, brush=Brush(size=40, hardness=1.0, flow=1.0))
    desk.handle(StrokeMessage(stroke="s", begin=values, points=points((32, 224)), end=True))
    found = [probe(session, None, "wood", x, 224, True)["values"]["base_color"][1] for x in (32, 38, 46)]
    assert found[0] == found[1] == 0
    assert found[2] > 0.3


def test_hidden_parts_are_safe_and_no_step_of_history(studio: Studio, cube: str) -> None:
    session, desk = studio.session(cube), studio.desk(cube)
    session.hide_parts([0])
    answer = desk.handle(StrokeMessage(stroke="s", begin=begin(session), points=points((100, 100)), end=True))
    assert not answer.stored
    with pytest.raises(InputError, match="hidden"):
        flood(session, WOOD, RED, None, 1.0)
    assert session.store.head == 0
    assert session.document.hidden_parts == (0,)
    with pytest.raises(InputError, match="does not exist"):
        session.hide_parts([7])
    session.hide_parts([])
    assert desk.handle(StrokeMessage(stroke="t", begin=begin(session), points=points((100, 100)), end=True)).stored


def test_floods_by_pointing(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    found = probe(session, FRONT, None, 100, 100, False)
    assert found["names"] == {"part": "Lower", "material": "Wood", "group": "sides"}
    flood(session, WOOD, RED, (FacePick(by="face", index=found["belongs"]["face"]),), 1.0)
    assert colour_at_centre(session) == [1, 0, 0]
    right = FRONT.model_copy(update={"eye": (6.0, 0.0, 0.0)})
    assert probe(session, right, None, 100, 100, True)["values"]["base_color"][1] > 0.1
    with pytest.raises(InputError, match="Nothing there belongs"):
        flood(session, WOOD, RED, (FacePick(by="material", index=1),), 1.0)
    with pytest.raises(Conflict):
        flood(session, WOOD, RED, None, 1.0, revision=1)


def test_probing_nothing(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    assert probe(session, FRONT, None, 1, 1, True) == {"hit": False}
    assert probe(session, None, "wood", -5, 10, True) == {"hit": False}
    assert probe(session, None, "wood", 250, 3, True) == {"hit": False}
    with pytest.raises(InputError):
        probe(session, None, None, 1, 1, True)


def test_a_duplicate_has_its_own_pixels(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    flood(session, WOOD, RED, None, 1.0)
    group = GroupLayer(id="g", name="Coat")
    session.edit(AddLayer(sheet="wood", layer=group), "Group")
    session.edit(MoveLayer(sheet="wood", layer="l2", into="g"), "Move")
    new = duplicate_layer(session, "wood", "g")
    copy = session.sheet("wood").find(new)
    assert isinstance(copy, GroupLayer)
    assert copy.name == "Coat copy"
    inner = copy.layers[0].id
    assert inner not in ("l2", new)
    assert session.store.planes[f"wood/{inner}/base_color"].chunks == session.store.planes["wood/l2/base_color"].chunks
    session.edit(RemoveLayer(sheet="wood", layer="g"), "Delete")
    assert colour_at_centre(session) == [1, 0, 0]
    session.undo()
    session.undo()
    assert session.sheet("wood").find(new) is None
    with pytest.raises(NotFound):
        duplicate_layer(session, "wood", "nothing")


def test_going_back_to_a_version_can_be_undone(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    flood(session, WOOD, RED, None, 1.0)
    version = session.store.add_version("Red")
    flood(session, WOOD, Paint(values={"base_color": (0.0, 1.0, 0.0)}), None, 1.0)
    session.edit(SetLayer(sheet="wood", layer="l1", values={"visible": False}), "Hide")
    restore_version(session, version.id)
    assert colour_at_centre(session) == [1, 0, 0]
    assert all(x.visible for x in session.sheet("wood").layers)
    session.undo()
    assert colour_at_centre(session) == [0, 1, 0]
    assert not session.sheet("wood").layers[1].visible


def test_cells_show_what_layers_hold(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    assert cell_pictures(session, "wood") == {}
    flood(session, WOOD, RED, None, 1.0)
    import base64
    import io

    cells = cell_pictures(session, "wood")
    assert set(cells) == {"l2/base_color"}
    picture = np.asarray(Image.open(io.BytesIO(base64.b64decode(cells["l2/base_color"].split(",")[1]))))
    assert picture[40, 5].tolist() == [255, 0, 0]
    assert picture[5, 40].tolist() == [96, 96, 96]


def test_cell_pictures_come_close_to_what_is_small(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    desk = StrokeDesk(session)
    desk.handle(StrokeMessage(stroke="s", begin=begin(session, brush=Brush(size=14, hardness=1.0, flow=1.0)), points=points((100, 100)), end=True))
    import base64
    import io

    picture = np.asarray(Image.open(io.BytesIO(base64.b64decode(cell_pictures(session, "wood")["l2/base_color"].split(",")[1]))))
    red = picture[..., 0].astype(int) - picture[..., 1] > 20
    # A few texels of 256: in a picture of the whole sheet they would colour one pixel.
    assert 15 < red.sum() < 200


def test_viewport_geometry_is_ordered_by_part(studio: Studio, cube: str) -> None:
    wood, blocks = viewport_geometry(studio.session(cube), "wood")
    body = b"".join(blocks)
    rows = np.frombuffer(body, "<f4", wood["vertices"]["length"] // 4, wood["vertices"]["offset"]).reshape(-1, 12)
    faces = np.frombuffer(body, "<u4", wood["faces"]["length"] // 4, wood["faces"]["offset"])
    assert wood["parts"] == [{"part": 0, "first": 0, "count": 8}]
    assert sorted(set(faces.tolist())) == [0, 1, 2, 3]
    assert np.allclose(np.linalg.norm(rows[:, 3:6], axis=1), 1)
    seams = np.frombuffer(body, "<f4", wood["seams"]["length"] // 4, wood["seams"]["offset"]).reshape(-1, 4)
    lines = np.frombuffer(body, "<f4", wood["lines"]["length"] // 4, wood["lines"]["offset"]).reshape(-1, 4)
    # Four faces in a row share three inner edges: 13 edges, 10 of them on the rim.
    assert (len(lines), len(seams)) == (13, 10)


def test_exports_appear_whole_or_not_at_all(studio: Studio, cube: str, tmp_path: Path) -> None:
    session = studio.session(cube)
    preset = next(p for p in BUILT_IN if p.id == "packed-orm")
    out = tmp_path / "maps"
    files = export_project(session, preset, out)
    assert sorted(f.name for f in out.iterdir()) == sorted([*(f.name for f in files), "listing.json"])
    assert "Crate_asset.glb" in {f.name for f in files}
    assert json.loads((out / "listing.json").read_text())["preset"] == "packed-orm"
    only = export_project(session, preset, tmp_path / "one", sheets=["iron"], maps=["orm"])
    assert [f.name for f in only] == ["Crate_Iron_orm.png"]

    def stop(done: int, planned: int, what: str) -> None:
        if done == 2:
            raise Cancelled("Stopped.")

    with pytest.raises(Cancelled):
        export_project(session, preset, tmp_path / "half", progress=stop)
    assert not (tmp_path / "half").exists()
    assert not list(tmp_path.glob(".half*"))
    with pytest.raises(NotFound):
        export_project(session, preset, tmp_path / "x", sheets=["lid"])
    (tmp_path / "file").write_text("x")
    with pytest.raises(InputError, match="is a file"):
        export_project(session, preset, tmp_path / "file")
    assert zip_folder(out) == zip_folder(out)
    assert Image.open(__import__("io").BytesIO(map_preview(session, "wood", preset, "orm"))).size == (256, 256)
    with pytest.raises(NotFound):
        map_preview(session, "wood", preset, "nothing")


def test_own_presets_are_kept_and_built_in_ones_are_safe(tmp_path: Path) -> None:
    shelf = PresetShelf(tmp_path)
    own = BUILT_IN[0].model_copy(update={"id": "harbour", "name": "Harbour", "size": 512})
    shelf.save(own)
    assert PresetShelf(tmp_path).get("harbour") == own
    shelf.save(own.model_copy(update={"size": 1024}))
    assert [p.size for p in shelf.all() if p.id == "harbour"] == [1024]
    with pytest.raises(InputError, match="built-in"):
        shelf.save(BUILT_IN[0])
    with pytest.raises(InputError, match="cannot be deleted"):
        shelf.delete("packed-orm")
    shelf.delete("harbour")
    with pytest.raises(NotFound, match="no export preset 'harbour'"):
        shelf.get("harbour")
    (tmp_path / "export-presets.json").write_text("{broken")
    with pytest.raises(InputError, match="cannot be read"):
        shelf.all()


def test_history_turns_into_a_script(studio: Studio, cube: str) -> None:
    session, desk = studio.session(cube), studio.desk(cube)
    layer = PaintLayer(id="mud", name="Mud", channels={"base_color": ChannelUse()})
    session.edit(AddLayer(sheet="wood", layer=layer), "Add")
    aim = Target(sheet="wood", layer="mud", channels=("base_color",))
    desk.handle(StrokeMessage(stroke="s", begin=begin(session, target=aim), points=points((80, 90), (120, 110)), end=True))
    flood(session, aim, RED, (FacePick(by="part", index=0),), 0.5)
    script = script_since(session, 0)
    assert [s["do"] for s in script["steps"]] == ["add-layer", "target", "paint", "brush", "stroke", "flood"]
    assert script_since(session, 2)["steps"][-1]["do"] == "flood"
    session.edit(AddLayer(sheet="wood", layer=FillLayer(id="f", name="F")), "Add")
    session.undo()
    assert [s["do"] for s in script_since(session, 0)["steps"]][-1] == "flood"


def wait_for(job: Job) -> Job:
    until = time.monotonic() + 120
    while job.state == "running" and time.monotonic() < until:
        time.sleep(0.01)
    assert job.state != "running"
    return job


def test_jobs_end_in_words() -> None:
    jobs = Jobs()
    assert wait_for(jobs.start("t", "T", lambda job: {"n": 1})).result == {"n": 1}

    def bad(job: Job) -> dict[str, object]:
        raise InputError("Choose another file.")

    assert wait_for(jobs.start("t", "T", bad)).error == "Choose another file."

    def bug(job: Job) -> dict[str, object]:
        raise ZeroDivisionError

    failed = wait_for(jobs.start("t", "T", bug))
    assert (failed.state, "ZeroDivision" in (failed.error or "")) == ("failed", False)
    gate = threading.Event()

    def slow(job: Job) -> dict[str, object]:
        gate.wait(5)
        job.progress(1, 2, "half")
        return {}

    job = jobs.start("t", "T", slow)
    job.cancel()
    gate.set()
    assert wait_for(job).state == "cancelled"
    assert jobs.get(job.id) is job
    with pytest.raises(NotFound):
        jobs.get("nothing")


def test_two_threads_never_mix_their_strokes(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    errors: list[Exception] = []

    def paint(value: float) -> None:
        for _ in range(6):
            try:
                flood(session, WOOD, Paint(values={"base_color": (value, value, value)}), None, 1.0)
            except Exception as error:
                errors.append(error)

    threads = [threading.Thread(target=paint, args=(v,)) for v in (0.0, 1.0)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert errors == []
    assert session.store.head == 12
    assert len(set(colour_at_centre(session))) == 1
    assert CUBE_MTL


def test_tiles_come_in_the_order_asked_for_and_in_groups(studio: Studio) -> None:
    session = studio.session(studio.create(cube_obj(), "cube.obj", resolution=2048, companions={"cube.mtl": CUBE_MTL}))
    flood(session, WOOD, RED, (FacePick(by="face", index=0),), 1.0)
    wanted = [(t, c) for c in (63, 0, 40, 56) for t in ("normal", "colour")]
    tiles = drawn_tiles(session, "wood", wanted)
    display = session.display("wood")
    for (texture, chunk), tile in zip(wanted, tiles, strict=True):
        assert np.array_equal(tile, display.tile(texture, chunk))
    assert (tiles[7][:, 0] == 255).all()
    assert len(drawn_tiles(session, "wood", [("colour", c) for c in range(64)])) == 64
