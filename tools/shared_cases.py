"""Write what the server decides of some documents, for the front end's own quick answers to be compared with. With --check only tell whether
it is up to date."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from ruvelt.core.brush.target import Paint, Target, resolve_target
from ruvelt.core.errors import RuveltError
from ruvelt.core.output.display import TEXTURES
from ruvelt.core.output.presets import BUILT_IN, with_own_channels
from ruvelt.core.stack.channels import STANDARD_CHANNELS, Channel
from ruvelt.core.stack.document import Document, new_channel_uses

OUT = Path(__file__).parent.parent / "frontend" / "src" / "testing" / "server.cases.json"
PAINT = Paint(values={"base_color": (1.0, 0.0, 0.0), "roughness": (0.2,), "value": (0.5,)})


def _layer(kind: str, name: str, **more: Any) -> dict[str, Any]:
    return {"id": name, "name": name, "kind": kind, **more}


def _document(**sheet: Any) -> Document:
    adjust = _layer("adjust", "warmer", adjust={"kind": "levels"})
    sources = [{"id": "hand", "kind": "painted"}, {"id": "edges", "kind": "facing"}]
    layers = [
        _layer("paint", "soot", mask={"sources": sources}),
        _layer("paint", "locked", locked=True),
        _layer("paint", "hidden", visible=False),
        _layer("group", "enamel", layers=[_layer("fill", "coat"), _layer("group", "inner", layers=[_layer("paint", "chips")])]),
        _layer("group", "shut", locked=True, layers=[_layer("paint", "in-shut")]),
        _layer("group", "off", visible=False, layers=[_layer("paint", "in-off")]),
        adjust,
    ]
    maps = [{"id": "occlusion"}, {"id": "curvature", "touch_up": False}]
    first = {"id": "body", "name": "Body", "plan": 0, "resolution": 1024, "layers": layers, "mesh_maps": maps, **sheet}
    return Document.model_validate({"sheets": [first]})


def _allowed(document: Document, target: Target) -> bool:
    try:
        resolve_target(document, target, PAINT)
    except RuveltError:
        return False
    return True


def solo() -> list[dict[str, Any]]:
    names = [None, "soot", "enamel", "inner", "chips", "coat", "gone", "in-shut"]
    documents = [(name, _document(solo=name)) for name in names]
    return [{"sheet": d.sheets[0].model_dump(mode="json"), "solo": name, "shown": sorted(d.sheets[0].shown())} for name, d in documents]


def targets() -> list[dict[str, Any]]:
    some = [
        Target(sheet="body", layer=layer, channels=channels, mask=mask)
        for layer in ("soot", "locked", "hidden", "coat", "chips", "enamel", "in-shut", "in-off", "warmer", "gone")
        for channels, mask in ((("base_color",), None), ((), None))
    ]
    some += [Target(sheet="body", layer="soot", mask="hand"), Target(sheet="gone", layer="soot", channels=("base_color",))]
    some += [Target(sheet="body", mesh_map=m) for m in ("occlusion", "curvature", "height")]
    return [
        {"document": i, "target": t.model_dump(mode="json"), "allowed": _allowed(d, t)}
        for i, d in enumerate((_document(), _document(solo="chips")))
        for t in some
    ]


def content() -> str:
    own = (
        *STANDARD_CHANNELS,
        Channel(id="wetness", name="Wetness", kind="data", start=(0.25,)),
        Channel(id="dye", name="Dye", kind="colour", start=(0, 0, 0)),
    )
    document = _document().model_copy(update={"channels": own})
    packed = {
        of[0]: [texture, parts.index(of), sum(p is not None and p[0] == of[0] for p in parts)]
        for texture, parts in TEXTURES.items()
        for of in parts
        if of is not None and of[1] == 0
    }
    made = {
        "packed": packed,
        "solo": solo(),
        "documents": [_document().model_dump(mode="json"), _document(solo="chips").model_dump(mode="json")],
        "targets": targets(),
        "uses": {
            "channels": [c.model_dump(mode="json") for c in own],
            "new": {k: u.model_dump(mode="json") for k, u in new_channel_uses(own).items()},
        },
        "exports": [
            {"preset": p.model_dump(mode="json"), "maps": [m.model_dump(mode="json") for m in with_own_channels(p, document).maps]} for p in BUILT_IN
        ],
    }
    return json.dumps(made) + "\n"


if __name__ == "__main__":
    if "--check" in sys.argv:
        sys.exit(0 if OUT.is_file() and OUT.read_text() == content() else f"{OUT} is out of date: run tools/shared_cases.py")
    OUT.write_text(content())
