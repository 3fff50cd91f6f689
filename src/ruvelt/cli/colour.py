"""Commands of colour: adjustments, variants, and maps that are changed in a program outside."""

from __future__ import annotations

import json
import time
from pathlib import Path
from typing import Any

import click

from ruvelt.cli.common import common
from ruvelt.core.errors import InputError, RuveltError
from ruvelt.core.stack.basics import Colour
from ruvelt.core.stack.document import AdjustLayer, ChannelUse, SwatchRole
from ruvelt.core.stack.edits import AddLayer, SetLayer, SetRoleColour, SetRoles, SetVariants
from ruvelt.core.stack.variant import Variant
from ruvelt.studio import taking_out, trips
from ruvelt.studio.adjusting import adjust_layer, catch_to_group, catch_to_mask
from ruvelt.studio.bringing_back import difference, land
from ruvelt.studio.layer_ids import IdMaker
from ruvelt.studio.merging import merge_down
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio
from ruvelt.studio.variants import variant_facts

#: Seconds between two looks at a watched folder.
LOOK = 0.5
#: Colours written with two digits are the same up to this.
SAME = 1 / 300


def colour_of(text: str) -> Colour:
    """sRGB 0–1 of #rrggbb. Raises InputError."""
    digits = text.removeprefix("#")
    try:
        if len(digits) != 6:
            raise ValueError
        r, g, b = (int(digits[i : i + 2], 16) / 255 for i in (0, 2, 4))
    except ValueError:
        raise InputError(f"'{text[:20]}' is no colour. Write it as #rrggbb.") from None
    return r, g, b


def _settings(text: str) -> dict[str, Any]:
    try:
        found = json.loads(text)
    except ValueError:
        found = None
    if not isinstance(found, dict):
        raise InputError('The settings are not a JSON object. Write them as in \'{"kind": "hsv", "hue": 20}\'.')
    return found


def _added(session: Session, sheet: str, name: str, adjust: dict[str, Any]) -> str:
    layer = IdMaker(session.sheet(sheet)).new()
    try:
        new = AdjustLayer.model_validate({"id": layer, "name": name, "channels": {"base_color": ChannelUse()}, "adjust": adjust})
    except ValueError as error:
        raise InputError(f"That is no adjustment: {str(error).splitlines()[-2].strip()}") from None
    session.edit(AddLayer(sheet=sheet, layer=new), f"Add {name}")
    return layer


def _ranged(layer: AdjustLayer, colour: Colour, given: dict[str, Any], **numbers: float | None) -> list[dict[str, Any]]:
    """The layer's ranges with one for a colour set; a new one where none has it."""
    ranges = [r.model_dump() for r in layer.ranges]
    mine = next((r for r in ranges if max(abs(a - b) for a, b in zip(r["colour"], colour, strict=True)) < SAME), None)
    if mine is None:
        taken = {r["id"] for r in ranges}
        mine = {"id": next(f"r{n}" for n in range(1, len(ranges) + 2) if f"r{n}" not in taken), "colour": colour, "adjust": {}}
        ranges.append(mine)
    mine["adjust"] = {**mine["adjust"], **given, "kind": layer.adjust.kind}
    mine |= {k: v for k, v in numbers.items() if v is not None}
    return ranges


@click.command()
@click.argument("project")
@click.option("--sheet", required=True, help="Sheet or vertices (id).")
@click.option("--layer", help="The adjustment to change (id); a new one in front when left out.")
@click.option("--settings", default="{}", help='Settings as JSON, with "kind" for a new one: {"kind": "hsv", "hue": 20}.')
@click.option("--range", "colour", help="Within colours like this one only, as #rrggbb: a range that is there, or a new one.")
@click.option("--tolerance", type=click.FloatRange(0, 1), default=None, help="How different a colour may be, in OKLab.")
@click.option("--softness", type=click.FloatRange(0, 1), default=None, help="How far the range fades out.")
@click.option("--name", default="Adjustment", show_default=True, help="Name of a new layer.")
@common
def adjust(
    here: Studio,
    project: str,
    sheet: str,
    layer: str | None,
    settings: str,
    colour: str | None,
    tolerance: float | None,
    softness: float | None,
    name: str,
) -> dict[str, Any]:
    """Add an adjustment to a PROJECT, or change the numbers of one that is there; with --range for some colours only."""
    session, given = here.session(here.find(project)), _settings(settings)
    picked = None if colour is None else colour_of(colour)
    made = layer or _added(session, sheet, name, given if picked is None else {"kind": given.get("kind", "hsv")})
    now = adjust_layer(session, sheet, made)
    values: dict[str, Any] = {}
    if picked is not None:
        values["ranges"] = _ranged(now, picked, given, tolerance=tolerance, softness=softness)
    elif layer is not None and given:
        values["adjust"] = {**now.adjust.model_dump(), **given, "kind": now.adjust.kind}
    if values:
        session.edit(SetLayer(sheet=sheet, layer=made, values=values), f"Set {now.name}")
    now = adjust_layer(session, sheet, made)
    ranges = [r.model_dump(mode="json") for r in now.ranges]
    return {"project": session.uid, "layer": made, "adjust": now.adjust.model_dump(mode="json"), "ranges": ranges}


