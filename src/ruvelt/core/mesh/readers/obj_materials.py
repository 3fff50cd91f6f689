"""MTL: materials beside an OBJ with their factors and pictures. A wrong line is passed over with a note; the rest is kept."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import cast

from ruvelt.core.color.encoding import linear_to_srgb_float
from ruvelt.core.mesh.facts import Material, Note, PictureFile, PicturePart, PictureUse, Transform
from ruvelt.core.mesh.readers.companions import Companions

#: Statements that name a picture: role, and the part of the picture that says it.
_MAPS: dict[str, tuple[str, PicturePart]] = {
    "map_kd": ("base_color", "rgb"),
    "map_d": ("opacity", "r"),
    "map_pr": ("roughness", "r"),
    "map_pm": ("metallic", "r"),
    "map_ke": ("emission", "rgb"),
    "norm": ("normal", "rgb"),
    "map_bump": ("height", "r"),
    "bump": ("height", "r"),
    "disp": ("height", "r"),
}
_FACTORS = {"kd": 3, "ke": 3, "d": 1, "tr": 1, "pr": 1, "pm": 1}
#: Statements without a counterpart here, in words.
_LEFT_OUT = {
    "map_ka": "ambient picture",
    "map_ks": "picture of highlights",
    "map_ns": "picture of highlights' size",
    "map_ps": "picture of sheen",
    "ps": "sheen",
    "pc": "clear coat",
    "aniso": "anisotropy",
    "refl": "reflected picture",
    "decal": "decal",
}
#: How many values each option of a picture takes.
_OPTIONS = {"-blendu": 1, "-blendv": 1, "-boost": 1, "-bm": 1, "-cc": 1, "-clamp": 1, "-imfchan": 1, "-mm": 2, "-texres": 1, "-type": 1}
_VECTORS = ("-o", "-s", "-t")


@dataclass
class _Entry:
    numbers: dict[str, list[float]] = field(default_factory=dict)
    uses: dict[str, PictureUse] = field(default_factory=dict)


class MtlReader:
    """Reads libraries one after the other. `pictures`: those that came along and are used."""

    def __init__(self, companions: Companions, notes: list[Note]) -> None:
        self._companions, self._notes = companions, notes
        self.pictures: list[PictureFile] = []
        self._known: dict[str, int] = {}
        self._entries: dict[str, _Entry] = {}

    def read(self, text: str) -> None:
        name, entry = "", _Entry()
        for line in text.split("\n"):
            words = line.split()
            if not words or words[0].startswith("#"):
                continue
            key = words[0].lower()
            if key == "newmtl":
                name, entry = " ".join(words[1:]), _Entry()
                self._entries.setdefault(name, entry)
            elif key in _FACTORS:
                self._factor(name, entry, key, words[1:])
            elif key in _MAPS:
                self._picture(name, entry, key, words[1:])
            elif key in _LEFT_OUT:
                self._notes.append(Note(name, "left out", f"The {_LEFT_OUT[key]} ({words[0]}): there is no channel for it."))

    def _factor(self, name: str, entry: _Entry, key: str, words: list[str]) -> None:
        try:
            values = [float(w) for w in words[: _FACTORS[key]]]
        except ValueError:
            values = []
        if len(values) == 1 and _FACTORS[key] == 3:
            values = values * 3
        if len(values) != _FACTORS[key] or not all(math.isfinite(v) for v in values):
            self._notes.append(Note(name, "left out", f"{key.capitalize()}: its numbers cannot be read; the usual value stands."))
            return
        entry.numbers[key] = [min(max(v, 0.0), 1.0) for v in values]
        if entry.numbers[key] != values:
            self._notes.append(Note(name, "converted", f"{key.capitalize()} lay outside 0 to 1 and was brought within."))

    def _picture(self, name: str, entry: _Entry, key: str, words: list[str]) -> None:
        role, part = _MAPS[key]
        options, file = _split(words)
        picture = self._load(name, file, role)
        if picture is None:
            return
        color = entry.uses.get("base_color")
        if options.get("-imfchan") == ["m"] or (role == "opacity" and color is not None and color.picture == picture):
            part = "a"
        elif part == "r" and options.get("-imfchan", [""])[0] in ("g", "b"):
            part = cast(PicturePart, options["-imfchan"][0])
        clamp = options.get("-clamp") == ["on"]
        low: tuple[float, ...] = (0.0,)
        high: tuple[float, ...] = (1.0,)
        if role == "height":
            strength = min(abs(_numbers(options.get("-bm"), (1.0,))[0]), 1.0)
            low, high = (-strength,), (strength,)
            self._notes.append(Note(name, "converted", f"{file}: relief of height, with middle grey as the surface itself."))
        elif part == "rgb" and role != "normal":
            low, high = (0.0,) * 3, (1.0,) * 3
        wrap = ("clamp", "clamp") if clamp else ("repeat", "repeat")
        entry.uses[role] = PictureUse(role, picture, part, 0, _transform(options), wrap, low=low, high=high)  # type: ignore[arg-type]

    def _load(self, name: str, file: str, role: str) -> int | None:
        what = role.replace("_color", " colour")
        data = self._companions.find(file) if file else None
        bare = file.replace("\\", "/").split("/")[-1]
        if data is None:
            self._notes.append(Note(name, "left out", f"The picture of {what}: '{bare}' did not come along. Choose it together with the mesh."))
            return None
        if bare not in self._known:
            self._known[bare] = len(self.pictures)
            self.pictures.append(PictureFile(bare[:80], data))
        return self._known[bare]

    def material(self, name: str) -> tuple[Material, tuple[PictureUse, ...]]:
        """A material by name: factors are linear, pictures stand for the factors they go with. One that no library has is plain grey."""
        entry = self._entries.get(name)
        if entry is None:
            return Material(name), ()
        numbers = entry.numbers
        base = tuple(float(c) for c in linear_to_srgb_float(numbers["kd"])) if "kd" in numbers else (0.8, 0.8, 0.8)
        glow = tuple(float(c) for c in linear_to_srgb_float(numbers.get("ke", [0.0] * 3)))
        alpha = numbers["d"][0] if "d" in numbers else 1 - numbers.get("tr", [0.0])[0]
        if "base_color" in entry.uses and min(numbers.get("kd", [1.0])) < 1:
            self._notes.append(Note(name, "converted", "The picture is the colour; Kd, by which it could be darkened, is the ground's."))
        rough, metal = numbers.get("pr", [0.5])[0], numbers.get("pm", [0.0])[0]
        clear = alpha < 1 or "opacity" in entry.uses
        emission = (0.0, 0.0, 0.0) if "emission" in entry.uses else glow
        made = Material(name, (*base, alpha), rough, metal, emission, alpha_mode="blend" if clear else "auto")  # type: ignore[arg-type]
        return made, tuple(entry.uses.values())


def _split(words: list[str]) -> tuple[dict[str, list[str]], str]:
    """Options with their values, and the file's name, which may hold spaces."""
    options: dict[str, list[str]] = {}
    at = 0
    while at < len(words):
        key = words[at].lower()
        if key in _OPTIONS:
            count = _OPTIONS[key]
        elif key in _VECTORS:
            count = 0
            while count < 3 and at + 1 + count < len(words) - 1 and _is_number(words[at + 1 + count]):
                count += 1
        else:
            break
        options[key] = [w.lower() for w in words[at + 1 : at + 1 + count]]
        at += 1 + count
    return options, " ".join(words[at:])


def _is_number(word: str) -> bool:
    try:
        return math.isfinite(float(word))
    except ValueError:
        return False


def _numbers(words: list[str] | None, start: tuple[float, ...]) -> tuple[float, ...]:
    given = [float(w) for w in words or [] if _is_number(w)]
    return tuple(given[i] if i < len(given) else start[i] for i in range(len(start)))


def _transform(options: dict[str, list[str]]) -> Transform:
    """-s and -o as columns of a transform with v down: MTL counts v upwards."""
    (sx, sy), (ox, oy) = _numbers(options.get("-s"), (1.0, 1.0)), _numbers(options.get("-o"), (0.0, 0.0))
    if max(abs(sx), abs(sy), abs(ox), abs(oy)) > 1e4:
        return (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)
    return (sx, 0.0, ox, 0.0, sy, 1 - sy - oy)


def referenced(text: str) -> list[str]:
    """Names of the pictures that a library wants."""
    found = []
    for line in text.split("\n"):
        words = line.split()
        if words and words[0].lower() in _MAPS:
            found.append(_split(words[1:])[1])
    return [f for f in found if f]


REFERS = {".mtl": lambda data: referenced(data.decode("utf-8", "replace"))}
