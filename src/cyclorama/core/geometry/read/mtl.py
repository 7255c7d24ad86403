"""MTL: materials of an OBJ, with the physically based additions that exporters agree on, as OpenPBR parameters."""

import re
from typing import Any

from ...scene import Material, MaterialMaps, TextureRef
from ...scene.material import Channel
from .files import FileBundle
from .model import FileModel
from .values import colour, glow_of, plain_material, shininess_roughness, unit

_MAPS = {
    "map_kd": "base_color",
    "map_ks": "specular_color",
    "map_pr": "specular_roughness",
    "map_pm": "base_metalness",
    "map_ke": "emission_color",
    "map_d": "opacity",
    "map_opacity": "opacity",
    "norm": "normal",
    "map_kn": "normal",
    "bump": "height",
    "map_bump": "height",
    "disp": "height",
    "map_disp": "height",
    "map_pcr": "coat_roughness",
}
"""The first of several that mean the same one counts."""
_UNREAD = {"map_ka": "ambient", "map_ns": "shininess", "refl": "reflection", "decal": "decal", "map_ps": "sheen"}
_ARGUMENTS = {"-s": 3, "-o": 3, "-t": 3, "-mm": 2, "-bm": 1, "-boost": 1, "-texres": 1}
"""Options followed by up to so many numbers."""
_WORDS = {"-clamp", "-blendu", "-blendv", "-cc", "-imfchan", "-type"}
"""Options followed by one word."""
_CHANNELS: dict[str, Channel] = {"r": "r", "g": "g", "b": "b", "m": "a", "l": "colour"}


