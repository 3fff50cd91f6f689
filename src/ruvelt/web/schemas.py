"""What travels between browser and server. The TypeScript types are generated from these."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from ruvelt.core.bake.settings import BakeParameter, BakeSettings
from ruvelt.core.brush.gradient import Gradient
from ruvelt.core.brush.hand_tool import ToolKind
from ruvelt.core.brush.settings import Brush, BrushParameter
from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.mesh.unwrap import UnwrapSettings
from ruvelt.core.output.presets import ExportPreset
from ruvelt.core.stack.adjust_preset import AdjustPreset
from ruvelt.core.stack.adjustments import Adjustment
from ruvelt.core.stack.basics import Colour, FacePick, Id, Number, Share
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.contents import Content
from ruvelt.core.stack.document import Document, Part
from ruvelt.core.stack.edits import Edit
from ruvelt.core.stack.fields import Noise, Projection, Spots, Weave
from ruvelt.core.stack.kinds.adjustments.match import ColourFigures
from ruvelt.core.stack.kinds.controls import AdjustKind, Kind
from ruvelt.core.stack.masks import MaskStep
from ruvelt.studio.layout import Placement

#: The state a client saw; numbers beyond 2⁵³ are not whole in JavaScript.
Revision = Annotated[int, Field(ge=0, le=2**53)]
Resolution = Annotated[int, Field(ge=1, le=65536)]
Texture = Annotated[str, Field(min_length=1, max_length=120)]
Stamp = Annotated[str, Field(max_length=16)]
MapId = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9_-]{0,59}$")]


class Body(BaseModel):
    model_config = ConfigDict(extra="forbid")


class ProjectPath(BaseModel):
    uid: Annotated[str, Field(pattern=r"^[a-z0-9]{12}$")]


class SheetPath(ProjectPath):
    sheet: Id


class VersionPath(ProjectPath):
    number: Annotated[int, Field(ge=0, le=2**53)]


class JobPath(BaseModel):
    job: Annotated[str, Field(pattern=r"^[a-z0-9]{12}$")]


class ErrorAnswer(BaseModel):
    """Every error: what is wrong and what to do."""

    error: str


class ProjectCardAnswer(BaseModel):
    uid: str
    name: str
    created_at: float
    updated_at: float
    revision: int
    sheets: int
    layers: int
    #: Why it cannot be opened, null when nothing is known against it.
    trouble: str | None


class RecoverAnswer(BaseModel):
    project: str


class ProjectList(BaseModel):
    projects: list[ProjectCardAnswer]


class MakingAnswer(BaseModel):
    """A demo project that is being made."""

    name: str
    message: str
    done: int
    planned: int


class ReadinessAnswer(BaseModel):
    """What is still prepared behind an open server: kernels compiled, and demo projects made."""

    kernels_done: int
    kernels_planned: int
    making: list[MakingAnswer]


class MapFormatAnswer(BaseModel):
    """A file format of maps; bits : a component that it can hold; floats : those of them that are floating-point; lossy : it has a quality."""

    id: str
    name: str
    bits: list[int]
    floats: list[int] = []
    lossy: bool = False
    alpha: bool = True


class AssetFormatAnswer(BaseModel):
    id: str
    name: str


class BlendModeAnswer(BaseModel):
    id: str
    name: str
    kinds: list[str]


class KindAnswer(BaseModel):
    id: str
    name: str
    hint: str


class StackRegistry(BaseModel):
    """Kinds of mask sources, shapers, fill contents, their patterns, and adjustments, with first values by kind."""

    sources: list[Kind]
    shapers: list[Kind]
    contents: list[Kind]
    patterns: list[Kind]
    adjustments: list[AdjustKind]
    first_steps: dict[str, MaskStep]
    first_contents: dict[str, Content]
    first_patterns: dict[str, Noise | Spots | Weave]
    first_adjustments: dict[str, Adjustment]
    projection: Projection


class MeshMapKindAnswer(BaseModel):
    """One mesh map: what it tells, the settings that change it, whether it casts rays of its own, and whether it is painted, not baked."""

    id: str
    name: str
    components: int
    hint: str
    settings: list[str]
    rays: bool
    from_normal: bool
    by_hand: bool


class BakeRegistry(BaseModel):
    maps: list[MeshMapKindAnswer]
    parameters: list[BakeParameter]
    settings: BakeSettings


class Registries(BaseModel):
    """Everything the interface lays out from the server's own lists."""

    version: str
    brush_parameters: list[BrushParameter]
    brush: Brush
    #: What a stroke lays to begin with; its tools' settings stand in it.
    paint: Paint
    blend_modes: list[BlendModeAnswer]
    layer_kinds: list[KindAnswer]
    stack: StackRegistry
    pick_kinds: list[KindAnswer]
    resolutions: list[int]
    presets: list[ExportPreset]
    built_in_presets: list[str]
    map_formats: list[MapFormatAnswer]
    vertex_formats: list[MapFormatAnswer]
    asset_formats: list[AssetFormatAnswer]
    mesh_formats: list[str]
    #: Suffixes of files that meshes name: materials and buffers.
    beside_formats: list[str]
    #: Media types of pictures that can be read.
    picture_types: list[str]
    bake: BakeRegistry
    #: The hand tools in the order of the rail, and the first values of their own sliders, by tool.
    tools: list[ToolKind]
    tool_settings: dict[str, dict[str, float]]
    tips: list[TipAnswer]
    grains: list[TipAnswer]


