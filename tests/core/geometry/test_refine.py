"""Parts refined by subdivision, whatever file they come from."""

import numpy as np
import pytest
from tests.core.geometry.test_subdivide import CUBE, FACES, cage
from tests.glb_files import document_of, gltf

from cyclorama.core.geometry.cache_keys import rig_key
from cyclorama.core.geometry.detail import DetailRequest
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.geometry.polygons import triangulate
from cyclorama.core.geometry.read import ModelPart
from cyclorama.core.geometry.refine import polygons_of, refine
from cyclorama.core.geometry.rig import Rig
from cyclorama.core.geometry.rows import place_bits
from cyclorama.core.scene import Detail
from cyclorama.demo.glb import GlbWriter


def cube(faces: np.ndarray = FACES, inner: bool = True) -> ModelPart:
    """Faces of a cube, each with corners of its own, as a file with hard edges has them."""
    corners = CUBE[faces].reshape(-1, 3)
    triangles, _, bits = triangulate(corners, np.full(len(faces), 4))
    uvs = np.tile(np.float32([[0, 0], [1, 0], [1, 1], [0, 1]]), (len(faces), 1))
    return ModelPart("cube", corners, triangles, uvs=uvs, inner=bits if inner else None)


def places(parts: list[ModelPart]) -> set[tuple[int, ...]]:
    return {tuple(p) for part in parts for p in np.round(part.vertices * 1e6).astype(int).tolist()}


def test_polygons_are_put_together_again() -> None:
    """A hollow outline of nine corners, a quad and a triangle come back corner by corner; so do split quads."""
    ring = np.array([[0, 0], [3, 0], [3, 3], [2, 3], [2, 1], [1, 1], [1, 2], [0.5, 3], [0, 3]], float)
    points = np.concatenate([np.pad(ring, ((0, 0), (0, 1))), CUBE[FACES[0]] + 9, CUBE[FACES[1]][:3] - 9])
    sizes = np.array([9, 4, 3])
    triangles, _, inner = triangulate(points, sizes)
    index, found = polygons_of(ModelPart("", points, triangles, inner=inner), np.arange(len(points), dtype=np.int32))
    assert sorted(found.tolist()) == [3, 4, 9]
    for run, size in zip(np.split(index, np.cumsum(found)[:-1]), found, strict=True):
        assert set(np.diff(np.concatenate([run, run[:1]])) % size) == {1}
    part = cube(inner=False)
    assert (
        polygons_of(part, np.unique(place_bits(part.vertices), axis=0, return_inverse=True)[1].astype(np.int32))[
            1
        ].tolist()
        == [4] * 6
    )


@pytest.mark.parametrize("inner", [True, False])
def test_a_cube_of_any_file_goes_to_its_limit(inner: bool) -> None:
    part = cube(inner=inner)
    done = refine([part], [True], 0.005)
    expected, levels, left = cage(CUBE, FACES).until(0.005, 10**7)
    assert (done.levels, done.off) == ((levels,), pytest.approx(left))
    assert places([part]) == {tuple(p) for p in np.round(expected.points * 1e6).astype(int).tolist()}
    assert part.uvs is not None
    assert (part.uvs.min(), part.uvs.max(), part.normals) == (0, 1, None)


def test_pieces_of_one_mesh_meet_as_if_they_were_one() -> None:
    """Parted by material they are one surface; two meshes that only touch have borders where they do."""
    whole = cube()
    refine([whole], [True], 0.01)
    pieces = [cube(FACES[:2]), cube(FACES[2:])]
    for piece in pieces:
        piece.body = 7
    refine(pieces, [True, True], 0.01)
    assert places(pieces) == places([whole])
    apart = [cube(FACES[:2]), cube(FACES[2:])]
    refine(apart, [True, True], 0.01)
    assert places(apart) != places([whole])
    left = [cube(), cube()]
    refine(left, [False, True], 0.01)
    assert (len(left[0].triangles), len(left[1].triangles) > 100) == (12, True)


def test_parts_that_only_travel_are_refined_and_travel_on() -> None:
    """A file of triangles asked to be smooth, with a node that moves; a part that bends is named and stays."""
    writer = GlbWriter()
    box = cube()
    normals = np.tile(np.float32([0, 1, 0]), (len(box.vertices), 1))
    mesh = Mesh(
        box.vertices.astype(np.float32), normals, box.uvs, box.triangles.astype(np.int32), np.zeros(12, np.int32)
    )
    writer.part("cube", mesh, writer.material("clay", (0.5, 0.5, 0.5)))
    document, chunk = document_of(writer.to_bytes())
    keys = np.float32([0, 1]).tobytes() + np.float32([[0, 0, 0], [5, 0, 0]]).tobytes()
    at = len(document["bufferViews"])
    document["bufferViews"] += [
        {"buffer": 0, "byteOffset": len(chunk), "byteLength": 8},
        {"buffer": 0, "byteOffset": len(chunk) + 8, "byteLength": 24},
    ]
    first = len(document["accessors"])
    document["accessors"] += [
        {"bufferView": at, "componentType": 5126, "count": 2, "type": "SCALAR", "min": [0], "max": [1]},
        {"bufferView": at + 1, "componentType": 5126, "count": 2, "type": "VEC3"},
    ]
    document["animations"] = [
        {
            "channels": [{"sampler": 0, "target": {"node": 0, "path": "translation"}}],
            "samplers": [{"input": first, "output": first + 1}],
        }
    ]
    intake = take_in({"a.glb": gltf(document, chunk + keys)}, wanted=DetailRequest(Detail(smooth="all"), 0.01))
    assert "All parts are refined, 4 times" in " ".join(f.what for f in intake.report.findings)
    rig = Rig.from_bytes(intake.assets[rig_key(intake.item.asset)])
    there = rig.at(((0, 1.0, 1.0),))[0]
    assert there.mean(axis=0) == pytest.approx([5, 0, 0], abs=1e-5)
    assert np.abs(there - [5, 0, 0]).max() < 0.99
    assert len(Mesh.from_bytes(intake.assets[intake.item.asset]).triangles) == 12 * 4**4