@click.command("catch")
@click.argument("project")
@click.option("--sheet", required=True, help="Sheet or vertices (id).")
@click.option("--layer", required=True, help="The adjustment (id).")
@click.option("--range", "range_id", default="", help="Its range (id); all of them when left out.")
@click.option("--to", "goal", type=click.Choice(["mask", "group"]), required=True, help="A masked paint layer, or a face group.")
@common
def catch(here: Studio, project: str, sheet: str, layer: str, range_id: str, goal: str) -> dict[str, Any]:
    """Make a mask or a face group of what a range of an adjustment catches."""
    session = here.session(here.find(project))
    if goal == "mask":
        return {"project": session.uid, "layer": catch_to_mask(session, sheet, layer, range_id)}
    catch_to_group(session, sheet, layer, range_id)
    return {"project": session.uid, "group": session.document.face_sets[-1].name}


@click.command("merge-down")
@click.argument("project")
@click.option("--sheet", required=True, help="Sheet or vertices (id).")
@click.option("--layer", required=True, help="The upper layer (id).")
@common
def merge(here: Studio, project: str, sheet: str, layer: str) -> dict[str, Any]:
    """Make one paint layer of a layer and the one under it."""
    session = here.session(here.find(project))
    return {"project": session.uid, "layer": merge_down(session, sheet, layer)}


def _set_variants(session: Session, add: tuple[str, ...], gone: tuple[str, ...]) -> None:
    kept = [v for v in session.document.variants if v.id not in gone]
    unknown = set(gone) - {v.id for v in session.document.variants}
    if unknown:
        raise InputError(f"There is no variant '{sorted(unknown)[0]}'. There are: {', '.join(v.id for v in session.document.variants) or 'none'}.")
    for title in add:
        number = next(n for n in range(1, len(kept) + 2) if all(v.id != f"v{n}" for v in kept))
        kept.append(Variant(id=f"v{number}", name=title))
    session.edit(SetVariants(variants=tuple(kept)), "Variants")


def _set_role(session: Session, text: str) -> None:
    """NAME=#rrggbb: a new role, or a colour for the one of that name."""
    title, _, colour = text.partition("=")
    roles = session.document.settings.roles
    found = next((r for r in roles if r.name == title), None)
    if found is not None:
        return session.edit(SetRoleColour(role=found.id, colour=colour_of(colour)), f"Colour of {title}")
    if session.document.showing is not None:
        raise InputError(f"There is no swatch role '{title}'. Show the base to add one.")
    made = SwatchRole(id=f"role{len(roles) + 1}", name=title, colour=colour_of(colour))
    session.edit(SetRoles(roles=(*roles, made)), f"Role {title}")


