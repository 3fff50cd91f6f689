"""What an imported file becomes: sheets whose layers hold its pictures and factors, images, and notes on all of it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass, replace
from hashlib import blake2b

import numpy as np

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.facts import STRAIGHT, AlphaMode, Material, Note, PictureUse, counted
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers.asset import Asset
from ruvelt.core.mesh.sheets import SheetPlan, SheetRule, plan_sheets
from ruvelt.core.output.images import check_picture
from ruvelt.core.samples.resolutions import RESOLUTIONS, side_for
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.channels import STANDARD_CHANNELS, Channel
from ruvelt.core.stack.document import AnyLayer, ChannelUse, FillLayer, Image, PaintLayer, Sheet, new_channel_uses, safe_id
from ruvelt.core.stack.kinds.contents.file import FileContent
from ruvelt.core.stack.kinds.contents.vertex_colours import VertexContent
from ruvelt.core.stack.kinds.sources.faces import FacesSource
from ruvelt.core.stack.masks import Mask
from ruvelt.core.workers import Workers
from ruvelt.studio.vertex_numbers import channels_of, with_numbers

#: Resolution where no picture says more.
USUAL = 1024
#: Parts told of one by one; a file of more gets one note on all of them.
TOLD_PARTS = 200
#: Materials of one sheet, each with a layer of its own; and pictures of one file.
MOST_MATERIALS, MOST_PICTURES = 200, 500
_ROLES = {c.id: c.name.lower() for c in STANDARD_CHANNELS} | {"normal": "normal map"}
_STRONGER: tuple[AlphaMode, ...] = ("auto", "opaque", "mask", "blend")


@dataclass(frozen=True)
class Incoming:
    """A new project's content. `pictures`: encoded bytes by image key; `multiply`: whether vertex colours multiply the base colour."""

    model: Model
    sheets: tuple[Sheet, ...]
    images: tuple[Image, ...] = ()
    channels: tuple[Channel, ...] = STANDARD_CHANNELS
    pictures: dict[str, bytes] | None = None
    multiply: bool = False


@dataclass(frozen=True)
class _Known:
    """A picture that can be used."""

    image: Image
    name: str


def take_in(asset: Asset, rule: SheetRule, resolution: int | None, uv_set: int | None, workers: Workers) -> Incoming:
    """Sheets, layers, images and notes of an asset. `resolution` None follows the pictures; `uv_set`: the set to paint on, None for the first.

    Raises InputError for a UV set that is not there, or when the model cannot be divided into sheets.
    """
    model = with_first(asset.model, uv_set)
    notes: list[Note] = []
    model = with_numbers(model, notes)
    known = _known_pictures(asset, notes, workers)
    laid = {m: [u for u in uses if u.picture in known] for m, uses in enumerate(asset.uses)}
    laid = {m: _reachable(model, m, uses, notes) for m, uses in laid.items()}
    sheets: tuple[Sheet, ...]
    if not model.uv_layouts:
        sheets = (vertex_set(model),)
    else:
        plans = plan_sheets(model, rule)
        sheets = _sheets(model, plans, resolution, laid, known, painted=not asset.colors_multiply)
        notes += _picture_notes(model, plans, laid, known) + _folded(plans)
    used = sorted({u.picture for uses in laid.values() for u in uses}) if sheets else []
    images = tuple({known[p].image.key: known[p].image for p in used}.values())
    pictures = {known[p].image.key: asset.pictures[p].data for p in used}
    # On vertices they are a layer: there is nothing else that they could multiply.
    multiply = bool(model.uv_layouts) and asset.colors_multiply and model.vertex_colors is not None and bool((model.vertex_colors[:, :3] < 1).any())
    notes += _colour_notes(model, multiply, bool(sheets))
    model = replace(model, notes=(*_part_notes(model), *notes, *model.notes))
    return Incoming(model, sheets, images, channels_of(model), pictures, multiply)


def with_first(model: Model, number: int | None) -> Model:
    """The model with the file's UV set of that number painted; the others keep their order behind it."""
    if number is None:
        return model
    chosen = next((u for u in model.uv_layouts if u.number == number), None)
    if chosen is None:
        there = ", ".join(str(u.number) for u in model.uv_layouts) or "none"
        raise InputError(f"The model has no UV set {number}; it has {there}. Choose one of those.")
    return replace(model, uv_layouts=(chosen, *(u for u in model.uv_layouts if u is not chosen)))


