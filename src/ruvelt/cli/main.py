"""The `ruvelt` command."""

from __future__ import annotations

import json
import logging
import signal
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

import click
from pydantic import ValidationError

from ruvelt import __version__
from ruvelt.cli import output
from ruvelt.cli.colour import COMMANDS, colour_of
from ruvelt.cli.common import DEFAULT_DATA, common, fail
from ruvelt.core.brush.script import parse_script
from ruvelt.core.errors import InputError
from ruvelt.core.mesh.readers import wanted_beside
from ruvelt.core.mesh.unwrap import UnwrapSettings
from ruvelt.studio.bakes import BakeRequest, MeshUpload, add_high_mesh
from ruvelt.studio.colour_groups import groups_from_colour
from ruvelt.studio.geometry import sheet_facts
from ruvelt.studio.layout import choose_uv_set, unwrap_model
from ruvelt.studio.levels import set_level
from ruvelt.studio.limits import Limits
from ruvelt.studio.replay import replay
from ruvelt.studio.studio import Studio
from ruvelt.studio.swap import swap_mesh
from ruvelt.studio.transfer import loss, transfer
from ruvelt.studio.trip_preview import preview
from ruvelt.studio.vertex_paint import add_vertex_paint


@click.group()
@click.version_option(__version__, prog_name="ruvelt")
def main() -> None:
    """Paint the surface of 3D models in layers, and export map sets."""


for _command in (*COMMANDS, *output.COMMANDS):
    main.add_command(_command)


@main.command("import")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--name", help="Name of the project; the file's name when left out.")
@click.option("--resolution", type=int, help="Sheet resolution; as the file's pictures when left out, or 1024.")
@click.option("--uv-set", type=click.IntRange(0), help="The file's number of the UV set to paint on; its first when left out.")
@click.option("--sheets", type=click.Choice(["auto", "materials", "parts", "tiles"]), default="auto", show_default=True, help="What makes a sheet.")
@click.option("--import-mib", type=click.IntRange(16), default=2048, show_default=True, help="Memory it may take beyond the file.")
@common
def import_(here: Studio, file: Path, name: str | None, resolution: int | None, uv_set: int | None, sheets: str, import_mib: int) -> dict[str, Any]:
    """Make a project from a mesh FILE (OBJ, GLB, glTF, PLY or STL) and the pictures it names."""
    if not file.is_file():
        raise InputError(f"There is no file '{file}'.")
    here.limits = replace(here.limits, import_bytes=import_mib << 20)
    data = file.read_bytes()
    uid = here.create(data, file.name, name=name, resolution=resolution, rule=sheets, uv_set=uv_set, companions=_beside(file, data))  # type: ignore[arg-type]
    return {"project": uid, **_facts(here, uid), "notes": [n.__dict__ for n in here.session(uid).model.notes]}


def _beside(file: Path, data: bytes) -> dict[str, bytes]:
    """The files that a mesh, and the material libraries it names, want from its own folder; nothing outside of it is read."""
    folder = file.parent.resolve()
    found: dict[str, bytes] = {}
    waiting = wanted_beside(data, file.name)
    while waiting and len(found) < 1000:
        name = waiting.pop()
        path = (folder / name).resolve()
        if name in found or not path.is_relative_to(folder) or not path.is_file():
            continue
        found[name] = path.read_bytes()
        waiting += wanted_beside(found[name], name) if name.lower().endswith(".mtl") else []
    return found


def _facts(here: Studio, uid: str) -> dict[str, Any]:
    session = here.session(uid)
    document = session.document
    return {
        "name": session.store.name,
        "faces": session.model.face_count,
        "sheets": [
            {"id": s.id, "name": s.name, "resolution": s.resolution, "layers": sum(1 for _ in s.walk())}
            | {k: v for k, v in sheet_facts(session, s.id).items() if k in ("covered", "islands", "faces")}
            for s in document.sheets
        ],
        "layers": sum(1 for s in document.sheets for _ in s.walk()),
        "channels": [c.id for c in document.channels],
        "mesh_maps": {s.id: [m.id for m in s.mesh_maps] for s in document.sheets},
        "high_meshes": [m.name for m in document.high_meshes],
        "history": session.store.head,
        "findings": [f"{f.level}: {f.title}. {f.advice}" for f in session.findings],
    }


@main.command()
@click.argument("project")
@common
def info(here: Studio, project: str) -> dict[str, Any]:
    """Tell about a PROJECT (id or name): sheets, layers, channels, history."""
    uid = here.find(project)
    return {"project": uid, **_facts(here, uid)}