class TileEntry(BaseModel):
    texture: str
    chunk: int
    version: str
    #: Where the tile's pixels start in the body; a tile of one colour has 4 bytes, others 262 144.
    offset: int
    length: int


class MapPath(SheetPath):
    map: MapId


class HighPath(ProjectPath):
    key: str


class PairRow(BaseModel):
    """A low part, what it is measured against (high parts by name, everything or nothing), and whether the artist said so."""

    low: str
    to: Literal["parts", "everything", "nothing"]
    high: list[str]
    said: bool


class PairTable(BaseModel):
    """Pairs of a bake, every high part there is, and those that no low part is measured against."""

    rows: list[PairRow]
    high: list[str]
    alone: list[str]


class ShellBody(Body):
    """The sheet whose rays are shown, and the bake's settings."""

    sheet: Id
    settings: BakeSettings


class ShellHeader(BaseModel):
    """How many triangles follow: (n, 3, 3) float32 places where rays start, then as many where they end, object space."""

    triangles: int


class BakeEstimate(BaseModel):
    """Rays that a bake would cast, bytes of memory it needs, and bytes that are free."""

    rays: int
    memory: int
    free: int


class ArrivedBody(Body):
    """Pieces of a running bake of one sheet and map that arrived after the first `after`."""

    sheet: Id
    map: MapId
    after: Revision = 0


class ArrivedHeader(BaseModel):
    """Header of a binary answer: how many pieces there are by now, then the tiles of those asked for."""

    count: int
    running: bool
    tiles: list[TileEntry]


class StraightBody(Body):
    revision: Revision


class TouchUpBody(Body):
    revision: Revision
    on: bool


class SuspectEntry(BaseModel):
    """Suspect texels of one part on one sheet: rays that met nothing, another part, or the far limit of the search."""

    sheet: str
    part: str
    missed: int
    other: int
    far: int


class SuspectsAnswer(BaseModel):
    suspects: list[SuspectEntry]


class PartAnswer(BaseModel):
    name: str
    faces: int


class LevelFacts(BaseModel):
    """A level of vertex paint, told without making it. `bytes`: of memory that painting it takes."""

    level: int
    faces: int
    vertices: int
    bytes: int


class SheetFacts(BaseModel):
    id: str
    faces: int
    islands: int
    covered: int
    density: float
    tile: int
    #: Of vertex paint: the levels up to the one above its own.
    levels: list[LevelFacts] = []


class FindingAnswer(BaseModel):
    kind: str
    title: str
    advice: str
    level: Literal["blocks", "warns"]
    count: int
    faces: list[int]


class NoteAnswer(BaseModel):
    """What the import did with one thing; `about`: the part, material or file."""

    about: str
    outcome: Literal["kept", "converted", "folded", "left out"]
    text: str


class UvLayoutAnswer(BaseModel):
    """A UV layout; `number`: the file's, -1 of one that was made here. The first one is painted."""

    name: str
    number: int


class ModelFacts(BaseModel):
    """The model in numbers. Finding `faces` stop at 20 000; `count` is true."""

    faces: int
    triangles: int
    vertices: int
    size: list[float]
    parts: list[PartAnswer]
    materials: list[str]
    groups: list[str]
    uv_layouts: list[UvLayoutAnswer]
    vertex_colors: bool
    file_normals: bool
    notes: list[NoteAnswer]
    sheets: list[SheetFacts]
    findings: list[FindingAnswer]