# -- pictures -------------------------------------------------------------------------------------------------------------------


def _known_pictures(asset: Asset, notes: list[Note], workers: Workers) -> dict[int, _Known]:
    """Those of the asset's pictures that are whole, by their number."""
    wanted = sorted({u.picture for uses in asset.uses for u in uses})
    if len(wanted) > MOST_PICTURES:
        notes.append(Note("File", "left out", f"{counted(len(wanted) - MOST_PICTURES, 'picture')}: a project holds at most {MOST_PICTURES}."))
        wanted = wanted[:MOST_PICTURES]

    def look(number: int) -> tuple[int, int] | str:
        try:
            return check_picture(asset.pictures[number].data)
        except InputError as error:
            return str(error)

    found: dict[int, _Known] = {}
    for number, told in zip(wanted, workers.map(look, wanted), strict=True):
        picture = asset.pictures[number]
        if isinstance(told, str):
            about = ", ".join(sorted({asset.model.materials[m].name for m, uses in enumerate(asset.uses) if any(u.picture == number for u in uses)}))
            notes.append(Note(about, "left out", f"The picture '{picture.name}': {told}"))
            continue
        key = blake2b(picture.data, digest_size=10).hexdigest()
        name = "".join(c for c in picture.name if c.isprintable()).strip()[:80] or "Picture"
        found[number] = _Known(Image(key=key, name=name, width=told[0], height=told[1]), name)
    return found


def _reachable(model: Model, material: int, uses: list[PictureUse], notes: list[Note]) -> list[PictureUse]:
    """Uses whose UV set the model has."""
    sets = {u.number for u in model.uv_layouts}
    gone = [u for u in uses if u.uv_set not in sets]
    for use in gone:
        text = f"The picture of {_ROLES[use.role]}: it lies by UV set {use.uv_set}, which the mesh does not have."
        notes.append(Note(model.materials[material].name, "left out", text))
    return [u for u in uses if u not in gone]


def _content(use: PictureUse, key: str, material: int | None) -> FileContent:
    laid = {k: v for k, v in asdict(use).items() if k not in ("role", "picture")}
    return FileContent(image=key, material=material, **laid)


def vertex_set(model: Model, taken: Iterable[str] = (), parts: tuple[int, ...] = ()) -> Sheet:
    """Layers on the model's vertices: paint, the colours the file brought, and a ground in the first material's values.

    taken : ids of sheets that are there; parts : those whose vertices they are. Raises InputError for more vertices than can be painted.
    """
    others = set(taken)
    sheet_id = next(i for i in ("vertices", *(f"vertices-{n}" for n in range(2, len(others) + 3))) if i not in others)
    of = model.face_material[np.isin(model.face_part, parts)] if parts else model.face_material
    materials = [m for m, _ in Counter(of.tolist()).most_common(MOST_MATERIALS)]
    layers = _layers(model, materials or [0], {}, {}, painted=True)
    return Sheet(id=sheet_id, name="Vertices", of="vertices", parts=parts, resolution=side_for(model.vertex_count), layers=layers)


def bare_sheets(model: Model, rule: SheetRule, resolution: int) -> tuple[Sheet, ...]:
    """Sheets of a model that has just got its UVs: grounds in the materials' values, and its vertex colours where it has any."""
    return _sheets(model, plan_sheets(model, rule), resolution, {}, {}, painted=True)


# -- sheets ---------------------------------------------------------------------------------------------------------------------


