"""Edits of the document. Each makes a new document and knows the edit that takes it back."""

from __future__ import annotations

from typing import Annotated, Any, Literal, TypeVar

from pydantic import Field, TypeAdapter, ValidationError

from ruvelt.core.errors import InputError, NotFound
from ruvelt.core.stack.basics import Colour, Frozen, Id
from ruvelt.core.stack.blend import checked_mode, modes
from ruvelt.core.stack.channels import MOST_CHANNELS, Channel
from ruvelt.core.stack.document import (
    ANY_MODE,
    MAX_DEPTH,
    AnyLayer,
    Document,
    FaceGroup,
    GroupLayer,
    HighMesh,
    Image,
    Layer,
    Settings,
    Sheet,
    SwatchRole,
    Vertex,
)
from ruvelt.core.stack.references import check_references
from ruvelt.core.stack.variant import FIELDS, MOST_VARIANTS, Variant
from ruvelt.core.stack.variants import base_of, shown_as, variant_of, with_override, with_variant

_LAYER: TypeAdapter[AnyLayer] = TypeAdapter(Layer)
#: What "set-layer" may change.
LAYER_FIELDS = ("name", "visible", "locked", "strength", "blend", "channels", "mask", "adjust", "components", "reach", "ranges", "rest")
MAX_LAYERS = 1000
M = TypeVar("M", bound=Frozen)


class AddLayer(Frozen):
    """Put a layer into a group (or the sheet itself) at an index, 0 in front."""

    edit: Literal["add-layer"] = "add-layer"
    sheet: Id
    layer: Layer
    into: Id | None = None
    index: Annotated[int, Field(ge=0, le=100_000)] = 0


class RemoveLayer(Frozen):
    edit: Literal["remove-layer"] = "remove-layer"
    sheet: Id
    layer: Id


class MoveLayer(Frozen):
    """Take a layer out and put it elsewhere; `index` counts after it was taken out."""

    edit: Literal["move-layer"] = "move-layer"
    sheet: Id
    layer: Id
    into: Id | None = None
    index: Annotated[int, Field(ge=0, le=100_000)] = 0


class SetLayer(Frozen):
    """Replace some fields of a layer: name, visible, locked, strength, blend, channels, mask, an adjustment and its ranges.

    variant : the one that says so, of what variants may say otherwise; None for the base
    """

    edit: Literal["set-layer"] = "set-layer"
    sheet: Id
    layer: Id
    values: dict[str, Any]
    variant: Id | None = None


class SetSheet(Frozen):
    """Replace a sheet's name, resolution, normal map flag, solo layer or list of mesh maps; pixels are the caller's to bring along."""

    edit: Literal["set-sheet"] = "set-sheet"
    sheet: Id
    values: dict[str, Any]


class SetSettings(Frozen):
    edit: Literal["set-settings"] = "set-settings"
    values: dict[str, Any]


class SetHighMeshes(Frozen):
    """Replace the list of high meshes and the cage; their triangles are the caller's to bring along."""

    edit: Literal["set-high-meshes"] = "set-high-meshes"
    meshes: Annotated[tuple[HighMesh, ...], Field(max_length=64)]
    cage: HighMesh | None = None


class SetImages(Frozen):
    """Replace the list of pictures; their pixels are the caller's to bring along."""

    edit: Literal["set-images"] = "set-images"
    images: Annotated[tuple[Image, ...], Field(max_length=500)]


class SetFaceGroups(Frozen):
    """Replace the list of named picks of faces."""

    edit: Literal["set-face-sets"] = "set-face-sets"
    face_sets: Annotated[tuple[FaceGroup, ...], Field(max_length=200)]


class SetSeams(Frozen):
    """Replace the edges that split islands for picking."""

    edit: Literal["set-seams"] = "set-seams"
    seams: Annotated[tuple[tuple[Vertex, Vertex], ...], Field(max_length=1_000_000)]


class SetVariants(Frozen):
    """Replace the list of variants; one that shows and is not among them gives way to the base."""

    edit: Literal["set-variants"] = "set-variants"
    variants: Annotated[tuple[Variant, ...], Field(max_length=MOST_VARIANTS)]


class PutVariant(Frozen):
    """Put one variant in place of the one with its id: how changes of it are taken back."""

    edit: Literal["put-variant"] = "put-variant"
    variant: Variant


