"""Variants: named sets of overrides over one document. Strokes are shared, and nothing is copied.

A document shows its base or one of its variants: layers and roles then hold the variant's values, and `Document.base` what the base has there.
Edits are made to the base, or (of what a variant may say otherwise) to a variant's overrides, and the same variant is shown again.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from pydantic import TypeAdapter, ValidationError

from ruvelt.core.errors import InputError, NotFound
from ruvelt.core.stack.variant import CHANNEL, FIELDS, Override, Variant

if TYPE_CHECKING:
    from ruvelt.core.stack.document import AnyLayer, Document, Settings, Sheet


def values_of(layer: AnyLayer, keys: Any = None) -> dict[str, Any]:
    """What a layer says where variants may say otherwise, as JSON, by field; parts in channels as "channels.ID"."""
    data = layer.model_dump(mode="json")
    found = {k: data[k] for k in FIELDS if k in data}
    found |= {CHANNEL + c: use for c, use in data["channels"].items()}
    return found if keys is None else {k: found.get(k) for k in keys}


def with_values(layer: AnyLayer, values: dict[str, Any]) -> AnyLayer:
    """A layer with such values in place of its own; None for a channel's part takes it away. Raises InputError for values that cannot be."""
    from ruvelt.core.stack.document import ANY_MODE, Layer

    data = layer.model_dump(mode="json")
    for key, value in values.items():
        if not key.startswith(CHANNEL):
            data[key] = value
        elif value is None:
            data["channels"].pop(key.removeprefix(CHANNEL), None)
        else:
            data["channels"][key.removeprefix(CHANNEL)] = value
    try:
        made: AnyLayer = TypeAdapter(Layer).validate_python(data, context=ANY_MODE)
    except ValidationError as error:
        raise InputError(f"A variant says of {layer.name} what cannot be ({error.errors()[0]['msg']}). Set it again, or forget the change.") from None
    return made


def variant_of(document: Document, variant_id: str) -> Variant:
    found = next((v for v in document.variants if v.id == variant_id), None)
    if found is None:
        raise NotFound("That variant is gone; it may have been deleted in another window.")
    return found


def base_of(document: Document) -> Document:
    """The document without any variant's values."""
    if document.showing is None or document.base is None:
        return document
    made = _laid(document, document.base)[0]
    return made.model_copy(update={"showing": None, "base": None})


def shown_as(document: Document, variant_id: str | None) -> Document:
    """The document as a variant has it (None: its base). What it says of layers that are gone waits for them. Raises NotFound, InputError."""
    base = base_of(document)
    if variant_id is None:
        return base
    made, kept = _laid(base, variant_of(base, variant_id))
    return made.model_copy(update={"showing": variant_id, "base": kept})


def _laid(document: Document, variant: Variant) -> tuple[Document, Variant]:
    """The document with a variant's values, and what it had in their place."""
    kept: list[Override] = []
    by_sheet: dict[str, dict[str, dict[str, Any]]] = {}
    for one in variant.overrides:
        by_sheet.setdefault(one.sheet, {})[one.layer] = one.values

    def visit(sheet_id: str, layers: tuple[AnyLayer, ...]) -> tuple[AnyLayer, ...]:
        made = []
        for layer in layers:
            inner = getattr(layer, "layers", None)
            if inner is not None and (new := visit(sheet_id, inner)) is not inner:
                layer = layer.model_copy(update={"layers": new})
            values = by_sheet[sheet_id].get(layer.id)
            if values:
                kept.append(Override(sheet=sheet_id, layer=layer.id, values=values_of(layer, values)))
                layer = with_values(layer, values)
            made.append(layer)
        return layers if all(a is b for a, b in zip(made, layers, strict=True)) else tuple(made)

    def sheet_of(sheet: Sheet) -> Sheet:
        return sheet.model_copy(update={"layers": visit(sheet.id, sheet.layers)}) if sheet.id in by_sheet else sheet

    settings, roles = _with_roles(document.settings, variant.roles)
    changed = document.model_copy(update={"sheets": tuple(sheet_of(s) for s in document.sheets), "settings": settings})
    return changed, Variant(id="base", name="Base", overrides=tuple(kept), roles=roles)


def _with_roles(settings: Settings, colours: dict[str, tuple[float, float, float]]) -> tuple[Settings, dict[str, tuple[float, float, float]]]:
    if not colours:
        return settings, {}
    had = {r.id: r.colour for r in settings.roles if r.id in colours}
    roles = tuple(r.model_copy(update={"colour": colours[r.id]}) if r.id in colours else r for r in settings.roles)
    return settings.model_copy(update={"roles": roles}), had


def waiting(document: Document, variant: Variant) -> int:
    """How many of a variant's changes are of layers or roles that are gone."""
    there = {(s.id, layer.id) for s in document.sheets for layer, _ in s.walk()}
    roles = {r.id for r in document.settings.roles}
    return sum(len(o.values) for o in variant.overrides if (o.sheet, o.layer) not in there) + sum(r not in roles for r in variant.roles)


def with_override(variant: Variant, sheet_id: str, layer: AnyLayer, new: AnyLayer) -> Variant:
    """A variant that says of a base layer what `new` has; where both say the same it says nothing."""
    base, wanted = values_of(layer), values_of(new)
    values = {k: wanted.get(k) for k in {**base, **wanted} if base.get(k) != wanted.get(k)}
    others = tuple(o for o in variant.overrides if (o.sheet, o.layer) != (sheet_id, layer.id))
    return variant.model_copy(update={"overrides": (*others, Override(sheet=sheet_id, layer=layer.id, values=values)) if values else others})


def with_variant(document: Document, variant: Variant) -> Document:
    return document.model_copy(update={"variants": tuple(variant if v.id == variant.id else v for v in document.variants)})
