"""Commands that hand work over: exports, and their presets."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from ruvelt.cli.common import common
from ruvelt.core.errors import InputError
from ruvelt.core.output.asset import asset_writer_of
from ruvelt.core.output.presets import ExportPreset
from ruvelt.core.output.vertex_writer import vertex_writer_of
from ruvelt.core.output.writer import writer_of
from ruvelt.studio.export_wish import ExportWish, plan_export, remember, the_last
from ruvelt.studio.exports import export_project, files_as_json
from ruvelt.studio.files_before import FilesBefore
from ruvelt.studio.reviewing import finding_as_json, review_project
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio


def preset_file(path: Path) -> ExportPreset:
    """A preset from a file. Raises InputError, in words that name what is wrong in it."""
    try:
        return ExportPreset.model_validate_json(path.read_bytes())
    except OSError as error:
        raise InputError(f"'{path}' cannot be read ({error.strerror}).") from None
    except ValueError as error:
        told = [line.strip() for line in str(error).splitlines() if line.startswith("  ")]
        raise InputError(f"'{path.name}' is no export preset: {told[0] if told else 'it is not JSON'}") from None


def _preset(here: Studio, name: str) -> ExportPreset:
    return preset_file(Path(name)) if name.endswith(".json") else here.presets.get(name)


@click.command()
@click.argument("project")
@click.option("--preset", default="separate-maps", show_default=True, help="Export preset by id, or a file with one (.json).")
@click.option("--out", type=click.Path(path_type=Path), help="Folder to write into.")
@click.option("--format", "formats", multiple=True, help="File format by id, instead of the preset's; with several each gets a folder of its own.")
@click.option("--asset", "assets", multiple=True, help="Also the whole asset in this format (id); may be repeated.")
@click.option("--sheet", "sheets", multiple=True, help="Only this sheet (id); may be repeated.")
@click.option("--map", "maps", multiple=True, help="Only this map (id); may be repeated. Without it, maps that say nothing are left out.")
@click.option("--all-maps", is_flag=True, help="Also maps that no layer says anything in.")
@click.option("--variant", "variants", multiple=True, help="This variant (id), or 'base'; may be repeated. What shows when left out.")
@click.option("--last", is_flag=True, help="Repeat the last export of the project; files that are made of the same stay as they are.")
@click.option("--over", is_flag=True, help="Also over files in the folder that something else wrote or changed.")
@common
def export(
    here: Studio,
    project: str,
    preset: str,
    out: Path | None,
    formats: tuple[str, ...],
    assets: tuple[str, ...],
    sheets: tuple[str, ...],
    maps: tuple[str, ...],
    all_maps: bool,
    variants: tuple[str, ...],
    last: bool,
    over: bool,
) -> dict[str, Any]:
    """Write a map set of a PROJECT, and whole assets with it."""
    uid = here.find(project)
    session = here.session(uid)
    if last:
        return _told(uid, _written(here, session, the_last(here.exports_of(uid)), over))
    if out is None:
        raise InputError("Give a folder with --out, or repeat the last export with --last.")
    chosen = _preset(here, preset)
    if assets:
        chosen = chosen.model_copy(update={"assets": tuple(dict.fromkeys((*chosen.assets, *(asset_writer_of(a).id for a in assets))))})
    looks = tuple(None if v == "base" else v for v in variants) or None
    done = []
    for file_format in formats or ("",):
        folder = (out / file_format if len(formats) > 1 else out).absolute()
        one = _with_format(chosen, file_format)
        wish = ExportWish(preset=one, sheets=sheets or None, maps=maps or None, variants=looks, out=str(folder))
        done.append(_written(here, session, wish if all_maps or maps else _without_silent(session, wish), over))
    return _told(uid, *done)


def _with_format(preset: ExportPreset, file_format: str) -> ExportPreset:
    if not file_format:
        return preset
    if preset.vertex_files:
        return preset.model_copy(update={"vertex_files": (vertex_writer_of(file_format).id,)})
    writer = writer_of(file_format)
    # A format for all: what single maps say otherwise gives way.
    plain = tuple(m.model_copy(update={"format": None}) for m in preset.maps)
    return preset.model_copy(update={"format": writer.id, "maps": plain})


def _without_silent(session: Session, wish: ExportWish) -> ExportWish:
    """Maps that say nothing on any of the sheets are off."""
    if wish.preset.vertex_files:
        return wish
    plan = plan_export(session, wish.model_copy(update={"out": ""}))
    maps = tuple(m.model_copy(update={"on": m.on and m.id not in plan.quiet}) for m in wish.preset.maps)
    return wish.model_copy(update={"preset": wish.preset.model_copy(update={"maps": maps})}) if any(m.on for m in maps) else wish


def _written(here: Studio, session: Session, wish: ExportWish, over: bool) -> dict[str, Any]:
    folder = Path(wish.out)
    before = FilesBefore(folder)
    files = export_project(session, wish.preset, folder, sheets=wish.sheets, maps=wish.maps, variants=wish.variants, over=over)
    remember(here.exports_of(session.uid), wish)
    return {"preset": wish.preset.id, "out": str(folder), "changed": len(before.changed(files)), "files": files_as_json(files)}


def _told(uid: str, *done: dict[str, Any]) -> dict[str, Any]:
    first = done[0]
    if len(done) == 1:
        return {"project": uid, **first}
    return {"project": uid, "exports": [{k: v for k, v in d.items() if k != "files"} for d in done], "files": [f for d in done for f in d["files"]]}


@click.command("presets")
@click.option("--show", help="Write this preset (id) out as JSON.")
@click.option("--import", "file", type=click.Path(path_type=Path), help="Keep the preset in this file as an own one.")
@click.option("--delete", "gone", help="Delete an own preset (id).")
@common
def presets(here: Studio, show: str | None, file: Path | None, gone: str | None) -> dict[str, Any]:
    """List export presets, or import, write out and delete one."""
    if show is not None:
        return here.presets.get(show).model_dump(mode="json")
    if file is not None:
        here.presets.save(preset_file(file))
    if gone is not None:
        here.presets.get(gone)
        here.presets.delete(gone)
    return {"presets": [{"id": p.id, "name": p.name} for p in here.presets.all()]}


@click.command("check")
@click.argument("project")
@click.option("--preset", default="separate-maps", show_default=True, help="Export preset by id or file (.json): its maps and thresholds.")
@click.option("--sheet", "sheets", multiple=True, help="Only this sheet (id); may be repeated.")
@click.option("--check", "checks", multiple=True, help="Only this check (id); may be repeated.")
@common
def check_(here: Studio, project: str, preset: str, sheets: tuple[str, ...], checks: tuple[str, ...]) -> dict[str, Any]:
    """Check a PROJECT's finished maps. Ends with 1 where something is found that a receiver would stumble over."""
    session = here.session(here.find(project))
    found = review_project(session, _preset(here, preset), sheets or None, checks or None)
    told = [finding_as_json(session, f) for f in found]
    for one in told:
        one["faces"] = len(one["faces"])
    bad = sum(1 for f in found if f.level == "warns")
    return {"project": session.uid, "warnings": bad, "findings": told, "exit_code": 1 if bad else 0}


COMMANDS = (export, presets, check_)
