"""Bodies and answers of exports and checks."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field

from ruvelt.core.output.presets import ExportPreset
from ruvelt.core.stack.basics import Id
from ruvelt.web.schemas import Body, MapId, ProjectPath


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