def _sheets(
    model: Model, plans: Sequence[SheetPlan], resolution: int | None, laid: dict[int, list[PictureUse]], known: dict[int, _Known], painted: bool
) -> tuple[Sheet, ...]:
    sheets: list[Sheet] = []
    taken: set[str] = set()
    for index, plan in enumerate(plans):
        sheet_id = safe_id(plan.name)
        while sheet_id in taken:
            sheet_id = f"{safe_id(plan.name)}-{len(taken)}"
        taken.add(sheet_id)
        materials = _by_share(model, plan)
        if len(materials) > MOST_MATERIALS:
            raise InputError(
                f"The sheet '{plan.name[:40]}' would hold {len(materials):,} materials; at most {MOST_MATERIALS} fit on one. "
                "Choose sheets by material, or join materials in your modelling program."
            )
        layers = _layers(model, materials, laid, known, painted)
        alone = len(materials) == 1
        normal = tuple(
            _content(u, known[u.picture].image.key, None if alone else m) for m in materials for u in laid.get(m, []) if u.role == "normal"
        )
        facts = max((model.materials[m] for m in materials), key=lambda m: _STRONGER.index(m.alpha_mode))
        sheets.append(
            Sheet(
                id=sheet_id,
                name=plan.name[:80],
                plan=index,
                resolution=resolution or _resolution(materials, laid, known),
                layers=layers,
                normal_pictures=normal,
                double_sided=any(model.materials[m].double_sided for m in materials),
                alpha_mode=facts.alpha_mode,
                alpha_cutoff=facts.alpha_cutoff,
                emissive_strength=max(model.materials[m].emissive_strength for m in materials),
            )
        )
    return tuple(sheets)


def _by_share(model: Model, plan: SheetPlan) -> list[int]:
    """Materials of a sheet's faces, the commonest first."""
    return [m for m, _ in Counter(model.face_material[plan.faces].tolist()).most_common()]


def _resolution(materials: list[int], laid: dict[int, list[PictureUse]], known: dict[int, _Known]) -> int:
    """The first resolution that loses nothing of the sheet's largest picture."""
    sides = [max(known[u.picture].image.width, known[u.picture].image.height) for m in materials for u in laid.get(m, [])]
    if not sides:
        return USUAL
    return next((r for r in RESOLUTIONS if r >= max(sides)), RESOLUTIONS[-1])


def _layers(model: Model, materials: list[int], laid: dict[int, list[PictureUse]], known: dict[int, _Known], painted: bool) -> tuple[AnyLayer, ...]:
    """Paint in front, then the file's pictures and colours, then a ground in the material's values."""
    uses = new_channel_uses(channels_of(model))
    alone = len(materials) == 1
    stack: list[AnyLayer] = [FillLayer(id="l1", name="Ground", channels=_values(model.materials[materials[0]], uses))]
    front: list[AnyLayer] = [PaintLayer(id="l2", name="Paint", channels=uses)]

    def add(name: str, channels: dict[str, ChannelUse], mask: Mask | None = None) -> None:
        stack.insert(0, FillLayer(id=f"l{len(stack) + 2}", name=name[:80], channels=channels, mask=mask))

    for m in materials[1:]:
        if (values := _values(model.materials[m], uses)) != _values(model.materials[materials[0]], uses):
            add(model.materials[m].name, values, Mask(sources=(FacesSource(id="m1", picks=(FacePick(by="material", index=m),)),)))
    brought = {"base_color": ChannelUse(content=VertexContent())} if painted and model.vertex_colors is not None else {}
    brought |= {n.name: ChannelUse(content=VertexContent(of=n.name)) for n in model.vertex_numbers}
    if brought:
        add("Vertex colours" if list(brought) == ["base_color"] else "Values of vertices", brought)
    for m in reversed(materials):
        channels = {
            u.role: ChannelUse(content=_content(u, known[u.picture].image.key, None if alone else m), blend=uses[u.role].blend)
            for u in laid.get(m, [])
            if u.role != "normal"
        }
        if channels:
            add("Pictures" if alone else f"Pictures of {model.materials[m].name}", channels)
    return (*front, *stack)


def _values(material: Material, uses: dict[str, ChannelUse]) -> dict[str, ChannelUse]:
    """What a material's factors lay down."""
    values: dict[str, tuple[float, ...]] = {
        "base_color": material.base_color[:3],
        "roughness": (material.roughness,),
        "metallic": (material.metallic,),
    }
    if material.base_color[3] < 1:
        values["opacity"] = (material.base_color[3],)
    if max(material.emission) > 0:
        values["emission"] = material.emission
    return {k: uses[k].model_copy(update={"value": tuple(round(min(max(c, 0.0), 1.0), 4) for c in v)}) for k, v in values.items()}


