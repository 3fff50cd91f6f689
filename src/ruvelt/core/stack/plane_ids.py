"""Names of planes."""


def plane_id(sheet_id: str, layer_id: str, channel_id: str) -> str:
    return f"{sheet_id}/{layer_id}/{channel_id}"


def mask_plane_id(sheet_id: str, layer_id: str, source_id: str) -> str:
    return f"{sheet_id}/{layer_id}/mask:{source_id}"


def normal_map_plane_id(sheet_id: str) -> str:
    return f"{sheet_id}/normal-map"


#: The name that strokes on a touch-up go by among layers; no layer can have it, for ids hold no colon.
TOUCH_UP = "touch-up:"


def base_plane_id(sheet_id: str, map_id: str) -> str:
    """The plane of a mesh map as it was baked."""
    return f"{sheet_id}/@map/{map_id}"


def touch_up_plane_id(sheet_id: str, map_id: str) -> str:
    return f"{sheet_id}/@touch-up/{map_id}"


def detail_plane_id(plane: str, level: int) -> str:
    """What a finer level of vertices holds beside the values that lie under it on the level below."""
    sheet, rest = plane.split("/", 1)
    return f"{sheet}/{DETAIL}{level}/{rest}"


#: Between the sheet and what a detail plane belongs to, before the level's number.
DETAIL = "@level-"
#: The model once its UV layout was changed, kept where planes are, like high meshes.
MODEL_PLANE = "@model/current/mesh"


def high_plane_id(key: str) -> str:
    """High meshes are kept where planes are, so that undo, versions and clearing up know them."""
    return f"@high/{key}/mesh"


def image_plane_id(key: str) -> str:
    """Pictures are kept where planes are, like high meshes."""
    return f"@image/{key}/pixels"
