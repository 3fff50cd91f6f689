"""Colour work on the demo projects: the lantern's five colourways, the buoy's bands, the tern's warmth."""

from __future__ import annotations

from typing import Any

from ruvelt.core.stack.document import AdjustLayer, AnyLayer, ChannelUse, SwatchRole
from ruvelt.core.stack.edits import AddLayer, SetLayer, SetRoleColour, SetRoles, SetVariants
from ruvelt.core.stack.variant import Variant
from ruvelt.demo.paint_lantern import BRASS, TEAL
from ruvelt.studio.copying import position_of
from ruvelt.studio.session import Session

RGB = tuple[float, float, float]
#: Name, enamel, brass, and how the painted depth and fading follow: hue (degrees), chroma, lightness.
COLOURWAYS: tuple[tuple[str, RGB, RGB, tuple[float, float, float]], ...] = (
    ("Signal red", (0.6, 0.1, 0.08), BRASS, (-168, 1.0, 0.06)),
    ("Harbour blue", (0.09, 0.2, 0.46), BRASS, (62, 0.9, 0.0)),
    ("Fog white", (0.8, 0.8, 0.75), (0.72, 0.72, 0.7), (-90, -0.75, 0.4)),
    ("Night watch", (0.075, 0.085, 0.1), (0.3, 0.27, 0.23), (40, -0.6, -0.12)),
    ("Rescue orange", (0.86, 0.35, 0.05), BRASS, (-142, 1.0, 0.2)),
)


def _named(session: Session, sheet_id: str, name: str) -> AnyLayer:
    return next(layer for layer, _ in session.sheet(sheet_id).walk() if layer.name == name)


def _as_role(session: Session, sheet_id: str, name: str, role: str) -> None:
    layer = _named(session, sheet_id, name)
    uses = {c: u.model_dump() for c, u in layer.channels.items()}
    uses["base_color"]["role"] = role
    session.edit(SetLayer(sheet=sheet_id, layer=layer.id, values={"channels": uses}), f"Lay {name} as a role")


def _adjust(session: Session, sheet_id: str, over: str | None, **what: Any) -> str:
    """An adjustment of base colour in front of the layer of a name, or of all."""
    layer = AdjustLayer.model_validate({"channels": {"base_color": ChannelUse()}, **what})
    into, index = (None, 0) if over is None else position_of(session.sheet(sheet_id), _named(session, sheet_id, over).id)
    session.edit(AddLayer(sheet=sheet_id, layer=layer, into=into, index=index), f"Add {layer.name}")
    return layer.id


def lantern_colourways(session: Session) -> None:
    """Roles for enamel and brass, and a variant for each colourway beside the base."""
    session.edit(SetRoles(roles=(SwatchRole(id="enamel", name="Enamel", colour=TEAL), SwatchRole(id="brass", name="Brass", colour=BRASS))), "Roles")
    _as_role(session, "enamel", "Enamel coat", "enamel")
    _as_role(session, "fittings", "Brass", "brass")
    follows = _adjust(session, "enamel", "Depth and fading", id="follows", name="Fading follows the enamel", adjust={"kind": "oklch"}, reach="clip")
    session.edit(SetVariants(variants=tuple(Variant(id=f"v{i + 1}", name=c[0]) for i, c in enumerate(COLOURWAYS))), "Five colourways")
    for i, (name, enamel, brass, (hue, chroma, lightness)) in enumerate(COLOURWAYS):
        session.show_variant(f"v{i + 1}")
        session.edit(SetRoleColour(role="enamel", colour=enamel), f"Enamel of {name}")
        session.edit(SetRoleColour(role="brass", colour=brass), f"Brass of {name}")
        turned = {"kind": "oklch", "hue": hue, "chroma": chroma, "lightness": lightness}
        session.edit(SetLayer(sheet="enamel", layer=follows, values={"adjust": turned}), f"Fading of {name}")
    session.show_variant(None)


def buoy_bands(session: Session) -> None:
    """The red bands become green and the white ones cream, by two picked ranges."""
    ranges = [
        {"id": "red", "name": "Red bands", "colour": (0.62, 0.17, 0.11), "tolerance": 0.1, "softness": 0.07,
         "adjust": {"kind": "oklch", "hue": 128, "chroma": -0.3, "lightness": -0.03}},
        {"id": "white", "name": "White bands", "colour": (0.88, 0.85, 0.78), "tolerance": 0.06, "softness": 0.08,
         "adjust": {"kind": "oklch", "hue": 8, "chroma": 0.6, "lightness": -0.02}},
    ]  # fmt: skip
    _adjust(session, session.document.textured[0].id, None, id="bands", name="Bands in green", adjust={"kind": "oklch"}, ranges=ranges)


def warm_tern(session: Session) -> None:
    """Evening light over the whole bird, by one adjustment of its vertices."""
    warm = {"kind": "balance", "shadows": (0.02, 0.0, -0.03), "mid": (0.12, 0.02, -0.14), "highlights": (0.02, -0.01, -0.1)}
    _adjust(session, "vertices", None, id="warm", name="Evening light", adjust=warm)