@main.command("unwrap")
@click.argument("project")
@click.option("--resolution", type=int, default=1024, show_default=True, help="Resolution of the sheets, where there were none.")
@click.option("--padding", type=float, default=4, show_default=True, help="Least distance between islands, texels.")
@click.option("--fewer", type=float, default=0.5, show_default=True, help="0 for many islands without stretch, 1 for few.")
@click.option("--hard-edges", is_flag=True, help="Cut every edge sharper than the crease angle.")
@common
def unwrap_(here: Studio, project: str, resolution: int, padding: float, fewer: float, hard_edges: bool) -> dict[str, Any]:
    """Give the model of a PROJECT new UVs; what is painted already is laid on them."""
    uid = here.find(project)
    try:
        settings = UnwrapSettings(padding=padding, fewer=fewer, hard_edges=hard_edges)
    except ValueError:
        raise InputError("Padding goes from 0 to 64 texels, and --fewer from 0 to 1.") from None
    share = unwrap_model(here.session(uid), lambda done, planned, what: None, resolution, settings)
    return {"project": uid, **_facts(here, uid), "filled": share}


@main.command("replay")
@click.argument("project")
@click.argument("script", type=click.Path(path_type=Path))
@common
def replay_(here: Studio, project: str, script: Path) -> dict[str, Any]:
    """Apply the stroke SCRIPT (JSON) to a PROJECT."""
    if not script.is_file():
        raise InputError(f"There is no file '{script}'.")
    try:
        content = json.loads(script.read_text("utf-8"))
    except (ValueError, RecursionError) as error:
        raise InputError(f"'{script.name}' is not JSON ({error}).") from None
    parsed = parse_script(content)
    uid = here.find(project)
    result = replay(here.session(uid), parsed)
    return {"project": uid, **result.__dict__, "history": here.session(uid).store.head}


@main.command()
@click.argument("project")
@click.argument("number", type=int)
@click.option("--simple", is_flag=True, help="Halve edges and move nothing; else levels are smooth (Catmull-Clark).")
@click.option("--sharp", type=float, help="Edges where faces meet at more degrees than this stay sharp.")
@click.option("--file-creases", is_flag=True, help="So do edges where the normals of the file break.")
@common
def level(here: Studio, project: str, number: int, simple: bool, sharp: float | None, file_creases: bool) -> dict[str, Any]:
    """Paint the vertices of a PROJECT at a level of subdivision: 0 is the model as it is, each level has four times the faces."""
    uid = here.find(project)
    session = here.session(uid)
    vertices = session.document.vertices
    if vertices is None:
        raise InputError("This project has no vertex paint. Add it first: ruvelt vertex-paint PROJECT.")
    set_level(
        session,
        vertices.id,
        number,
        subdivision="simple" if simple else vertices.subdivision,
        sharp_deg=vertices.sharp_deg if sharp is None else sharp,
        file_creases=file_creases or vertices.file_creases,
    )
    return {"project": uid, "sheet": vertices.id, **sheet_facts(session, vertices.id), "level": number}


@main.command("transfer")
@click.argument("project")
@click.option("--from", "source", required=True, help="Sheet or vertices to take the layers of (id).")
@click.option("--to", "goal", required=True, help="Vertices or sheet to bring them to (id).")
@click.option("--flat", is_flag=True, help="What shows, in one layer of paint, instead of layer by layer.")
@click.option("--measure", is_flag=True, help="Only measure what would be lost of the base colour.")
@common
def transfer_paint(here: Studio, project: str, source: str, goal: str, flat: bool, measure: bool) -> dict[str, Any]:
    """Copy all layers of a PROJECT's vertices to a sheet, or of a sheet to its vertices: strokes and fills are laid again there."""
    uid = here.find(project)
    session = here.session(uid)
    if measure:
        told = preview(session, source, goal)
        return {"project": uid, "share": round(told.share, 5), "worst": round(told.worst, 5), "faces": len(told.faces), **loss(session, source, goal)}
    layer = transfer(session, source, goal, flat=flat)
    return {"project": uid, "layer": layer, **loss(session, source, goal)}


@main.command("swap")
@click.argument("project")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--uv-set", type=click.IntRange(0), help="The file's number of the UV set to paint on; its first when left out.")
@common
def swap(here: Studio, project: str, file: Path, uv_set: int | None) -> dict[str, Any]:
    """Lay a PROJECT's paint on another mesh FILE: a new layout, another order of its vertices, or a changed shape."""
    uid = here.find(project)
    if not file.is_file():
        raise InputError(f"There is no file '{file}'.")
    data = file.read_bytes()
    found = swap_mesh(here.session(uid), data, file.name, _beside(file, data), lambda done, planned, what: None, uv_set=uv_set)
    lost = {sheet: len(faces) for sheet, faces in found.lost.items()}
    return {"project": uid, "relation": found.relation, "lost": lost, "dropped": list(found.dropped)}


