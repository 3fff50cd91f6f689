"""Bodies and answers of exports and checks."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from ruvelt.core.output.presets import ExportPreset
from ruvelt.core.stack.basics import Id
from ruvelt.web.schemas import Body, MapId, ProjectPath, Revision


class ExportPath(ProjectPath):
    name: Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9_-]{0,79}$")]


class ExportBody(Body):
    """An export by preset, with what the person changed; `sheets` None means all, `maps` None those that are on."""

    preset: ExportPreset
    sheets: Annotated[list[Id], Field(max_length=1000)] | None = None
    maps: Annotated[list[MapId], Field(max_length=200)] | None = None
    #: By id, null for the base; none: what shows.
    variants: Annotated[list[Id | None], Field(max_length=65)] | None = None


class AgainBody(Body):
    """`over`: also over files that something else changed in the folder since."""

    over: bool = False


class PreviewBody(Body):
    preset: ExportPreset
    sheet: Id
    map: MapId


class PresetsAnswer(BaseModel):
    presets: list[ExportPreset]


class PresetPath(BaseModel):
    preset: MapId


class PlannedMapAnswer(BaseModel):
    name: str
    sheet: str
    map: str
    bytes: int
    seconds: float
    unchanged: bool


class SilentMap(BaseModel):
    sheet: str
    map: str


class ExportPlanAnswer(BaseModel):
    """What an export will come to; `silent`: maps that no layer says anything in."""

    files: list[PlannedMapAnswer]
    silent: list[SilentMap]


class LastExport(BaseModel):
    """What was exported last: by which preset, and where it lies."""

    preset: str
    name: str
    folder: str


class LastExportAnswer(BaseModel):
    last: LastExport | None


class CheckBody(Body):
    """Check finished work as a preset writes it; `sheets` and `checks` None mean all."""

    preset: ExportPreset
    sheets: Annotated[list[Id], Field(max_length=1000)] | None = None
    checks: Annotated[list[Annotated[str, Field(max_length=60)]], Field(max_length=100)] | None = None


class MendBody(Body):
    """Put a finding right. clamp: `low` and `high`, sRGB 0–255; soften: `channel`."""

    mend: Literal["clamp", "soften", "cut-out"]
    sheet: Id
    channel: Annotated[str, Field(max_length=40)] = "base_color"
    low: Annotated[float, Field(ge=0, le=255)] = 30
    high: Annotated[float, Field(ge=0, le=255)] = 240
    revision: Revision | None = None


class MapCheckAnswer(BaseModel):
    id: str
    name: str
    hint: str


class MendAnswer(BaseModel):
    id: str
    label: str
    values: dict[str, float | str]


class FindingPlace(BaseModel):
    """Where views go: a place on the sheet, 0–1 from its top left, and on the surface, with the way it faces."""

    sheet: tuple[float, float]
    position: tuple[float, float, float]
    normal: tuple[float, float, float]


class MapFindingAnswer(BaseModel):
    """One thing that was found; `faces` of the model, `look`: where views go, `share` of the sheet 0–1."""

    check: str
    level: Literal["warns", "tells"]
    sheet: str
    sheet_name: str
    title: str
    why: str
    share: float
    map: str
    faces: list[int]
    look: FindingPlace | None
    mend: MendAnswer | None


class FindingsAnswer(BaseModel):
    """What the result of a check's job holds."""

    findings: list[MapFindingAnswer]


class MapChecksAnswer(BaseModel):
    checks: list[MapCheckAnswer]
