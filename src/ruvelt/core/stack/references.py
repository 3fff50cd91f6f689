"""What masks read of other layers: which layers a mask depends on, and that none depends on itself."""

from __future__ import annotations

from collections.abc import Iterator

from ruvelt.core.errors import InputError
from ruvelt.core.stack.document import AdjustLayer, AnyLayer, Sheet
from ruvelt.core.stack.kinds.adjustment import SpreadingAdjust
from ruvelt.core.stack.kinds.step import Source, SpreadingShaper
from ruvelt.core.stack.masks import Mask


def _back_to_front(sheet: Sheet) -> list[tuple[AnyLayer, tuple[str, ...]]]:
    """Layers in the order in which they are laid; a group after what it holds."""

    def visit(layers: tuple[AnyLayer, ...], above: tuple[str, ...]) -> Iterator[tuple[AnyLayer, tuple[str, ...]]]:
        for layer in reversed(layers):
            yield from visit(getattr(layer, "layers", ()), (*above, layer.id))
            yield layer, above

    return list(visit(sheet.layers, ()))


def mask_needs(sheet: Sheet) -> dict[str, set[str]]:
    """For each layer with a mask the layers whose masks its own mask reads, directly."""
    order = _back_to_front(sheet)
    place = {layer.id: i for i, (layer, _) in enumerate(order)}
    found: dict[str, set[str]] = {}
    for layer, _above in order:
        needs: set[str] = set()
        for step in layer.mask.sources if layer.mask else ():
            if not isinstance(step, Source):
                continue
            if step.reads_layer is not None and step.reads_mask:
                needs.add(step.reads_layer)
            if step.reads_beneath:
                # A group is laid after what it holds, but its content is not beneath it.
                inside = {x.id for x, around in order if layer.id in around}
                needs |= {x.id for x, _ in order[: place[layer.id]] if x.id not in inside}
        if needs:
            found[layer.id] = needs & set(place)
    return found


def check_references(sheet: Sheet) -> None:
    """Raises InputError when some mask would depend on itself."""
    needs = mask_needs(sheet)
    done: set[str] = set()

    def visit(layer_id: str, path: tuple[str, ...]) -> None:
        if layer_id in path:
            names = [getattr(sheet.find(x), "name", x) for x in (*path[path.index(layer_id) :], layer_id)]
            raise InputError(f"These masks would depend on each other in a circle: {' → '.join(names)}. Let one of them read something else.")
        if layer_id in done:
            return
        for other in sorted(needs.get(layer_id, ())):
            visit(other, (*path, layer_id))
        done.add(layer_id)

    for layer_id in needs:
        visit(layer_id, ())


def _spreads_above(mask: Mask, source_id: str) -> bool:
    at = next((i for i, s in enumerate(mask.sources) if s.id == source_id), len(mask.sources))
    return any(isinstance(s, SpreadingShaper) and s.on and s.strength > 0 for s in mask.sources[at:])


def stroke_is_local(sheet: Sheet, layer_id: str, source_id: str | None) -> bool:
    """Whether a stroke on a layer (or on a painted source of its mask) changes nothing but what lies under the brush in that layer.

    It does more when its mask is blurred or grown above the source, or when another mask or a blur reads the layer.
    """
    layer = sheet.find(layer_id)
    if layer is None:
        return True
    if source_id is not None and layer.mask is not None and _spreads_above(layer.mask, source_id):
        return False
    order = [x for x, _ in _back_to_front(sheet)]
    for other in order[order.index(layer) + 1 :]:
        if isinstance(other, AdjustLayer) and isinstance(other.adjust, SpreadingAdjust):
            return False
    for other in order:
        for step in other.mask.sources if other.mask else ():
            if not isinstance(step, Source):
                continue
            if step.reads_layer == layer_id:
                return False
            if step.reads_beneath and order.index(other) > order.index(layer):
                return False
    return True