@main.command("colour-groups")
@click.argument("project")
@click.option("--sheet", required=True, help="Sheet or vertices to look at (id).")
@click.option("--colour", help="Faces near this colour, as #rrggbb; all faces by their colours when left out.")
@click.option("--tolerance", type=click.FloatRange(0, 1), default=0.08, show_default=True, help="How different a colour may be, in OKLab.")
@click.option("--count", type=click.IntRange(2, 12), default=4, show_default=True, help="Groups to make without a colour.")
@common
def colour_groups(here: Studio, project: str, sheet: str, colour: str | None, tolerance: float, count: int) -> dict[str, Any]:
    """Keep faces of a PROJECT as groups by what is painted on them."""
    uid = here.find(project)
    value = None if colour is None else colour_of(colour)
    made = groups_from_colour(here.session(uid), sheet, colour=value, tolerance=tolerance, count=count)
    index = here.session(uid).faces
    return {"project": uid, "groups": [{"name": g.name, "faces": int(index.mark(g.picks).sum())} for g in made]}


@main.command("uv-set")
@click.argument("project")
@click.argument("number", type=click.IntRange(0))
@common
def uv_set(here: Studio, project: str, number: int) -> dict[str, Any]:
    """Paint a PROJECT on another of its file's UV sets; what is painted already is laid there."""
    uid = here.find(project)
    choose_uv_set(here.session(uid), number)
    return {"project": uid, **_facts(here, uid)}


@main.command("vertex-paint")
@click.argument("project")
@click.option("--part", "parts", type=int, multiple=True, help="Only the vertices of this part, by number from 0; may be repeated.")
@common
def vertex_paint(here: Studio, project: str, parts: tuple[int, ...]) -> dict[str, Any]:
    """Give a PROJECT layers on the vertices of its model, beside its sheets."""
    uid = here.find(project)
    return {"project": uid, "sheet": add_vertex_paint(here.session(uid), parts=parts)}


@main.command()
@click.argument("project")
@click.option("--maps", default="normal,occlusion,curvature,position,thickness", show_default=True, help="Mesh maps by id, with commas between.")
@click.option("--high", "high", multiple=True, type=click.Path(path_type=Path), help="A high mesh to bring in first; may be repeated.")
@click.option("--sheet", "sheets", multiple=True, help="Only this sheet (id); may be repeated.")
@click.option("--source", type=click.Choice(["high", "model", "normal-map"]), default="high", show_default=True, help="What is measured.")
@click.option("--rays", type=int, help="Rays per texel.")
@click.option("--antialias", type=click.Choice(["1", "2", "4"]), help="Places measured a side of a texel.")
@click.option("--settings", "more", help="Other settings as JSON, distances as shares of the diagonal.")
@common
def bake(
    here: Studio,
    project: str,
    maps: str,
    high: tuple[Path, ...],
    sheets: tuple[str, ...],
    source: str,
    rays: int | None,
    antialias: str | None,
    more: str | None,
) -> dict[str, Any]:
    """Bake mesh maps of a PROJECT."""
    uid = here.find(project)
    session = here.session(uid)
    values: dict[str, Any] = {}
    if more is not None:
        try:
            values = dict(json.loads(more))
        except (ValueError, TypeError):
            raise InputError('--settings is not a JSON object, such as {"front": 0.03}.') from None
    values |= ({"rays": rays} if rays is not None else {}) | ({"antialias": int(antialias)} if antialias is not None else {})
    wanted = tuple(m.strip().replace("-", "_") for m in maps.split(",") if m.strip())
    try:
        asked = BakeRequest.model_validate({"maps": wanted, "sheets": sheets, "source": source, "settings": values})
    except ValidationError as error:
        first = error.errors()[0]
        raise InputError(f"The bake's {'.'.join(str(p) for p in first['loc'])} is wrong: {first['msg']}.") from None
    for file in high:
        if not file.is_file():
            raise InputError(f"There is no file '{file}'.")
        add_high_mesh(session, MeshUpload(file.read_bytes(), file.name), lambda done, planned, what: None)
    return {"project": uid, **here.bakery(uid).bake(asked), "history": session.store.head}