class ShowVariant(Frozen):
    """Show a variant, or the base: what views and exports are made of, and what changes of layers go to."""

    edit: Literal["show-variant"] = "show-variant"
    variant: Id | None = None


class SetRoles(Frozen):
    """Replace the list of swatch roles, with the base's colours."""

    edit: Literal["set-roles"] = "set-roles"
    roles: Annotated[tuple[SwatchRole, ...], Field(max_length=100)]


class SetRoleColour(Frozen):
    """Another colour for a swatch role, in a variant or in the base."""

    edit: Literal["set-role-colour"] = "set-role-colour"
    role: Id
    colour: Colour
    variant: Id | None = None


class AddChannel(Frozen):
    """Add a channel, at the end or (taking a removal back) where it was."""

    edit: Literal["add-channel"] = "add-channel"
    channel: Channel
    index: Annotated[int, Field(ge=0, le=100_000)] | None = None


class RemoveChannel(Frozen):
    edit: Literal["remove-channel"] = "remove-channel"
    channel: str


class ReplaceDocument(Frozen):
    """Put a whole document in place (a named version brought back)."""

    edit: Literal["replace-document"] = "replace-document"
    document: Document


class Batch(Frozen):
    """Several edits as one."""

    edit: Literal["batch"] = "batch"
    edits: Annotated[tuple[Edit, ...], Field(max_length=2000)]


AnyEdit = (
    AddLayer
    | RemoveLayer
    | MoveLayer
    | SetLayer
    | SetSheet
    | SetHighMeshes
    | SetImages
    | SetFaceGroups
    | SetSeams
    | SetSettings
    | SetVariants
    | PutVariant
    | ShowVariant
    | SetRoles
    | SetRoleColour
    | AddChannel
    | RemoveChannel
    | ReplaceDocument
    | Batch
)
Edit = Annotated[AnyEdit, Field(discriminator="edit")]
Batch.model_rebuild()
EDIT: TypeAdapter[AnyEdit] = TypeAdapter(Edit)


def check_alone(edit: AnyEdit) -> None:
    """Raises InputError for an edit that makes no sense without pixels or triangles brought along; those have use-cases of their own."""
    match edit:
        case Batch():
            for one in edit.edits:
                check_alone(one)
        case SetSheet():
            if set(edit.values) & {"resolution", "normal_map", "mesh_maps", "level", "subdivision", "sharp_deg", "file_creases"}:
                raise InputError("A sheet's resolution, level, normal map and mesh maps change with its pixels. Use the Model and Bake screens.")
        case ReplaceDocument() | SetHighMeshes() | SetImages() | PutVariant():
            raise InputError(f"'{edit.edit}' cannot be asked for by itself. Restore a version, or add meshes and images from their files.")


def check_modes(document: Document, edit: AnyEdit) -> None:
    """Raises InputError for a blend mode that is neither known nor in the document: only what a plug-in left there is kept."""
    match edit:
        case Batch():
            for one in edit.edits:
                check_modes(document, one)
        case SetLayer():
            channels = edit.values.get("channels")
            uses = channels.values() if isinstance(channels, dict) else ()
            named = [edit.values.get("blend"), *(u.get("blend") for u in uses if isinstance(u, dict))]
            for mode in named:
                if isinstance(mode, str) and mode not in modes() and mode not in _modes_of(document):
                    checked_mode(mode)


def _modes_of(document: Document) -> set[str | None]:
    layers = [layer for sheet in document.sheets for layer, _ in sheet.walk()]
    return {x.blend for x in layers} | {use.blend for x in layers for use in x.channels.values()}


def for_showing(document: Document, edit: AnyEdit) -> AnyEdit:
    """The edit as it is meant while a variant shows: what variants may say otherwise goes to that one."""
    if document.showing is None:
        return edit
    match edit:
        case Batch():
            return edit.model_copy(update={"edits": tuple(for_showing(document, one) for one in edit.edits)})
        case SetLayer() | SetRoleColour() if edit.variant is None:
            return edit.model_copy(update={"variant": document.showing})
    return edit