class ProjectState(BaseModel):
    """A project as the interface needs it. `revision` goes back with every change; `painted`: ids of planes that hold pixels."""

    uid: str
    name: str
    revision: int
    updated_at: float
    document: Document
    can_undo: bool
    can_redo: bool
    undo_label: str | None
    redo_label: str | None
    head: int
    painted: list[str]
    #: Changes when the model gets another UV layout.
    model: str


class RevisionAnswer(BaseModel):
    revision: int


class RenameBody(Body):
    name: Annotated[str, Field(min_length=1, max_length=80)]


class EditBody(Body):
    revision: Revision
    label: Annotated[str, Field(min_length=1, max_length=120)]
    edit: Edit


class CopyMaskBody(Body):
    """`layer` gets the mask of `source`."""

    revision: Revision
    sheet: Id
    source: Id
    layer: Id


class MaskPicturesBody(Body):
    sheet: Id
    layer: Id
    edit: Edit | None = None


class PicturesAnswer(BaseModel):
    pictures: dict[str, str]


class ImageAnswer(BaseModel):
    image: str


class StepBody(Body):
    revision: Revision | None = None


class VertexPaintBody(StepBody):
    """parts : those whose vertices are painted, by number; none for all"""

    parts: Annotated[list[Part], Field(max_length=100_000)] = []


class HiddenBody(Body):
    """hidden : faces that are hidden beside the parts; shown : the only ones that show, if any are named"""

    parts: Annotated[list[Part], Field(max_length=100_000)]
    hidden: Annotated[list[FacePick], Field(max_length=10_000)] = []
    shown: Annotated[list[FacePick], Field(max_length=10_000)] = []


class HiddenFaces(BaseModel):
    """Faces that do not show: the first of each run and how many it has, by turns."""

    runs: list[int]


class DuplicateBody(Body):
    revision: Revision
    sheet: Id
    layer: Id
    to_sheet: Id | None = None


class HistogramBody(Body):
    """`camera`: what that view shows; `picks`: only those faces."""

    sheet: Id
    layer: Id
    channel: MapId
    camera: Camera | None = None
    picks: Annotated[list[FacePick], Field(max_length=10_000)] | None = None


class HistogramAnswer(BaseModel):
    """Counts of 256 values, a list for each component."""

    bins: list[list[int]]


class ColourBeneathBody(Body):
    """`points`: pixels of the view of `camera`, or texels of the sheet, x right and y down."""

    sheet: Id
    layer: Id
    camera: Camera | None = None
    points: Annotated[list[tuple[Number, Number]], Field(min_length=1, max_length=4000)]


class ColourAnswer(BaseModel):
    colour: Colour


class MeasureBody(Body):
    sheet: Id
    layer: Id
    goal_layer: Id | None = None
    goal_picture: Id | None = None


class MeasureAnswer(BaseModel):
    source: ColourFigures
    goal: ColourFigures
    goal_name: str


class CatchBody(Body):
    """`range`: of the adjustment, by id; "" for all of them."""

    sheet: Id
    layer: Id
    range: Annotated[str, Field(pattern=r"^([a-z0-9][a-z0-9_-]{0,39})?$")]
    revision: Revision | None = None


class MergeBody(Body):
    sheet: Id
    layer: Id
    revision: Revision | None = None


class AdjustPresetsAnswer(BaseModel):
    presets: list[AdjustPreset]


class AdjustPresetPath(BaseModel):
    preset: Id


class ShowVariantBody(Body):
    variant: Id | None = None


class VariantsAnswer(BaseModel):
    """By id of the variant, "" the base: JPEG data URLs of those that are kept, and numbers of changes that wait for layers that are gone."""

    pictures: dict[str, str]
    waiting: dict[str, int]


class LookBody(Body):
    variant: Id | None = None


class LookAnswer(BaseModel):
    """A JPEG data URL."""

    picture: str


class VariantProjectBody(Body):
    variant: Id | None = None
    name: Annotated[str, Field(min_length=1, max_length=80)]


class ProjectIdAnswer(BaseModel):
    uid: str


class TakeOutBody(Body):
    """`layer`: the one whose paint is taken, with its alpha; None for what all of them come to."""

    sheet: Id
    channel: MapId
    layer: Id | None = None
    format: Literal["png", "tiff"] = "png"
    bits: Literal[8, 16] = 16