@main.command()
@click.option("--resolution", type=int, default=2048, show_default=True, help="Resolution of the larger sheet.")
@click.option("--first", "only_first", is_flag=True, help="Only the first one; `serve --demo` makes the others behind the open window.")
@common
def demo(here: Studio, resolution: int, only_first: bool) -> dict[str, Any]:
    """Make the demo projects, those that are not there already."""
    from ruvelt.demo.build import DEMOS, missing

    def say(done: int, planned: int, text: str) -> None:
        if done in (0, planned):
            click.echo(text, err=True)

    lacking = {demo.name for demo in missing(here)}
    known = {p.name: p.uid for p in here.projects()}
    wanted = DEMOS[:1] if only_first else DEMOS
    # The first one last: the newest stands first among the cards.
    made = {d.name: known.get(d.name) or d.build(here, resolution, say) for d in reversed(wanted)}
    return {"project": made[DEMOS[0].name], "projects": made, "made": any(d.name in lacking for d in wanted)}


@main.command()
@click.option("--data", type=click.Path(path_type=Path, file_okay=False), default=DEFAULT_DATA, help="Folder that holds the projects.")
@click.option("--port", type=click.IntRange(1, 65535), default=8120, show_default=True)
@click.option("--memory-mib", type=click.IntRange(256), default=4096, show_default=True, help="Memory for everything kept of open projects.")
@click.option("--import-mib", type=click.IntRange(16), default=2048, show_default=True, help="Memory an import may take beyond its file.")
@click.option("--threads", type=click.IntRange(1), default=None, help="Threads for computing; the machine's cores when left out.")
@click.option("--demo", "with_demo", is_flag=True, help="Make demo projects that are not there, behind the open window.")
@click.option("--json", "as_json", is_flag=True, help="Answer in JSON.")
def serve(data: Path, port: int, memory_mib: int, import_mib: int, threads: int | None, with_demo: bool, as_json: bool) -> None:
    """Start Ruvelt on 127.0.0.1 and keep it running."""
    from ruvelt.web.app import create_app
    from ruvelt.web.server import make_server

    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s: %(message)s")
    try:
        here = Studio(data, Limits(memory_mib << 20, threads, import_mib << 20), who=f"the Ruvelt at http://127.0.0.1:{port}")
        server = make_server(create_app(here), port)
    except OSError as error:
        fail(f"Cannot start on port {port}: {error.strerror}. Choose another with --port.", as_json)
        return
    signal.signal(signal.SIGTERM, lambda number, frame: sys.exit(0))
    here.housekeeping.start()
    here.preparing.start()
    if with_demo:
        from ruvelt.demo.build import make_behind

        make_behind(here)
    where = f"http://127.0.0.1:{port}"
    click.echo(json.dumps({"url": where}) if as_json else f"Ruvelt is at {where}  (Ctrl+C stops it)")
    try:
        server.run()
    finally:
        here.close()


@main.command()
@click.option("--json", "as_json", is_flag=True, help="Answer in JSON.")
@click.option("--data", type=click.Path(path_type=Path), default=None, help="Not used; accepted so that all commands take it.")
@click.option("--out", type=click.Path(path_type=Path), default=None, help="Also write the results to this JSON file.")
@click.option("--quick", is_flag=True, help="Smaller sizes, for a look; the figures do not count.")
def bench(as_json: bool, data: Path | None, out: Path | None, quick: bool) -> None:
    """Measure Ruvelt against other libraries in one run."""
    from ruvelt.bench.run import run_all, table

    results = run_all(quick, lambda text: click.echo(text, err=True))
    content = json.dumps(results, indent=2)
    if out is not None:
        out.parent.mkdir(parents=True, exist_ok=True)
        out.write_text(content + "\n")
    click.echo(content if as_json else table(results))


@main.command()
def warm() -> None:
    """Compile every kernel that changed, so that no first stroke waits."""
    import subprocess

    raise SystemExit(subprocess.run([sys.executable, "-m", "ruvelt.core.warming"], check=False).returncode)


@main.command()
def openapi() -> None:
    """Print the API's OpenAPI document."""
    import os
    import tempfile

    from ruvelt.web.context import DESCRIBE

    os.environ[DESCRIBE] = "1"
    from ruvelt.web.app import create_app
    from ruvelt.web.describe import describe

    with tempfile.TemporaryDirectory() as folder:
        here = Studio(Path(folder))
        click.echo(json.dumps(describe(create_app(here)), indent=1, sort_keys=True, default=str))
        here.close()


if __name__ == "__main__":
    main()