def apply_edit(document: Document, edit: AnyEdit) -> tuple[Document, AnyEdit]:
    """The changed document and the edit that undoes it. What shows goes on to show.

    Raises NotFound for a layer, sheet or variant that is not there, InputError for a change that cannot be. The given document is never changed.
    """
    if document.showing is None or isinstance(edit, ShowVariant | ReplaceDocument):
        return _applied(document, edit)
    changed, inverse = _applied(base_of(document), edit)
    still = any(v.id == document.showing for v in changed.variants)
    return shown_as(changed, document.showing if still else None), inverse


def _applied(document: Document, edit: AnyEdit) -> tuple[Document, AnyEdit]:
    match edit:
        case Batch():
            inverses: list[AnyEdit] = []
            for one in edit.edits:
                document, inverse = _applied(document, one)
                inverses.append(inverse)
            return document, Batch(edits=tuple(reversed(inverses)))
        case ReplaceDocument():
            return edit.document, ReplaceDocument(document=document)
        case SetHighMeshes():
            undone = SetHighMeshes(meshes=document.high_meshes, cage=document.cage_mesh)
            return document.model_copy(update={"high_meshes": edit.meshes, "cage_mesh": edit.cage}), undone
        case SetFaceGroups():
            if len({f.id for f in edit.face_sets}) != len(edit.face_sets):
                raise InputError("Two face groups have one id. Give each its own.")
            return document.model_copy(update={"face_sets": edit.face_sets}), SetFaceGroups(face_sets=document.face_sets)
        case SetImages():
            return document.model_copy(update={"images": edit.images}), SetImages(images=document.images)
        case SetSeams():
            return document.model_copy(update={"seams": edit.seams}), SetSeams(seams=document.seams)
        case ShowVariant():
            return shown_as(document, edit.variant), ShowVariant(variant=document.showing)
        case SetVariants():
            if len({v.id for v in edit.variants}) != len(edit.variants):
                raise InputError("Two variants have one id. Give each its own.")
            changed = document.model_copy(update={"variants": edit.variants})
            for variant in edit.variants:
                # What cannot be laid is refused now, not when it is looked at.
                shown_as(changed, variant.id)
            return changed, SetVariants(variants=document.variants)
        case PutVariant():
            had = variant_of(document, edit.variant.id)
            changed = with_variant(document, edit.variant)
            shown_as(changed, had.id)
            return changed, PutVariant(variant=had)
        case SetRoles():
            if len({r.id for r in edit.roles}) != len(edit.roles):
                raise InputError("Two swatch roles have one id. Give each its own.")
            settings = document.settings.model_copy(update={"roles": edit.roles})
            return document.model_copy(update={"settings": settings}), SetRoles(roles=document.settings.roles)
        case SetRoleColour():
            return _set_role_colour(document, edit)
        case SetLayer() if edit.variant is not None:
            return _set_in_variant(document, edit, variant_of(document, edit.variant))
        case SetSettings():
            if "roles" in edit.values:
                raise InputError("Swatch roles are set by edits of their own.")
            settings = _replace(document.settings, edit.values, Settings)
            old = {k: getattr(document.settings, k) for k in edit.values}
            return document.model_copy(update={"settings": settings}), SetSettings(values=old)
        case AddChannel():
            if document.channel(edit.channel.id) is not None or edit.channel.id == "normal":
                raise InputError(f"There is a channel '{edit.channel.id}' already. Choose another name.")
            if len(document.channels) >= MOST_CHANNELS:
                raise InputError(f"A project holds at most {MOST_CHANNELS} channels.")
            at = len(document.channels) if edit.index is None else edit.index
            channels = (*document.channels[:at], edit.channel, *document.channels[at:])
            return document.model_copy(update={"channels": channels}), RemoveChannel(channel=edit.channel.id)
        case RemoveChannel():
            channel = document.channel(edit.channel)
            if channel is None:
                raise NotFound(f"There is no channel '{edit.channel}'.")
            at = document.channels.index(channel)
            channels = tuple(c for c in document.channels if c is not channel)
            return document.model_copy(update={"channels": channels}), AddChannel(channel=channel, index=at)
        case _:
            return _edit_sheet(document, edit)