@click.command("variants")
@click.argument("project")
@click.option("--add", multiple=True, help="A new variant of this name; may be repeated.")
@click.option("--delete", "gone", multiple=True, help="Delete a variant (id); may be repeated.")
@click.option("--show", help="Show a variant (id), or 'base'; what is changed then is that one's.")
@click.option("--role", "roles", multiple=True, help="A swatch role as NAME=#rrggbb: a new one, or a colour for it in what shows.")
@click.option("--as-project", "alone", help="Make a project of a variant (id), or of 'base'.")
@click.option("--name", help="Name of that project.")
@common
def variants(
    here: Studio,
    project: str,
    add: tuple[str, ...],
    gone: tuple[str, ...],
    show: str | None,
    roles: tuple[str, ...],
    alone: str | None,
    name: str | None,
) -> dict[str, Any]:
    """List, add, delete and show variants of a PROJECT."""
    session = here.session(here.find(project))
    if add or gone:
        _set_variants(session, add, gone)
    if show is not None:
        session.show_variant(None if show == "base" else show)
    for role in roles:
        _set_role(session, role)
    told: dict[str, Any] = {"project": session.uid}
    if alone is not None:
        told["made"] = here.copy_variant(session.uid, None if alone == "base" else alone, name or f"{session.store.name} ({alone})")
    document, waiting = session.document, variant_facts(session)
    told["showing"] = document.showing or "base"
    told["variants"] = [
        {"id": v.id, "name": v.name, "changes": sum(len(o.values) for o in v.overrides), "waiting": waiting[v.id]} for v in document.variants
    ]
    return told


@click.command("take-out")
@click.argument("project")
@click.option("--sheet", required=True, help="Sheet (id).")
@click.option("--channel", default="base_color", show_default=True, help="Channel (id).")
@click.option("--layer", help="Only this layer (id), with its alpha.")
@click.option("--format", "suffix", type=click.Choice(["png", "tiff"]), default="png", show_default=True)
@click.option("--bits", type=click.Choice(["8", "16"]), default="16", show_default=True)
@click.option("--folder", type=click.Path(path_type=Path, file_okay=False), required=True, help="Folder to write into.")
@common
def take_out(here: Studio, project: str, sheet: str, channel: str, layer: str | None, suffix: str, bits: str, folder: Path) -> dict[str, Any]:
    """Take a map of a PROJECT out for a program outside, with its UV wire and island ids beside it."""
    made = taking_out.take_out(here.session(here.find(project)), folder, sheet, channel, layer, suffix=suffix, bits=int(bits))
    return {"project": made.project, "file": str(folder / made.file), "trip": made.id, "side": made.side, "colour_space": made.colour_space}


@click.command("bring-back")
@click.argument("project")
@click.option("--folder", type=click.Path(path_type=Path, file_okay=False, exists=True), required=True, help="The folder it was taken out into.")
@click.option("--trip", "trip_id", help="Which map; all that were saved since when left out.")
@click.option("--look", is_flag=True, help="Only tell what differs.")
@click.option("--scaled", is_flag=True, help="Take a file of another size, resampled.")
@click.option("--material", "material_name", help="On faces of this material of the model only.")
@click.option("--watch", type=click.FloatRange(0, 86_400), help="Go on for so many seconds, laying each file when it is saved.")
@common
def bring_back(
    here: Studio, project: str, folder: Path, trip_id: str | None, look: bool, scaled: bool, material_name: str | None, watch: float | None
) -> dict[str, Any]:
    """Lay maps of a PROJECT that were changed outside as layers over the old."""
    session = here.session(here.find(project))
    material = None if material_name is None else _material(session, material_name)
    back: list[dict[str, Any]] = []
    until = time.monotonic() + (watch or 0)
    while True:
        last = time.monotonic() >= until
        for trip in trips.trips_in(folder) if trip_id is None else [trips.trip_of(folder, trip_id)]:
            if not trips.is_changed(folder, trip) and (trip_id is None or watch is not None):
                continue
            try:
                back.append(_brought(session, folder, trip, look, scaled, material))
            except RuveltError:
                # A file that is being written is whole at the next look.
                if last:
                    raise
        if last:
            return {"project": session.uid, "back": back}
        time.sleep(LOOK)


def _material(session: Session, name: str) -> int:
    names = [m.name for m in session.model.materials]
    if name not in names:
        raise InputError(f"The model has no material '{name[:40]}'. It has: {', '.join(names)}.")
    return names.index(name)


def _brought(session: Session, folder: Path, trip: trips.Trip, look: bool, scaled: bool, material: int | None) -> dict[str, Any]:
    if look:
        found = difference(session, folder, trip, scaled, material)
        return {"trip": trip.id, "changed": found.count, "covered": found.covered, "told": found.told}
    layer, found = land(session, folder, trip, scaled, material=material)
    return {"trip": trip.id, "layer": layer, "changed": found.count, "told": found.told}


COMMANDS = (adjust, catch, merge, variants, take_out, bring_back)
