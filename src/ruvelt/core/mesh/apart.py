"""Unwrapping and packing in a process of their own: their libraries know no stop, and hold the interpreter while they run.

Run as a module it does what a folder asks for; `apart` asks, hears of progress line by line, and ends the process when it is stopped.
"""

from __future__ import annotations

import json
import os
import selectors
import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from typing import Literal

import numpy as np

from ruvelt.core.errors import InputError, RuveltError
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.unwrap import Progress, Squares, UnwrapSettings, pack_islands, unwrap
from ruvelt.core.scratch import scratch_folder

#: Seconds between two looks at whether somebody stopped it.
LOOK = 0.1


def apart(
    what: Literal["unwrap", "pack"],
    model: Model,
    progress: Progress,
    squares: Squares,
    settings: UnwrapSettings,
    seams: tuple[tuple[int, int], ...] = (),
) -> Model:
    """`unwrap` or `pack_islands` in a child process. What `progress` raises ends it; raises InputError for what it refuses or dies of."""
    with scratch_folder() as folder:
        (folder / "model").write_bytes(model.to_bytes())
        np.save(folder / "squares.npy", squares.of_face)
        asked = {"what": what, "crease": model.crease_deg, "sides": squares.sides, "seams": seams, "settings": settings.model_dump()}
        (folder / "asked.json").write_text(json.dumps(asked))
        progress(0, len(model.triangles), "Starting")
        child = subprocess.Popen([sys.executable, "-m", "ruvelt.core.mesh.apart", str(folder)], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        try:
            error = _listen(child, progress, len(model.triangles))
        finally:
            child.kill()
            child.wait()
        if error is not None:
            raise InputError(error)
        if not (folder / "made").is_file():
            raise InputError("Unwrapping ended before it was done; memory may have run out. Close other programs, or unwrap the model elsewhere.")
        return replace(Model.from_bytes((folder / "made").read_bytes()), crease_deg=model.crease_deg)


def _listen(child: subprocess.Popen[bytes], progress: Progress, total: int) -> str | None:
    """Tell of progress until the child ends; what it says went wrong, if anything."""
    assert child.stdout is not None
    told, text, error = (0, total, "Starting"), b"", None
    with selectors.DefaultSelector() as ready:
        ready.register(child.stdout, selectors.EVENT_READ)
        while True:
            if ready.select(LOOK):
                some = os.read(child.stdout.fileno(), 1 << 16)
                if not some:
                    return error
                *lines, text = (text + some).split(b"\n")
                for line in lines:
                    done, planned, what = json.loads(line)
                    if done < 0:
                        error = str(what)
                    else:
                        told = (done, planned, what)
            progress(*told)


def _tell(done: int, planned: int, what: str) -> None:
    print(json.dumps([done, planned, what]), flush=True)


def main(folder: Path) -> None:
    asked = json.loads((folder / "asked.json").read_text())
    model = replace(Model.from_bytes((folder / "model").read_bytes()), crease_deg=asked["crease"])
    squares = Squares(np.load(folder / "squares.npy"), tuple(asked["sides"]))
    settings = UnwrapSettings.model_validate(asked["settings"])
    if hasattr(os, "nice"):
        os.nice(10)
    try:
        if asked["what"] == "unwrap":
            made = unwrap(model, _tell, squares, settings, [(int(a), int(b)) for a, b in asked["seams"]])
        else:
            made = pack_islands(model, squares, settings, lambda what: _tell(0, 1, what))
    except RuveltError as error:
        _tell(-1, 0, str(error))
        return
    # Renamed when it is whole: half a file is none.
    (folder / "making").write_bytes(made.to_bytes())
    (folder / "making").rename(folder / "made")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
