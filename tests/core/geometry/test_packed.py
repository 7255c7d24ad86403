"""glTF in its packings and newer dresses: what comes in is what was packed, and what does not is named."""

import base64
import contextlib
import io
import json
from pathlib import Path
from typing import Any

import DracoPy
import numpy as np
import pytest
from PIL import Image
from tests.conftest import png_of, sphere
from tests.core.geometry.test_intake import findings, glb, with_document
from tests.glb_files import document_of, gltf

from cyclorama.core.errors import IntakeError
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.geometry.read import FileModel, read_model
from cyclorama.core.geometry.read.meshopt import unpack_buffer
from cyclorama.core.geometry.read.spec_gloss import converted_pictures
from cyclorama.demo.glb import GlbWriter

PACKED = json.loads((Path(__file__).parents[2] / "data" / "packed_views.json").read_text())
"""Views packed by the method's own encoder, with what went in."""


def view(key: str) -> tuple[bytes, np.ndarray]:
    entry = PACKED[key]
    raw = np.frombuffer(base64.b64decode(entry["raw"]), np.uint8)
    packed = base64.b64decode(entry["data"])
    return unpack_buffer("a.glb", packed, entry["count"], entry["stride"], entry["mode"], entry["filter"]), raw


@pytest.mark.parametrize("key", ["positions", "noise", "wild", "sequence"])
def test_packed_views_come_back_bit_by_bit(key: str) -> None:
    found, raw = view(key)
    assert found.tobytes() == raw.tobytes()


def test_packed_triangles_come_back_but_for_their_first_corner() -> None:
    found, raw = view("grid")
    turned = [[np.roll(t, -int(t.argmin())).tolist() for t in x.view(np.uint32).reshape(-1, 3)] for x in (found, raw)]
    assert turned[0] == turned[1]


@pytest.mark.parametrize(("key", "kind", "step"), [("oct4", np.int8, 127), ("oct8", np.int16, 32767)])
def test_packed_normals_are_within_their_steps(key: str, kind: Any, step: int) -> None:
    found, raw = view(key)
    normals = found.view(kind).reshape(-1, 4)[:, :3] / step
    assert np.abs(normals - raw.view(np.float32).reshape(-1, 4)[:, :3]).max() < 3 / step
    found, raw = view("quat")
    turns = found.view(np.int16).reshape(-1, 4) / 32767
    assert np.abs((turns * raw.view(np.float32).reshape(-1, 4)).sum(axis=1)) == pytest.approx(1, abs=1e-4)
    found, raw = view("exp")
    assert found.view(np.float32) == pytest.approx(raw.view(np.float32), abs=1e-3)


@pytest.mark.parametrize("key", PACKED)
def test_damaged_packing_gets_a_sentence(key: str) -> None:
    entry, rng = PACKED[key], np.random.default_rng(3)
    data = base64.b64decode(entry["data"])
    for _ in range(40):
        bad = bytearray(data[: rng.integers(len(data))] if rng.random() < 0.5 else data)
        for at in rng.integers(0, max(len(bad), 1), 3) if bad else ():
            bad[at] = rng.integers(256)
        with contextlib.suppress(IntakeError):  # what does not unpack has its sentence
            out = unpack_buffer("a.glb", bytes(bad), entry["count"], entry["stride"], entry["mode"], entry["filter"])
            assert len(out) == entry["count"] * entry["stride"]


