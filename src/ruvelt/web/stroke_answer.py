"""The answer to one batch of a stroke: a header, then RGBA patches."""

from __future__ import annotations

from ruvelt.studio.strokes import StrokeAnswer
from ruvelt.web import schemas as s


def version_text(version: int) -> str:
    """A 64-bit version as text: JavaScript numbers would round it."""
    return f"{version & 0xFFFFFFFFFFFFFFFF:016x}"


def stroke_answer(answer: StrokeAnswer, revision: int) -> tuple[s.StrokeHeader, list[bytes]]:
    entries, blocks, at = [], [], 0
    for patch in answer.patches:
        length = len(patch.data)
        entries.append(s.PatchEntry(texture=patch.texture, x=patch.x, y=patch.y, width=patch.width, height=patch.height, offset=at, length=length))
        blocks.append(patch.data)
        at += length
    header = s.StrokeHeader(
        patches=entries,
        dabs=answer.dabs,
        chunks=answer.chunks,
        milliseconds=round(answer.seconds * 1000, 2),
        stored=answer.stored,
        versions=[s.VersionEntry(texture=t, chunk=c, version=version_text(v)) for t, c, v in answer.versions],
        hit=None if answer.hit is None else list(answer.hit),
        shape=answer.shape,
        revision=revision,
    )
    return header, blocks