# -- notes ----------------------------------------------------------------------------------------------------------------------


def _picture_notes(model: Model, plans: Sequence[SheetPlan], laid: dict[int, list[PictureUse]], known: dict[int, _Known]) -> list[Note]:
    """What became of each material's pictures."""
    notes = []
    painted = model.uv_layouts[0].number
    # Where UVs stay in the square, nothing is seen of a picture's edges but by a transform.
    beyond = {m for p in plans if p.squares is not None for m in _by_share(model, p)}
    beyond |= {m for m, uses in laid.items() if any(u.transform != STRAIGHT for u in uses)}
    for m, uses in laid.items():
        for picture in dict.fromkeys(u.picture for u in uses):
            mine = [u for u in uses if u.picture == picture]
            image = known[picture].image
            roles = [_ROLES[u.role] for u in mine]
            what = roles[0] if len(roles) == 1 else f"{', '.join(roles[:-1])} and {roles[-1]}"
            changes = [text for changed, text in (
                (any(u.transform != STRAIGHT for u in mine), "moved, turned or scaled as the file says"),
                (any(u.uv_set != painted for u in mine), f"laid by UV set {mine[0].uv_set}, seen on the painted one"),
                (m in beyond and any(u.wrap != ("repeat", "repeat") for u in mine), "clamped or mirrored at its edges"),
                (any(_scaled(u) for u in mine), "multiplied by its factor"),
                (image.width != image.height or image.width not in RESOLUTIONS, "resampled to the sheet"),
            ) if changed]  # fmt: skip
            text = f"'{image.name}' ({image.width} × {image.height}) as {what}" + "".join(f"; {c}" for c in changes) + "."
            notes.append(Note(model.materials[m].name, "converted" if changes else "kept", text))
    return notes


def _scaled(use: PictureUse) -> bool:
    return use.role not in ("height", "normal") and (any(v != 0 for v in use.low) or any(v != 1 for v in use.high))


def _folded(plans: Sequence[SheetPlan]) -> list[Note]:
    notes = []
    for plan in plans:
        if plan.squares is None:
            continue
        moved = int((plan.squares != 0).any(axis=1).sum())
        text = f"UVs of {counted(moved, 'face')} lie in other squares" if moved else "UVs reach over the edge of the square"
        notes.append(
            Note(plan.name, "folded", f"{text} and were folded into the first: the layout repeats, so what is painted once shows in each place.")
        )
    return notes


def _colour_notes(model: Model, multiply: bool, sheets: bool) -> list[Note]:
    if model.vertex_colors is None:
        return []
    if multiply:
        return [Note("File", "kept", "Vertex colours: they multiply the base colour, as in the file, and go out again with a GLB.")]
    notes = [Note("File", "kept", "Vertex colours" + (", as a layer of base colour." if sheets else "."))]
    if (model.vertex_colors[:, 3] < 1).any() and all(n.name != "opacity" for n in model.vertex_numbers):
        notes.append(Note("File", "left out", "The alpha of vertex colours: paint opacity where something should show through."))
    return notes


def _part_notes(model: Model) -> list[Note]:
    """Faces, UV sets and normals, part by part."""
    faces = np.bincount(model.face_part, minlength=len(model.parts)).tolist()
    more = []
    if model.uv_layouts:
        more.append("one UV set" if len(model.uv_layouts) == 1 else f"{len(model.uv_layouts)} UV sets")
    if model.file_normals is not None:
        more.append("normals")
    tail = f", with {' and '.join([', '.join(more[:-1]), more[-1]] if len(more) > 1 else more)}" if more else ""
    tree = [Note("File", "kept", f"The tree of {counted(len(model.nodes), 'node')}, for a GLB.")] if len(model.nodes) > len(model.parts) else []
    if len(model.parts) > TOLD_PARTS:
        return [*tree, Note("File", "kept", f"{len(model.parts):,} parts of {model.face_count:,} faces{tail}.")]
    return [*tree, *(Note(p, "kept", f"{counted(n, 'face')}{tail}.") for p, n in zip(model.parts, faces, strict=True))]