def _set_role_colour(document: Document, edit: SetRoleColour) -> tuple[Document, AnyEdit]:
    role = next((r for r in document.settings.roles if r.id == edit.role), None)
    if role is None:
        raise NotFound("That swatch role is gone; it may have been deleted in another window.")
    if edit.variant is None:
        roles = tuple(r.model_copy(update={"colour": edit.colour}) if r.id == edit.role else r for r in document.settings.roles)
        settings = document.settings.model_copy(update={"roles": roles})
        return document.model_copy(update={"settings": settings}), edit.model_copy(update={"colour": role.colour})
    variant = variant_of(document, edit.variant)
    colours = {k: v for k, v in {**variant.roles, edit.role: edit.colour}.items() if k != edit.role or v != role.colour}
    return with_variant(document, variant.model_copy(update={"roles": colours})), PutVariant(variant=variant)


def _set_in_variant(document: Document, edit: SetLayer, variant: Variant) -> tuple[Document, AnyEdit]:
    """`document` is the base."""
    seen = shown_as(document, variant.id).sheet(edit.sheet)
    base = document.sheet(edit.sheet)
    if seen is None or base is None:
        raise NotFound(f"There is no sheet '{edit.sheet}' in this project.")
    layer, own = _place(seen, edit.layer)[0], _place(base, edit.layer)[0]
    _check_fields(edit)
    new = _replace_layer(layer, edit.values)
    check_references(_map_layer(seen, layer.id, new))
    inverse: AnyEdit = PutVariant(variant=variant)
    # A name or a lock is of the layer, whatever shows.
    shared = {k: v for k, v in edit.values.items() if k not in FIELDS and k != "channels"}
    if shared:
        document, back = _edit_sheet(document, edit.model_copy(update={"values": shared, "variant": None}))
        inverse = Batch(edits=(inverse, back))
    if len(shared) == len(edit.values):
        return document, inverse
    return with_variant(document, with_override(variant, edit.sheet, own, new)), inverse


def _check_fields(edit: SetLayer) -> None:
    if not edit.values or not set(edit.values) <= set(LAYER_FIELDS):
        raise InputError(f"A layer's {', '.join(sorted(set(edit.values) - set(LAYER_FIELDS))) or 'nothing'} cannot be set.")


def _edit_sheet(document: Document, edit: AddLayer | RemoveLayer | MoveLayer | SetLayer | SetSheet) -> tuple[Document, AnyEdit]:
    sheet = document.sheet(edit.sheet)
    if sheet is None:
        raise NotFound(f"There is no sheet '{edit.sheet}' in this project.")
    inverse: AnyEdit
    match edit:
        case SetSheet():
            allowed = {"name", "resolution", "normal_map", "normal_pictures", "solo", "mesh_maps", "double_sided", "alpha_mode", "alpha_cutoff",
                       "emissive_strength", "level", "subdivision", "sharp_deg", "file_creases"}  # fmt: skip
            if not set(edit.values) <= allowed:
                raise InputError(f"A sheet's {', '.join(sorted(set(edit.values) - allowed))} cannot be set.")
            old = {k: getattr(sheet, k) for k in edit.values}
            changed, inverse = _replace(sheet, edit.values, Sheet), SetSheet(sheet=sheet.id, values=old)
        case AddLayer():
            taken = {layer.id for layer, _ in sheet.walk()}
            new = [edit.layer.id] if not isinstance(edit.layer, GroupLayer) else [edit.layer.id, *(x.id for x, _ in _inside(edit.layer))]
            if taken & set(new) or len(set(new)) != len(new):
                raise InputError("A layer with that id is there already. Reload the project and try again.")
            if len(taken) + len(new) > MAX_LAYERS:
                raise InputError(f"A sheet holds at most {MAX_LAYERS} layers.")
            changed, inverse = _insert(sheet, edit.layer, edit.into, edit.index), RemoveLayer(sheet=sheet.id, layer=edit.layer.id)
        case RemoveLayer():
            layer, into, index = _place(sheet, edit.layer)
            changed, inverse = _take(sheet, layer.id), AddLayer(sheet=sheet.id, layer=layer, into=into, index=index)
        case MoveLayer():
            layer, into, index = _place(sheet, edit.layer)
            if isinstance(layer, GroupLayer) and edit.into in {layer.id, *(x.id for x, _ in _inside(layer))}:
                raise InputError("A group cannot be moved into itself.")
            changed = _insert(_take(sheet, layer.id), layer, edit.into, edit.index)
            inverse = MoveLayer(sheet=sheet.id, layer=layer.id, into=into, index=index)
        case SetLayer():
            layer, _, _ = _place(sheet, edit.layer)
            _check_fields(edit)
            old = layer.model_dump(include=set(edit.values))
            new_layer = _replace_layer(layer, edit.values)
            changed, inverse = _map_layer(sheet, layer.id, new_layer), SetLayer(sheet=sheet.id, layer=layer.id, values=old)
    if not isinstance(edit, SetSheet | RemoveLayer):
        check_references(changed)
    sheets = tuple(changed if s.id == sheet.id else s for s in document.sheets)
    return document.model_copy(update={"sheets": sheets}), inverse