class TripAnswer(BaseModel):
    """A map that was taken out. `changed`: its file is not what was sent, or what came back last."""

    id: str
    file: str
    folder: str
    sheet: Id
    sheet_name: str
    channel: str
    channel_name: str
    layer: Id | None
    layer_name: str
    side: int
    bits: int
    colour_space: str
    changed: bool


class TripsAnswer(BaseModel):
    trips: list[TripAnswer]


class TripPath(BaseModel):
    uid: Annotated[str, Field(pattern=r"^[a-z0-9]{12}$")]
    trip: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9_-]{0,119}$")]


class BringBackBody(Body):
    """`scaled`: take a file of another size, resampled; `material`: on faces of this one of the model's materials only."""

    scaled: bool = False
    material: Annotated[int, Field(ge=0)] | None = None
    revision: Revision | None = None


class DifferenceAnswer(BaseModel):
    """`picture`: a PNG data URL of the map with what differs marked; `told`: what is worth knowing of the file."""

    changed: int
    covered: int
    told: list[str]
    picture: str


class LandedAnswer(BaseModel):
    layer: Id | None
    changed: int
    told: list[str]


class LayerAnswer(BaseModel):
    layer: str


class FloodBody(Body):
    revision: Revision
    target: Target
    paint: Paint
    picks: Annotated[list[FacePick], Field(max_length=10_000)] | None = None
    strength: Share = 1.0
    gradient: Gradient | None = None


class LassoBody(Body):
    """An outline over a view (pixels, with its camera) or over a flat sheet (texels, y down). `behind`: also faces hidden behind others."""

    camera: Camera | None = None
    sheet: Id | None = None
    outline: Annotated[list[tuple[Number, Number]], Field(min_length=3, max_length=2000)]
    behind: bool = False

    @field_validator("outline")
    @classmethod
    def _near(cls, value: list[tuple[float, float]]) -> list[tuple[float, float]]:
        if not all(abs(v) <= 1e5 for point in value for v in point):
            raise ValueError("the outline leaves the view; draw it inside")
        return value


class LassoAnswer(BaseModel):
    """The picked faces: as picks, and (up to 200 000) one by one, to show them."""

    picks: list[FacePick]
    faces: list[int]


class TipAnswer(BaseModel):
    """A brush tip or grain of the library. `picture`: a PNG data URL, white where it paints."""

    id: str
    name: str
    hint: str
    relief: bool
    picture: str


class ProbeBody(Body):
    """What lies under a pixel of the view (camera) or a texel of a sheet (x right, y down)."""

    camera: Camera | None = None
    sheet: Id | None = None
    x: Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]
    y: Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]
    values: bool = False
    island: bool = False


class ProbeAnswer(BaseModel):
    hit: bool
    sheet: str | None = None
    position: list[float] | None = None
    normal: list[float] | None = None
    belongs: dict[str, int] | None = None
    names: dict[str, str] | None = None
    values: dict[str, list[float]] | None = None
    layout_island: int | None = None
    faces: list[int] | None = None
    density: float | None = None
    other_density: float | None = None


class DisplayBody(Body):
    """Textures of a sheet and the stamps the client holds ("" for none), one a chunk; only chunks that differ come back.

    `edit`: as they would be after an edit that is not taken; with `camera` only what that view shows.
    """

    sheet: Id
    textures: Annotated[list[Texture], Field(min_length=1, max_length=8)]
    have: Annotated[dict[Texture, Annotated[list[Stamp], Field(max_length=1024)]], Field(max_length=64)] = {}
    edit: Edit | None = None
    camera: Camera | None = None


class DisplayHeader(BaseModel):
    """Header of a binary answer: its JSON, then the pixels."""

    revision: int
    side: int
    tiles: list[TileEntry]


class PatchEntry(BaseModel):
    texture: str
    x: int
    y: int
    width: int
    height: int
    offset: int
    length: int


class VersionEntry(BaseModel):
    texture: str
    chunk: int
    version: str


class StrokeHeader(BaseModel):
    """Header of a stroke's binary answer."""

    patches: list[PatchEntry]
    dabs: int
    chunks: int
    milliseconds: float
    stored: bool
    versions: list[VersionEntry]
    hit: list[float] | None
    #: Where a shape's points lie, once they have snapped.
    shape: list[list[float]] | None
    revision: int


class Block(BaseModel):
    offset: int
    length: int


class PartRange(BaseModel):
    part: int
    first: int
    count: int


