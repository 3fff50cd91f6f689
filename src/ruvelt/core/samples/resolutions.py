"""Sizes a sheet may have, texels a side."""

from ruvelt.core.errors import InputError

RESOLUTIONS = (256, 512, 1024, 2048, 4096, 8192)


def side_for(count: int) -> int:
    """Side of the smallest sheet that has as many texels as there are vertices. Raises InputError where none has."""
    most = RESOLUTIONS[-1] ** 2
    if count > most:
        raise InputError(f"{count:,} vertices are more than can be painted; at most {most:,}. Bring in a coarser mesh.")
    return next(r for r in RESOLUTIONS if r * r >= count)
