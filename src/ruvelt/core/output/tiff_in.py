"""TIFFs as they are: whole numbers and floating-point, with alpha that is not multiplied in."""

from __future__ import annotations

import io
import logging
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray

from ruvelt.core.errors import InputError

MAGICS = (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")
_PLAIN = (tifffile.PHOTOMETRIC.MINISBLACK, tifffile.PHOTOMETRIC.RGB)
# What it finds odd in a file is said by whoever reads it.
logging.getLogger("tifffile").setLevel(logging.CRITICAL)


def read_tiff(data: bytes, name: str, most: int) -> NDArray[Any] | None:
    """(h, w) or (h, w, 3 or 4) uint8, uint16 or float32 of the first page; None for kinds that other readers know better.

    most : pixels a side. Raises InputError for CMYK, for larger ones, and for one that is cut off.
    """
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            page = file.pages[0]
            assert isinstance(page, tifffile.TiffPage)
            shape, dtype = page.shape, page.dtype
            if page.photometric == tifffile.PHOTOMETRIC.SEPARATED:
                raise InputError(f"'{name}' is CMYK, which is for print and has no exact way to RGB. Convert it to sRGB and save it again.")
            known = dtype is not None and (dtype.kind == "f" or (dtype.kind == "u" and dtype.itemsize <= 2))
            if not known or page.photometric not in _PLAIN or len(shape) not in (2, 3) or min(shape) < 1 or page.planarconfig != 1:
                return None
            if max(shape[:2]) > most:
                raise InputError(f"'{name}' is {shape[1]} × {shape[0]} pixels; at most {most} a side can be read. Make it smaller.")
            if len(shape) == 3 and shape[2] > 4:
                raise InputError(f"'{name}' has {shape[2]} components; four is the most. Save it as RGB or RGBA.")
            whole = max(page.dataoffsets[i] + page.databytecounts[i] for i in range(len(page.dataoffsets))) <= len(data)
            values: NDArray[Any] | None = page.asarray() if whole else None
    except InputError:
        raise
    except Exception:
        return None
    if values is None:
        raise InputError(f"'{name}' is damaged or cut off. Save it again.")
    if values.ndim == 3 and values.shape[2] < 3:
        values = values[..., 0]
    return values.astype(np.float32) if values.dtype.kind == "f" else values