def test_draco_brings_the_same_ball() -> None:
    """Positions within the quantisation, the same faces, coordinates and names."""
    ball = sphere(0.1, 24)
    plain = glb(ball)
    document, binary = document_of(plain)
    packed = DracoPy.encode(
        ball.vertices,
        ball.triangles.astype(np.uint32),
        quantization_bits=16,
        compression_level=1,
        tex_coord=ball.uvs.astype(np.float64),
        preserve_order=True,
    )
    (primitive,) = document["meshes"][0]["primitives"]
    identities = {a["attribute_type"]: a["unique_id"] for a in DracoPy.decode(packed).attributes}
    primitive["attributes"].pop("NORMAL")
    primitive["extensions"] = {
        "KHR_draco_mesh_compression": {
            "bufferView": len(document["bufferViews"]),
            "attributes": {"POSITION": identities[0], "TEXCOORD_0": identities[3]},
        }
    }
    for accessor in document["accessors"]:
        accessor.pop("bufferView")
    document["bufferViews"].append({"buffer": 0, "byteOffset": len(binary), "byteLength": len(packed)})
    document["extensionsRequired"] = ["KHR_draco_mesh_compression"]
    _, model = read_model({"a.glb": gltf(document, binary + packed)})
    (part,) = model.parts
    assert part.vertices[part.triangles] == pytest.approx(ball.vertices[ball.triangles], abs=1e-5)
    assert part.uvs is not None
    assert part.uvs[part.triangles] == pytest.approx(ball.uvs[ball.triangles], abs=1e-3)
    document["bufferViews"][-1]["byteLength"] //= 2
    with pytest.raises(IntakeError, match="packed mesh data cannot be unpacked"):
        take_in({"a.glb": gltf(document, binary + packed)})


def changed(change: Any, data: bytes | None = None) -> FileModel:
    return read_model({"a.glb": with_document(data or glb(), change)})[1]


