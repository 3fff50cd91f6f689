"""What was exported last, so that it can be repeated with one press; and what an export will come to."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ruvelt.core.errors import NotFound, StorageError
from ruvelt.core.output.estimate import estimate, says_something
from ruvelt.core.output.mapset import chosen_maps, plan_files
from ruvelt.core.output.presets import ExportPreset, with_own_channels
from ruvelt.core.stack.basics import Frozen
from ruvelt.studio.exports import chosen_sheets, documents_of, looks_of
from ruvelt.studio.files_before import FilesBefore
from ruvelt.studio.session import Session

LAST = "last.json"


class ExportWish(Frozen):
    """What is exported, and where to. `sheets` and `maps` None are all (of maps those that are on).

    `variants` by id, None for the base, and without them what shows; `out`: the folder.
    """

    preset: ExportPreset
    sheets: tuple[str, ...] | None = None
    maps: tuple[str, ...] | None = None
    variants: tuple[str | None, ...] | None = None
    out: str


def last_wish(folder: Path) -> ExportWish | None:
    """What was exported last of the project whose exports lie here."""
    try:
        return ExportWish.model_validate_json((folder / LAST).read_bytes())
    except (OSError, ValueError):
        return None


def the_last(folder: Path) -> ExportWish:
    """The same. Raises NotFound where nothing was exported yet."""
    found = last_wish(folder)
    if found is None:
        raise NotFound("Nothing was exported of this project yet. Choose a preset and write it once.")
    return found


def remember(folder: Path, wish: ExportWish) -> None:
    """Keep a wish for the next time. Raises StorageError."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        part = folder / f".{LAST}.part"
        part.write_text(wish.model_dump_json(indent=1), "utf-8")
        part.replace(folder / LAST)
    except OSError as error:
        raise StorageError(f"The export is written, but could not be noted to be repeated ({error.strerror}). Free some space.") from None


@dataclass(frozen=True)
class PlannedMap:
    """A file as it will be. unchanged : it lies in the folder already, made of the same"""

    name: str
    sheet: str
    map: str
    bytes: int
    seconds: float
    unchanged: bool


@dataclass(frozen=True)
class ExportPlan:
    """files : what will be written; silent : (sheet, map) of maps that no layer says anything in; quiet : maps that are silent on all sheets"""

    files: list[PlannedMap]
    silent: list[tuple[str, str]]
    quiet: frozenset[str]


def plan_export(session: Session, wish: ExportWish) -> ExportPlan:
    """What an export comes to, from a few chunks of each map. Raises InputError as the export would."""
    preset = wish.preset
    before = FilesBefore(Path(wish.out)) if wish.out else None
    with session.lock:
        sheets = chosen_sheets(session, wish.sheets)
        looks = looks_of(session, documents_of(session, wish.variants), sheets, preset)
        files: list[PlannedMap] = []
        silent: list[tuple[str, str]] = []
        speaking: set[str] = set()
        for display in looks[0].displays:
            maps = with_own_channels(preset, session.document).of_sheet(display.evaluator.sheet.id).maps
            known = {m.id for m in chosen_maps(display, preset, [m.id for m in maps])}
            mute = [m.id for m in maps if m.id in known and not says_something(display, m)]
            silent += [(display.evaluator.sheet.id, m) for m in mute]
            speaking |= known - set(mute)
        for one in [] if preset.vertex_files else plan_files(looks, preset, session.store.name, wish.maps):
            same = before is not None and before.kept(one.name, one.made_of) is not None
            found = estimate(one)
            files.append(PlannedMap(one.name, one.sheet, one.specs[0].id, found.bytes, 0.0 if same else found.seconds, same))
        return ExportPlan(files, silent, frozenset({m for _, m in silent} - speaking))