def _inside(group: GroupLayer) -> list[tuple[AnyLayer, tuple[str, ...]]]:
    return list(Sheet(id="x", name="x", plan=0, resolution=256, layers=group.layers).walk())


def _depth(layer: AnyLayer) -> int:
    return 1 + max((len(above) + 1 for _, above in _inside(layer)), default=0) if isinstance(layer, GroupLayer) else 0


def _replace(model: M, values: dict[str, Any], kind: type[M]) -> M:
    try:
        return kind.model_validate({**model.model_dump(), **values}, context=ANY_MODE)
    except ValidationError as error:
        raise InputError(_first(error)) from None


def _replace_layer(layer: AnyLayer, values: dict[str, Any]) -> AnyLayer:
    try:
        return _LAYER.validate_python({**layer.model_dump(), **values}, context=ANY_MODE)
    except ValidationError as error:
        raise InputError(_first(error)) from None


def _first(error: ValidationError) -> str:
    first = error.errors()[0]
    return f"{'.'.join(str(p) for p in first['loc'])}: {first['msg']}"


def _place(sheet: Sheet, layer_id: str) -> tuple[AnyLayer, str | None, int]:
    """A layer, the group it is in, and its index there."""

    def search(layers: tuple[AnyLayer, ...], into: str | None) -> tuple[AnyLayer, str | None, int] | None:
        for index, layer in enumerate(layers):
            if layer.id == layer_id:
                return layer, into, index
            if isinstance(layer, GroupLayer) and (found := search(layer.layers, layer.id)):
                return found
        return None

    found = search(sheet.layers, None)
    if found is None:
        raise NotFound("That layer is gone; it may have been deleted in another window.")
    return found


def _rebuilt(sheet: Sheet, change: Any) -> Sheet:
    """The sheet with `change(layers, group id)` applied to every list of layers, inner ones first."""

    def visit(layers: tuple[AnyLayer, ...], into: str | None) -> tuple[AnyLayer, ...]:
        inner = tuple(
            layer.model_copy(update={"layers": visit(layer.layers, layer.id)}) if isinstance(layer, GroupLayer) else layer for layer in layers
        )
        result: tuple[AnyLayer, ...] = change(inner, into)
        return result

    return sheet.model_copy(update={"layers": visit(sheet.layers, None)})


def _take(sheet: Sheet, layer_id: str) -> Sheet:
    return _rebuilt(sheet, lambda layers, into: tuple(x for x in layers if x.id != layer_id))


def _map_layer(sheet: Sheet, layer_id: str, new: AnyLayer) -> Sheet:
    return _rebuilt(sheet, lambda layers, into: tuple(new if x.id == layer_id else x for x in layers))


def _insert(sheet: Sheet, layer: AnyLayer, into: str | None, index: int) -> Sheet:
    if into is not None:
        group, _, _ = _place(sheet, into)
        if not isinstance(group, GroupLayer):
            raise InputError(f"'{group.name}' is not a group, so no layer can go into it.")
        above = next(len(a) for x, a in sheet.walk() if x.id == into)
        if above + 1 + _depth(layer) >= MAX_DEPTH:
            raise InputError(f"Groups can be nested {MAX_DEPTH - 1} deep. Put the layer further out.")

    def change(layers: tuple[AnyLayer, ...], here: str | None) -> tuple[AnyLayer, ...]:
        return (*layers[:index], layer, *layers[index:]) if here == into else layers

    return _rebuilt(sheet, change)