class SheetGeometry(BaseModel):
    """Header of a binary answer: one sheet's triangles, those of vertex paint, or with an empty `sheet` those of a model without either."""

    sheet: str
    of: Literal["texels", "vertices"] = "texels"
    vertices: Block
    indices: Block
    faces: Block
    lines: Block
    seams: Block
    colours: Block
    parts: list[PartRange]
    squares: list[tuple[int, int]] = []


class GeometryHeader(BaseModel):
    """The model's bounds, and the sheets whose geometry can be asked for; none when the model has no UVs."""

    low: list[float]
    high: list[float]
    diagonal: float
    width: float
    sheets: list[str]


class CellsAnswer(BaseModel):
    """PNG data URLs by "layer/channel" and "layer/mask"."""

    cells: dict[str, str]
    waiting: dict[str, list[str]] = {}


class HistoryStep(BaseModel):
    seq: int
    label: str
    created_at: float
    undone: bool
    stroke: bool
    #: Whether undo can still reach it.
    kept: bool


class FileSizesAnswer(BaseModel):
    """Bytes on disk: the project's file, what of it only undo needs, and pictures that can be made anew."""

    project: int
    undo: int
    pictures: int


class UvSetBody(Body):
    """The file's number of the UV set to paint on."""

    revision: Revision
    number: Annotated[int, Field(ge=0, le=999)]


class KeepUndoBody(Body):
    """How many steps undo keeps; 0 keeps all."""

    steps: Annotated[int, Field(ge=0, le=1_000_000)]


class VersionAnswer(BaseModel):
    id: int
    name: str
    created_at: float


class HistoryAnswer(BaseModel):
    steps: list[HistoryStep]
    versions: list[VersionAnswer]
    undo_steps: int
    sizes: FileSizesAnswer


class VersionBody(Body):
    name: Annotated[str, Field(min_length=1, max_length=80)]


class UnwrapBody(Body):
    resolution: Resolution = 1024
    settings: UnwrapSettings = UnwrapSettings()


class PackBody(Body):
    """Least distance between islands, texels."""

    padding: Annotated[float, Field(ge=0, le=64, allow_inf_nan=False)] = 4


class PlaceBody(Body):
    revision: Revision
    placement: Placement


class SeamBody(ProbeBody):
    """Mark the edge nearest to a pixel or texel, or take its mark off; `loop`: with all edges that go on straight."""

    revision: Revision
    loop: bool = False


class SeamLines(BaseModel):
    """Ends of the marked edges, six numbers each, object space."""

    lines: list[list[float]]


class LevelBody(Body):
    """`sharp_deg`: edges where faces of the model meet at more stay sharp; null: none. `file_creases`: so do those where
    the file's normals break. Rules can be set only where nothing lies above level 0."""

    sheet: Id
    level: Annotated[int, Field(ge=0, le=8)]
    subdivision: Literal["smooth", "simple"] = "smooth"
    sharp_deg: Annotated[float, Field(ge=0, le=180)] | None = None
    file_creases: bool = False


class TransferBody(Body):
    """From vertices to a sheet, or from a sheet to vertices. `flat`: what shows in one layer of paint, instead of layer by layer."""

    from_sheet: Id
    to_sheet: Id
    flat: bool = False


class TransferLoss(BaseModel):
    """Samples of either side that lie on the surface; `ratio`: of the old for one of the new."""

    from_samples: int
    to_samples: int
    ratio: float


class ResolutionBody(Body):
    sheet: Id
    resolution: Resolution


class JobAnswer(BaseModel):
    id: str
    kind: str
    title: str
    state: Literal["running", "done", "failed", "cancelled"]
    done: int
    planned: int
    message: str
    result: dict[str, Any]
    error: str | None


class ScriptQuery(BaseModel):
    since: Annotated[int, Field(ge=0, le=2**53)] = 0


class ColourGroupsBody(StepBody):
    """colour : faces within `tolerance` of it become one group, called `name`; null: all faces become `count` groups"""

    sheet: Id
    colour: Colour | None = None
    tolerance: Annotated[float, Field(ge=0, le=1)] = 0.08
    count: Annotated[int, Field(ge=2, le=12)] = 4
    name: Annotated[str, Field(max_length=80)] = ""


class StairsAnswer(BaseModel):
    """Faces where edges of paint on vertices break into stairs: how many, and which (20 000 at most)."""

    count: int
    faces: list[int]


class UnpaintedAnswer(BaseModel):
    """Texels that nothing has painted in base colour, and the faces they lie on (20 000 at most)."""

    covered: int
    unpainted: int
    faces: list[int]
