"""The rules of painting models and all their computation, with no interface: `Canvas` ties them together.

Names are looked up when they are first asked for, so that importing one part of the core reads no other.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from ruvelt.core.bake.settings import BakeSettings
    from ruvelt.core.brush.settings import Brush, Mirror
    from ruvelt.core.brush.target import Paint, Target
    from ruvelt.core.canvas import Canvas, VertexCanvas
    from ruvelt.core.errors import InputError, NotFound, RuveltError
    from ruvelt.core.mesh.model import Model
    from ruvelt.core.mesh.readers import read_mesh
    from ruvelt.core.stack.basics import FacePick
    from ruvelt.core.stack.document import AdjustLayer, ChannelUse, Document, FillLayer, GroupLayer, PaintLayer, Sheet
    from ruvelt.core.stack.masks import Mask
    from ruvelt.core.workers import Workers

_HOMES = {
    "AdjustLayer": "stack.document",
    "BakeSettings": "bake.settings",
    "Brush": "brush.settings",
    "Canvas": "canvas",
    "ChannelUse": "stack.document",
    "Document": "stack.document",
    "FacePick": "stack.basics",
    "FillLayer": "stack.document",
    "GroupLayer": "stack.document",
    "InputError": "errors",
    "Mask": "stack.masks",
    "Mirror": "brush.settings",
    "Model": "mesh.model",
    "NotFound": "errors",
    "Paint": "brush.target",
    "PaintLayer": "stack.document",
    "RuveltError": "errors",
    "Sheet": "stack.document",
    "Target": "brush.target",
    "VertexCanvas": "canvas",
    "Workers": "workers",
    "read_mesh": "mesh.readers",
}
__all__ = [
    "AdjustLayer",
    "BakeSettings",
    "Brush",
    "Canvas",
    "ChannelUse",
    "Document",
    "FacePick",
    "FillLayer",
    "GroupLayer",
    "InputError",
    "Mask",
    "Mirror",
    "Model",
    "NotFound",
    "Paint",
    "PaintLayer",
    "RuveltError",
    "Sheet",
    "Target",
    "VertexCanvas",
    "Workers",
    "read_mesh",
]


def __getattr__(name: str) -> Any:
    if name not in _HOMES:
        raise AttributeError(f"module 'ruvelt.core' has no attribute '{name}'")
    return getattr(import_module(f"ruvelt.core.{_HOMES[name]}"), name)


def __dir__() -> list[str]:
    return __all__
