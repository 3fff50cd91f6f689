"""How samples are numbered: in chunks of 65 536, the unit of storage, caching and undo.

A sheet's slot is `chunk · 65536 + y · 256 + x` inside a square of 256 × 256 texels; chunks run left to right, top to bottom.
A chunk is divided into 256 tiles of 16 × 16 texels (of 256 samples in a row for vertices), the unit in which a stroke marks its traces.
"""

CHUNK_SIDE = 256
CHUNK = CHUNK_SIDE * CHUNK_SIDE
TILE_SIDE = 16
TILES = (CHUNK_SIDE // TILE_SIDE) ** 2
