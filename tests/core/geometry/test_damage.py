"""Model files damaged by chance: what comes in is whole, everything else gets a sentence."""

import json
import struct
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
import trimesh
from tests.conftest import sphere
from tests.core.geometry.test_intake import CUBE_OBJ, MTL, glb, png
from tests.moving_models import bending_bar

from cyclorama.core.errors import IntakeError
from cyclorama.core.geometry.cache_keys import Intake
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.mesh import Mesh

BALL = trimesh.creation.icosphere(2)
WHOLE: dict[str, bytes] = {
    "painted.glb": glb(sphere(0.5, 12)),
    "bar.glb": bending_bar()[0].to_bytes(),
    "cube.obj": CUBE_OBJ.encode(),
    "ball.stl": BALL.export(file_type="stl"),
    "ball.ply": BALL.export(file_type="ply"),
}
BESIDE = {"cube.mtl": MTL.encode(), "paint.png": png()}


def bytes_changed(data: bytes, rng: np.random.Generator) -> bytes:
    changed = bytearray(data)
    for place in rng.integers(0, len(data), rng.integers(1, 20)):
        changed[place] = rng.integers(256)
    return bytes(changed)


def cut_short(data: bytes, rng: np.random.Generator) -> bytes:
    return data[: rng.integers(len(data))]


def number_broken(data: bytes, rng: np.random.Generator) -> bytes:
    at = rng.integers(len(data) - 8)
    number = struct.pack("<f", rng.choice([np.nan, np.inf, 1e38, -1e38]))
    return data[:at] + number + data[at + 4 :]


def piece_doubled(data: bytes, rng: np.random.Generator) -> bytes:
    at = rng.integers(len(data))
    return data[: at + rng.integers(1, 200)] + data[at:]


def _places(value: Any) -> list[tuple[Any, Any]]:
    """Every container of a JSON document with every key in it."""
    keys = list(value) if isinstance(value, dict) else list(range(len(value))) if isinstance(value, list) else []
    return [(value, key) for key in keys] + [place for key in keys for place in _places(value[key])]


def description_changed(data: bytes, rng: np.random.Generator) -> bytes:
    """A GLB with one value of its JSON part replaced by something else; other files by changed bytes."""
    if not data.startswith(b"glTF"):
        return bytes_changed(data, rng)
    length = struct.unpack_from("<I", data, 12)[0]
    document = json.loads(data[20 : 20 + length])
    places = _places(document)
    container, key = places[rng.integers(len(places))]
    others = [None, -1, 10**9, 1.5, "x", [], {}, True, [0, 0], 2**63]
    container[key] = others[rng.integers(len(others))]
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<I", len(text)) + data[16:20] + text + data[20 + length :]
    return data[:8] + struct.pack("<I", 12 + len(body)) + body


DAMAGES: list[Callable[[bytes, np.random.Generator], bytes]] = [
    bytes_changed,
    cut_short,
    number_broken,
    piece_doubled,
    description_changed,
]


def check_whole(intake: Intake) -> None:
    """Everything that the studio goes on to use is there and made of numbers."""
    mesh = Mesh.from_bytes(intake.assets[intake.item.asset])
    assert len(mesh.triangles) == intake.report.triangles > 0
    assert mesh.triangles.min() >= 0
    assert mesh.triangles.max() < len(mesh.vertices)
    assert np.isfinite(mesh.vertices[mesh.triangles]).all()
    assert np.isfinite(mesh.normals).all()
    assert sum(part.triangles for part in intake.item.parts) == len(mesh.triangles)
    materials = {m.id for m in intake.materials}
    assert all(w.material in materials for v in intake.item.variants for w in v.parts)


@pytest.mark.filterwarnings("ignore::RuntimeWarning")
@pytest.mark.parametrize("damage", DAMAGES, ids=lambda d: d.__name__)
@pytest.mark.parametrize("name", WHOLE)
def test_damaged_files_come_in_whole_or_not_at_all(
    name: str, damage: Callable[[bytes, np.random.Generator], bytes]
) -> None:
    sentences = []
    for seed in range(8):
        data = damage(WHOLE[name], np.random.default_rng(seed))
        try:
            check_whole(take_in({name: data, **(BESIDE if name == "cube.obj" else {})}))
        except IntakeError as error:
            sentences.append(error.sentence)
    assert all(sentence.endswith(".") for sentence in sentences)
    assert sentences or damage is not cut_short, "a file that ends too early is not a whole one"


@pytest.mark.parametrize("name", WHOLE)
def test_undamaged_files_come_in(name: str) -> None:
    """Or the test above would prove little."""
    check_whole(take_in({name: WHOLE[name], **(BESIDE if name == "cube.obj" else {})}))


def test_notes_at_the_end_of_an_stl_are_left_alone() -> None:
    """Some programs write them; the triangles before are the same."""
    plain = take_in({"ball.stl": WHOLE["ball.stl"]})
    noted = take_in({"ball.stl": WHOLE["ball.stl"] + b"\xff\xfemade on a Tuesday\x00"})
    assert noted.item.asset == plain.item.asset


@pytest.mark.parametrize("index", [162, 2**31 - 1, -1])
def test_a_ply_that_refers_to_nothing_is_refused(index: int) -> None:
    lines = BALL.export(file_type="ply", encoding="ascii").decode().splitlines()
    corner = lines[-1].split()
    lines[-1] = " ".join([*corner[:-1], str(index)])
    with pytest.raises(IntakeError, match="damaged"):
        take_in({"ball.ply": "\n".join(lines).encode()})


def test_flat_vertices_are_refused() -> None:
    with pytest.raises(IntakeError, match="damaged"):
        take_in({"flat.obj": b"v 0 0\nv 1 0\nv 0 1\nf 1 2 3\n"})