def as_text(data: bytes) -> str:
    """Text as UTF-16 with its mark, as UTF-8 or, where it is none, byte by byte as Latin-1; without a mark."""
    if data[:2] in (b"\xfe\xff", b"\xff\xfe"):
        return data.decode("utf-16", "replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("latin-1")


class MtlShelf:
    """The materials of all libraries that an OBJ names; they are taken into the model as parts ask for them."""

    def __init__(self, obj: str, bundle: FileBundle, model: FileModel):
        self._obj, self._bundle, self._model = obj, bundle, model
        self._entries: dict[str, list[tuple[str, str]]] = {}
        self._taken: dict[tuple[str, bool], int] = {}
        self._pictures: dict[str, str | None] = {}

    def open(self, names: str) -> None:
        """Read what an `mtllib` line names: one file with spaces in its name, or several."""
        found = self._bundle.beside(self._obj, names)
        for name in [names] if found is not None else names.split():
            data = self._bundle.beside(self._obj, name)
            if data is None:
                self._miss(f"Material file ‘{name}’")
            else:
                self._read(as_text(data))

    def index(self, name: str, painted: bool) -> int:
        """The place of a material in the model. `painted`: the part has colours of its own, which take the place of
        the material's."""
        key = name, painted
        if key not in self._taken:
            self._taken[key] = len(self._model.materials)
            found = plain_material(len(self._model.materials), name[:80] or "Plain")
            if name in self._entries:
                found = _Entry(self._entries[name], self, found.name).material(found.id)
            self._model.materials.append(found.model_copy(update={"base_color": (1.0, 1.0, 1.0)}) if painted else found)
        return self._taken[key]

    def picture(self, name: str) -> str | None:
        """The reference of a picture beside the model; None (and noted as missing) when it is not there."""
        if name not in self._pictures:
            data = self._bundle.beside(self._obj, name)
            if data is None:
                self._miss(f"Texture ‘{name}’")
            self._pictures[name] = None if data is None else self._model.keep_picture(_file_name(name), data)
        return self._pictures[name]

    def note(self, sentence: str) -> None:
        self._model.notes.append(sentence)

    def _miss(self, what: str) -> None:
        if what not in self._model.missing:
            self._model.missing.append(what)

    def _read(self, text: str) -> None:
        entry: list[tuple[str, str]] = []
        for line in re.sub(r"\\\r?\n", " ", text).splitlines():
            word, _, rest = line.replace("\t", " ").strip().partition(" ")
            if word.lower() == "newmtl":
                entry = self._entries.setdefault(rest.strip(), [])
            elif word and not word.startswith("#"):
                entry.append((word.lower(), rest.strip()))


class _Entry:
    """The lines of one material."""

    def __init__(self, lines: list[tuple[str, str]], shelf: MtlShelf, name: str):
        self._lines, self._shelf, self._name = dict(reversed(lines)), shelf, name  # the first of its kind counts
        self._values: dict[str, Any] = {}

    def material(self, identity: str) -> Material:
        maps = self._maps()
        base, specular, glow = self._colour("kd", 0.6), self._colour("ks", 1.0), self._colour("ke", 0.0)
        if "emission_color" in maps and max(glow) == 0:
            glow = (1.0, 1.0, 1.0)
        luminance, tint = glow_of(glow)
        rough = self._number("pr", shininess_roughness(self._number("ns", 0.0)))
        fuzz = self._number("ps", 0.0)
        return Material(
            id=identity,
            name=self._name,
            base_color=(1.0, 1.0, 1.0) if "base_color" in maps else _decoded(base),
            base_metalness=1.0 if "base_metalness" in maps else unit(self._number("pm", 0.0)),
            specular_color=_decoded(specular) if "specular_color" in maps and max(specular) > 0 else (1.0, 1.0, 1.0),
            specular_roughness=1.0 if "specular_roughness" in maps else unit(rough),
            specular_roughness_anisotropy=unit(self._number("aniso", 0.0)),
            specular_ior=min(max(self._number("ni", 1.5), 1.0), 3.0),
            coat_weight=unit(self._number("pc", 0.0)),
            coat_ior=1.5,
            coat_roughness=unit(self._number("pcr", 0.0)),
            fuzz_weight=unit(fuzz),
            emission_luminance=luminance,
            emission_color=tint,
            opacity=1.0 if "opacity" in maps else unit(self._number("d", 1.0 - self._number("tr", 0.0))),
            maps=MaterialMaps(**maps),
            **self._values,
        )

    def _maps(self) -> dict[str, TextureRef]:
        found: dict[str, TextureRef] = {}
        for word, target in _MAPS.items():
            if word in self._lines and target not in found:
                ref = self._map(word, self._lines[word], target)
                if ref is not None:
                    found[target] = ref
        for word, what in _UNREAD.items():
            if word in self._lines:
                self._shelf.note(f"Material ‘{self._name}’: its {what} map is left out.")
        if "height" in found:
            self._shelf.note(f"Material ‘{self._name}’: its grey relief is shaded, 0.5 mm deep; set its relief depth.")
        return found

    def _map(self, word: str, text: str, target: str) -> TextureRef | None:
        name, options = _options(text)
        asset = self._shelf.picture(name) if name else None
        if asset is None:
            return None
        scale, shift = _numbers(options.get("-s"), 1.0), _numbers(options.get("-o"), 0.0)
        channel = _CHANNELS.get(options.get("-imfchan", ["l"])[0], "colour")
        if target == "opacity" and name == _options(self._lines.get("map_kd", ""))[0]:
            channel = "a"  # the colour's own opacity
        if "-bm" in options and target == "normal":
            self._values["normal_scale"] = min(max(_numbers(options["-bm"], 1.0)[0], 0.0), 10.0)
        # MTL counts v from the bottom: 1 − (v · s + o) = (1 − v) · s + (1 − s − o)
        return TextureRef(
            asset=asset,
            name=_file_name(name),
            channel=channel,
            wrap="clamp" if options.get("-clamp") == ["on"] else "repeat",
            scale_u=_within(scale[0]),
            scale_v=_within(scale[1]),
            offset_u=_within(shift[0]),
            offset_v=_within(1.0 - scale[1] - shift[1]),
        )

    def _number(self, word: str, default: float) -> float:
        return _numbers(self._lines.get(word, "").split(), default)[0]

    def _colour(self, word: str, default: float) -> tuple[float, float, float]:
        given = self._lines.get(word, "").split()
        values = _numbers(given, default)
        if len(given) == 1:
            return values[0], values[0], values[0]  # one number stands for all three
        return values[0], values[1], values[2]


def _options(text: str) -> tuple[str, dict[str, list[str]]]:
    """The file name at the end of a map's line, and the options before it."""
    options: dict[str, list[str]] = {}
    words = list(re.finditer(r"\S+", text))
    at = 0
    while at < len(words):
        word = words[at].group().lower()
        if word in _WORDS and at + 1 < len(words):
            options[word] = [words[at + 1].group().lower()]
            at += 2
        elif word in _ARGUMENTS:
            at += 1
            options[word] = []
            while at < len(words) and len(options[word]) < _ARGUMENTS[word] and _is_number(words[at].group()):
                options[word].append(words[at].group())
                at += 1
        else:
            break
    name = text[words[at].start() :].strip() if at < len(words) else ""
    return name.strip("\"'"), options


def _file_name(path: str) -> str:
    return path.replace("\\", "/").rsplit("/", 1)[-1][:80]


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True


def _numbers(words: list[str] | None, default: float) -> list[float]:
    """The numbers at the beginning of some words, filled up to three."""
    found = []
    for word in words or ():
        if not _is_number(word) or not abs(float(word)) < 1e30:
            break
        found.append(float(word))
    return (found + [default] * 3)[:3]


def _within(x: float) -> float:
    return min(max(x, -1000.0), 1000.0)


def _decoded(shown: tuple[float, float, float]) -> tuple[float, float, float]:
    """Display values as linear ones: programs write what their colour picker shows."""
    return colour(unit(x) ** 2.2 for x in shown)