def test_instances_stand_where_they_are_said_to() -> None:
    places = np.float32([[0, 0, 0], [1, 0, 0], [0, 2, 0]])
    scales = np.float32([[1, 1, 1], [2, 2, 2], [-1, 1, 1]])
    document, binary = document_of(glb())
    for values in (places, scales):
        document["bufferViews"].append({"buffer": 0, "byteOffset": len(binary), "byteLength": values.nbytes})
        document["accessors"].append(
            {"bufferView": len(document["bufferViews"]) - 1, "componentType": 5126, "count": 3, "type": "VEC3"}
        )
        binary += values.tobytes()
    n = len(document["accessors"])
    document["nodes"][0] |= {
        "translation": [0, 0, 5],
        "extensions": {"EXT_mesh_gpu_instancing": {"attributes": {"TRANSLATION": n - 2, "SCALE": n - 1}}},
    }
    document["extensionsRequired"] = ["EXT_mesh_gpu_instancing"]
    _, model = read_model({"a.glb": gltf(document, binary)})
    (part,), (whole,) = model.parts, read_model({"b.glb": glb()})[1].parts
    count = len(whole.vertices)
    middles = part.vertices.reshape(3, count, 3).mean(axis=1) - whole.vertices.mean(axis=0) * scales
    assert middles == pytest.approx(places + np.float32([0, 0, 5]), abs=1e-6)
    assert np.ptp(part.vertices[count : 2 * count], axis=0) == pytest.approx([0.4] * 3, abs=1e-3)
    v, t = part.vertices, part.triangles
    outward = np.cross(v[t[:, 1]] - v[t[:, 0]], v[t[:, 2]] - v[t[:, 0]])
    away = v[t].mean(axis=1) - np.repeat(places + np.float32([0, 0, 5]), len(t) // 3, axis=0)
    assert np.einsum("ij,ij->i", outward, away).min() > 0  # the mirrored one too


def test_variants_hidden_parts_and_scenes() -> None:
    def change(document: dict[str, Any]) -> None:
        document["materials"].append({"name": "Night", "pbrMetallicRoughness": {"baseColorFactor": [0, 0, 1, 1]}})
        document["extensions"] = {"KHR_materials_variants": {"variants": [{"name": "day"}, {"name": "night"}]}}
        document["meshes"][0]["primitives"][0]["extensions"] = {
            "KHR_materials_variants": {"mappings": [{"material": 1, "variants": [1]}]}
        }
        document["nodes"].append({"children": [0], "extensions": {"KHR_node_visibility": {"visible": False}}})
        document["scenes"] = [{"nodes": [1], "name": "stage"}, {"nodes": []}]

    intake = take_in({"a.glb": with_document(glb(), change)})
    first, night = intake.item.variants
    assert (first.name, night.name) == ("As it came", "night")
    assert [[(w.id, w.material, w.visible) for w in v.parts] for v in (first, night)] == [
        [("part-1", intake.materials[0].id, False)],
        [("part-1", intake.materials[1].id, False)],
    ]
    text = findings(intake)
    assert "2 variants of materials" in text
    assert "1 hidden part" in text
    assert "The file has 2 scenes; ‘stage’ came in" in text


def test_webp_wrap_per_axis_second_set_and_its_override() -> None:
    buffer = io.BytesIO()
    Image.fromarray(np.full((4, 4, 3), 77, np.uint8)).save(buffer, "WEBP", lossless=True)
    uri = "data:image/webp;base64," + base64.b64encode(buffer.getvalue()).decode()

    def change(document: dict[str, Any]) -> None:
        document["images"] = [{"uri": uri, "name": "cloth"}, {"uri": "gone.ktx2"}]
        document["samplers"] = [{"wrapS": 33071, "wrapT": 33648}]
        document["textures"] = [
            {"extensions": {"EXT_texture_webp": {"source": 0}}, "sampler": 0},
            {"extensions": {"KHR_texture_basisu": {"source": 1}}},
        ]
        material = document["materials"][0]
        material["pbrMetallicRoughness"] = {
            "baseColorTexture": {"index": 0, "texCoord": 0, "extensions": {"KHR_texture_transform": {"texCoord": 1}}}
        }
        material["emissiveTexture"] = {"index": 1}
        document["extensionsRequired"] = ["EXT_texture_webp"]

    intake = take_in({"a.glb": with_document(glb(), change)})
    ref = intake.materials[0].maps.base_color
    assert ref is not None
    assert (ref.name, ref.wrap, ref.wrap_down, ref.uv_set) == ("cloth", "clamp", "mirror", 1)
    assert "‘gone.ktx2’ is a KTX2 picture" in findings(intake)

    def require(document: dict[str, Any]) -> None:
        change(document)
        document["extensionsRequired"].append("KHR_texture_basisu")
        document["meshes"] = "never looked at"

    with pytest.raises(IntakeError, match=r"‘a.glb’ needs pictures in KTX2 \(‘gone.ktx2’\)"):
        take_in({"a.glb": with_document(glb(), require)})


def test_specular_and_glossiness_become_metalness_and_roughness() -> None:
    """A dielectric and a metal, by closed form: what the materials reflect straight and scattered stays the same."""
    paint = converted_pictures(None, None, [0.5, 0.25, 0.1, 0.8], (0.04, 0.04, 0.04), 0.75)
    assert paint.metalness[0, 0] == pytest.approx(0, abs=1e-3)
    assert paint.base[0, 0].tolist() == pytest.approx([0.5, 0.25, 0.1, 0.8], abs=2e-3)
    assert paint.rough[0, 0] == pytest.approx(0.25)
    gold = converted_pictures(None, None, [0, 0, 0, 1], (1.0, 0.77, 0.34), 1.0)
    assert gold.metalness[0, 0] == pytest.approx(1, abs=1e-3)
    assert gold.base[0, 0, :3].tolist() == pytest.approx([1.0, 0.77, 0.34], abs=1e-2)

    def change(document: dict[str, Any]) -> None:
        document["images"] = [{"uri": "data:," + "x"}, {"uri": "sg.png"}]
        document["textures"] = [{"source": 1}]
        document["materials"][0] = {
            "extensions": {
                "KHR_materials_pbrSpecularGlossiness": {
                    "diffuseFactor": [0, 0, 0, 1],
                    "specularGlossinessTexture": {"index": 0},
                }
            }
        }

    half_glossy = np.concatenate([np.full((2, 4, 4), 255), np.full((2, 4, 4), [255, 255, 255, 51])]).astype(np.uint8)
    document, binary = document_of(with_document(glb(), change))
    document["buffers"] = [{"byteLength": len(binary), "uri": "a.bin"}]
    intake = take_in({"a.gltf": json.dumps(document).encode(), "a.bin": binary, "sg.png": png_of(half_glossy)})
    (material,) = intake.materials
    packed = intake.assets[material.maps.specular_roughness.asset]  # type: ignore[union-attr]
    rough, metal = (
        np.asarray(Image.open(io.BytesIO(packed)))[..., 1],
        np.asarray(Image.open(io.BytesIO(packed)))[..., 2],
    )
    assert rough[:, 0].tolist() == [0, 0, 204, 204]
    assert metal.min() == 255


def test_light_through_a_sheet() -> None:
    def change(document: dict[str, Any]) -> None:
        document["materials"][0]["extensions"] = {
            "KHR_materials_diffuse_transmission": {
                "diffuseTransmissionFactor": 0.6,
                "diffuseTransmissionColorFactor": [1, 0.5, 0.25],
            }
        }

    m = take_in({"a.glb": with_document(glb(), change)}).materials[0]
    assert (m.subsurface_weight, m.subsurface_color, m.thin_walled) == (0.6, (1, 0.5, 0.25), True)


def test_vertex_colours_of_gltf_multiply_and_are_opaque_where_the_material_is() -> None:
    writer = GlbWriter()
    ball = sphere(0.1, 24)
    writer.part("Ball", ball, writer.material("Shell", (0.5, 1, 1)))
    document, binary = document_of(writer.to_bytes())
    colours = np.tile(np.uint8([255, 128, 0, 51]), (len(ball.vertices), 1))
    document["bufferViews"].append({"buffer": 0, "byteOffset": len(binary), "byteLength": colours.nbytes})
    document["accessors"].append(
        {
            "bufferView": len(document["bufferViews"]) - 1,
            "componentType": 5121,
            "normalized": True,
            "count": len(colours),
            "type": "VEC4",
        }
    )
    document["meshes"][0]["primitives"][0]["attributes"]["COLOR_0"] = len(document["accessors"]) - 1
    for mode, alpha in (("OPAQUE", 1.0), ("BLEND", 0.2)):
        document["materials"][0]["alphaMode"] = mode
        intake = take_in({"a.glb": gltf(document, binary + colours.tobytes())})
        assert intake.materials[0].vertex_colours
        assert intake.materials[0].base_color == (0.5, 1, 1)
        mesh = Mesh.from_bytes(intake.assets[intake.item.asset])
        assert mesh.colours[0].tolist() == pytest.approx([1, 128 / 255, 0, alpha], abs=1e-6)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda d: d.update(extensionsUsed=["EXT_lights_image_based"]), "EXT_lights_image_based is not read"),
        (lambda d: d.update(extensionsRequired=["KHR_materials_fur"]), "material extension KHR_materials_fur"),
        (lambda d: d.update(extensionsUsed=["MSFT_texture_dds"]), "Pictures kept by MSFT_texture_dds"),
        (lambda d: d["meshes"][0]["primitives"][0]["attributes"].update(TEXCOORD_0=0), "do not fit its vertices"),
        (lambda d: d["nodes"][0].update(name="half \ud800 a\u0007 name"), ""),
    ],
)
def test_unread_parts_of_a_file_are_named(change: Any, said: str) -> None:
    assert said in findings(take_in({"a.glb": with_document(glb(), change)}))


def chain(document: dict[str, Any]) -> None:
    first = len(document["nodes"])
    document["nodes"] += [{"children": [first + i + 1]} for i in range(250)] + [{"children": [0]}]
    document["scenes"][0]["nodes"] = [first]


def test_long_chains_of_nodes_come_in() -> None:
    assert len(changed(chain).parts) == 1


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        (lambda d: d.update(extensionsRequired=["ACME_mesh_fog"]), "keeps its mesh in ACME_mesh_fog"),
        (lambda d: d["asset"].update(version="1.0"), "glTF version 1.0"),
        (lambda d: d["accessors"][0].update(count=60_000_000), "ends too early"),
        (lambda d: (d["accessors"][0].update(count=60_000_000), d["accessors"][0].pop("bufferView")), "ends too early"),
    ],
)
def test_unreadable_files_say_why(change: Any, sentence: str) -> None:
    with pytest.raises(IntakeError, match=sentence):
        take_in({"a.glb": with_document(glb(), change)})


def test_a_description_without_end_gets_a_sentence() -> None:
    with pytest.raises(IntakeError, match="description cannot be read"):
        take_in({"a.gltf": b'{"asset":' + b"[" * 200_000})
