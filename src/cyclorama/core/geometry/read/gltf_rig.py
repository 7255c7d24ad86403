"""glTF nodes, skins, morph targets and animations as a skeleton (glTF 2.0, sections 3.5, 3.7.2.2, 3.7.3 and 3.11)."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...errors import IntakeError
from ...words import number
from ..skeleton import CUBIC, LINEAR, MOVE, SCALE, SHAPES, STEP, TURN, WIDTH, Skeleton, Track
from .gltf_file import GltfFile
from .model import Binding
from .names import label

MAX_NODES = 1_000_000
LARGEST_KEY = 1e9
_PATHS = {"translation": MOVE, "rotation": TURN, "scale": SCALE, "weights": SHAPES}
_MODES = {"STEP": STEP, "LINEAR": LINEAR, "CUBICSPLINE": CUBIC}


@dataclass(frozen=True, slots=True)
class PlacedMesh:
    """A node of the scene that has a mesh."""

    node: int
    bones: NDArray[np.int32]
    """what it may hang on: its skin's joints, or the node itself"""
    skinned: bool
    first_shape: int
    visible: bool
    """neither it nor a node above is hidden (KHR_node_visibility)"""


class RigReader:
    """Visits the nodes of a file's scene and finds what its meshes hang on."""

    def __init__(self, file: GltfFile):
        self._file, self._document = file, file.document
        self._order: list[tuple[int, int]] = []  # node, place of its parent
        self._place: dict[int, int] = {}
        self._bones: list[tuple[int, NDArray[np.float64]]] = []
        self._skins: dict[int, NDArray[np.int32]] = {}
        self._shape_rest: list[float] = []
        self._shapes: dict[int, tuple[int, int]] = {}  # node → first shape, how many
        nodes, meshes = self._document.get("nodes", []), self._document.get("meshes", [])
        self.meshes = [
            PlacedMesh(node, self._bones_of(place, nodes[node]), "skin" in nodes[node], self._shapes_of(node), visible)
            for place, node, visible in self._visit(nodes)
        ]
        self.at_rest = self._skeleton(()).at(())
        """matrices of all bones (b, 4, 4) and weights of all shapes"""
        targets = any(p.get("targets") for m in meshes for p in m["primitives"])
        self.alive = bool(targets or self._document.get("animations") or self._document.get("skins"))

    def _visit(self, nodes: list[dict[str, Any]]) -> list[tuple[int, int, bool]]:
        """Place in the skeleton, node, and whether it is shown, of everything that has a mesh."""
        found = []
        stack: list[tuple[int, int, bool]] = [(r, -1, True) for r in reversed(self._roots(nodes))]
        while stack:
            index, parent, visible = stack.pop()
            if not 0 <= index < len(nodes):
                raise IntakeError(f"‘{self._file.name}’ refers to a node that is not in it. Export it again.")
            if index in self._place:  # a tree has each node once (3.5.2)
                twice = label(nodes[index].get("name"), str(index))
                raise IntakeError(
                    f"‘{self._file.name}’ has the node ‘{twice}’ in two places, or inside itself, which glTF does not"
                    " allow. Export it again."
                )
            if len(self._order) >= MAX_NODES:
                raise IntakeError(f"‘{self._file.name}’ has more than {number(MAX_NODES)} nodes. Join some of them.")
            self._place[index] = place = len(self._order)
            self._order.append((index, parent))
            shown = nodes[index].get("extensions", {}).get("KHR_node_visibility", {}).get("visible", True)
            visible = visible and shown is not False
            if "mesh" in nodes[index]:
                found.append((place, index, visible))
            stack += [(c, place, visible) for c in reversed(nodes[index].get("children", []))]
        return found

    def _roots(self, nodes: list[dict[str, Any]]) -> list[int]:
        if scenes := self._document.get("scenes"):
            which = self._document.get("scene", 0)
            if not 0 <= which < len(scenes):
                raise IntakeError(f"‘{self._file.name}’ asks for a scene that is not in it. Export it again.")
            return list(scenes[which].get("nodes", []))
        children = {c for n in nodes for c in n.get("children", [])}
        return [i for i in range(len(nodes)) if i not in children]

    def standing(self) -> list[tuple[int, NDArray[np.float64]]]:
        """Every node of the scene with its matrix (4, 4) to the file's space, at rest."""
        many = len(self._order)
        everything = replace(
            self._skeleton(()), bone_node=np.arange(many, dtype=np.int32), bone_inverse=np.tile(np.eye(4), (many, 1, 1))
        )
        return [(node, m) for (node, _), m in zip(self._order, everything.at(())[0], strict=True)]

    def above(self, node: int) -> tuple[str, ...]:
        """Names of the nodes above one, from the outside in; those without a name are passed over."""
        names: list[str] = []
        place = self._order[self._place[node]][1]
        while place >= 0:
            index, parent = self._order[place]
            if name := self._document["nodes"][index].get("name"):
                names.append(str(name))
            place = parent
        return tuple(reversed(names))

    def _skeleton(self, animations: tuple[tuple[Track, ...], ...]) -> Skeleton:
        nodes = [self._document["nodes"][i] for i, _ in self._order]
        base = [np.array(n["matrix"], float).reshape(4, 4).T if "matrix" in n else np.eye(4) for n in nodes]

        def field(name: str, default: tuple[float, ...]) -> NDArray[np.float64]:
            rows = [default if "matrix" in n else n.get(name, default) for n in nodes]
            return np.array(rows, float).reshape(-1, len(default))

        return Skeleton(
            parent=np.array([p for _, p in self._order], np.int32),
            base=np.array(base).reshape(-1, 4, 4),
            move=field("translation", (0, 0, 0)),
            turn=field("rotation", (0, 0, 0, 1)),
            scale=field("scale", (1, 1, 1)),
            bone_node=np.array([place for place, _ in self._bones], np.int32),
            bone_inverse=np.array([inverse for _, inverse in self._bones]).reshape(-1, 4, 4),
            shapes=np.array(self._shape_rest, float),
            animations=animations,
        )

    def _bones_of(self, place: int, node: dict[str, Any]) -> NDArray[np.int32]:
        skin = node.get("skin")
        if skin is None:
            self._bones.append((place, np.eye(4)))
            return np.array([len(self._bones) - 1], np.int32)
        if skin not in self._skins:
            entry = self._document["skins"][skin]
            joints = [self._place[j] for j in entry["joints"]]
            inverses = np.tile(np.eye(4), (len(joints), 1, 1))
            if "inverseBindMatrices" in entry:
                given = self._file.accessor(entry["inverseBindMatrices"]).astype(float).reshape(-1, 4, 4)
                inverses = given[: len(joints)].transpose(0, 2, 1)
            if len(inverses) != len(joints) or not np.isfinite(inverses).all():
                raise ValueError("inverse bind matrices")
            first = len(self._bones)
            self._bones += list(zip(joints, inverses, strict=True))
            self._skins[skin] = np.arange(first, first + len(joints), dtype=np.int32)
        return self._skins[skin]

    def _shapes_of(self, index: int) -> int:
        """The first of the shapes of a node's mesh, after entering them all."""
        node = self._document["nodes"][index]
        mesh = self._document["meshes"][node["mesh"]]
        count = max((len(p.get("targets", ())) for p in mesh["primitives"]), default=0)
        first = len(self._shape_rest)
        given = list(node.get("weights") or mesh.get("weights") or ())
        self._shape_rest += (given + [0.0] * count)[:count]
        self._shapes[index] = first, count
        return first

    def binding(
        self,
        mesh: PlacedMesh,
        primitive: dict[str, Any],
        positions: NDArray[np.floating],
        attributes: dict[str, NDArray[Any]],
    ) -> Binding:
        """Skin binding of a primitive's vertices."""
        file, count, bones = self._file, len(positions), mesh.bones
        bone, weight = np.full((count, 1), bones[0], np.int32), np.ones((count, 1), np.float32)
        if mesh.skinned and "JOINTS_0" in attributes and "WEIGHTS_0" in attributes:
            sets = [k for k in range(8) if f"JOINTS_{k}" in attributes and f"WEIGHTS_{k}" in attributes]
            joint = np.concatenate([attributes[f"JOINTS_{k}"] for k in sets], axis=1).astype(np.int64)
            if joint.max(initial=0) >= len(bones) or joint.min(initial=0) < 0:
                raise IntakeError(f"‘{file.name}’ refers to joints that are not there; it is damaged. Export it again.")
            bone = bones[joint]
            weight = np.concatenate([attributes[f"WEIGHTS_{k}"] for k in sets], axis=1)
            weight = np.nan_to_num(weight.astype(np.float32), posinf=0.0, neginf=0.0).clip(0, None)
            loose = weight.sum(axis=1) <= 0
            weight[loose, 0] = 1.0
            weight /= weight.sum(axis=1, keepdims=True)
        shapes = []
        for i, target in enumerate(primitive.get("targets", ())):
            if "POSITION" in target:
                move = file.accessor(target["POSITION"]).astype(np.float32)
                lean = file.accessor(target["NORMAL"]).astype(np.float32) if "NORMAL" in target else None
                shapes.append((mesh.first_shape + i, move, lean))
        if any(len(move) != count for _, move, _ in shapes) or len(bone) != count or len(weight) != count:
            raise ValueError("attributes of different lengths")
        return Binding(positions.astype(np.float32), np.ascontiguousarray(bone), np.ascontiguousarray(weight), shapes)

    def finished(self) -> tuple[Skeleton, list[str], list[str]]:
        """The skeleton with its animations, their names, and sentences about what could not be used."""
        names, animations, notes = [], [], []
        carriers = self._carriers()
        for i, entry in enumerate(self._document.get("animations", ())):
            name = label(entry.get("name"), f"Animation {i + 1}")
            tracks, broken = self._tracks(entry, carriers)
            if broken:
                notes.append(f"Some keys of the animation ‘{name}’ are broken; what they move stands still.")
            if tracks:
                names.append(name)
                animations.append(tuple(tracks))
        return self._skeleton(tuple(animations)), names, notes

    def journeys(self, place: int) -> Iterator[tuple[Callable[[float], NDArray[np.float64]], float]]:
        """Where the node at a place of the skeleton is (4, 4) at any second, in each animation that moves it, and how
        long that lasts."""
        above, at = {place}, place
        while (at := self._order[at][1]) >= 0:
            above.add(at)
        for entry in self._document.get("animations", ()):
            tracks, _ = self._tracks(entry, above)
            if not tracks:
                continue
            alone = replace(
                self._skeleton((tuple(tracks),)), bone_node=np.array([place], np.int32), bone_inverse=np.eye(4)[None]
            )
            yield lambda seconds, alone=alone: alone.at(((0, seconds, 1.0),))[0][0], alone.length_s(0)  # type: ignore[misc]

    def _carriers(self) -> set[int]:
        """Places in the skeleton of all that meshes hang on: bones, and nodes above them. Cameras and lights do not."""
        found: set[int] = set()
        for place, _ in self._bones:
            while place >= 0 and place not in found:
                found.add(place)
                place = self._order[place][1]
        return found

    def _tracks(self, entry: dict[str, Any], carriers: set[int]) -> tuple[list[Track], int]:
        tracks, broken = [], 0
        for channel in entry.get("channels", ()):
            node, kind = channel["target"].get("node"), _PATHS.get(channel["target"].get("path"))
            if kind is None:
                broken += channel["target"].get("path") != "pointer"  # an extension, told of by its name
                continue
            if node not in self._shapes if kind == SHAPES else self._place.get(node) not in carriers:
                continue
            sampler = entry["samplers"][channel["sampler"]]
            times = self._file.accessor(sampler["input"]).astype(float)[:, 0]
            values = self._file.accessor(sampler["output"]).astype(float)
            mode = _MODES.get(sampler.get("interpolation", "LINEAR"), LINEAR)
            first, count = self._shapes.get(node, (0, 0))
            width = count if kind == SHAPES else WIDTH[kind]
            tangents = 3 if mode == CUBIC else 1
            sound = len(times) > 0 and width > 0 and values.size == len(times) * tangents * width
            if not (sound and _usable(times) and _usable(values) and (np.diff(times) >= 0).all()):
                broken += 1
                continue
            layout = (len(times), 3, width) if mode == CUBIC else (len(times), width)
            target = first if kind == SHAPES else self._place[node]
            tracks.append(Track(kind, target, mode, times, values.reshape(layout)))
        return tracks, broken


def _usable(keys: NDArray[np.float64]) -> bool:
    return bool((np.abs(keys) <= LARGEST_KEY).all())
