"""Models come in with everything they bring; bad files get a sentence."""

import base64
import io
import json
import math
import struct
import zipfile
import zlib

import numpy as np
import pytest
import trimesh
from tests.conftest import png_of, sphere
from tests.glb_files import document_of, packed

from cyclorama.core.errors import IntakeError
from cyclorama.core.geometry.build import arc, lathe
from cyclorama.core.geometry.cache_keys import Intake, standin_key
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.geometry.polygons import split_quads
from cyclorama.core.geometry.read import read_model
from cyclorama.core.geometry.standin_file import unpack
from cyclorama.core.picture_files import decode_picture
from cyclorama.demo.glb import GlbWriter, glass

CUBE_OBJ = """mtllib cube.mtl
o lid
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
vt 0 0
vt 1 0
vt 1 1
vt 0 1
usemtl red
f 1/1 2/2 3/3 4/4
"""
MTL = "newmtl red\nKd 0.5 0.1 0.1\nPr 0.25\nPm 1.0\nmap_Kd paint.png\n"


def png() -> bytes:
    """A red picture."""
    return png_of(np.tile([255, 0, 0], (4, 4, 1)))


def glb(mesh: Mesh | None = None, **material: object) -> bytes:
    writer = GlbWriter()
    writer.part("Ball", mesh or sphere(0.1, 24), writer.material("Shell", **material))  # type: ignore[arg-type]
    return writer.to_bytes()


def with_document(data: bytes, change) -> bytes:  # type: ignore[no-untyped-def]
    """A GLB with its JSON changed."""
    document, binary = document_of(data)
    change(document)
    return packed(document, binary)


def findings(intake: Intake) -> str:
    return " ".join(f"{f.what} {f.done}" for f in intake.report.findings)


def test_glb_brings_materials_textures_and_names() -> None:
    writer = GlbWriter()
    picture = writer.texture("paint", np.full((8, 8, 3), 200, np.uint8))
    writer.part("Bowl", sphere(0.1, 24), writer.material("Enamel", (0.2, 0.4, 0.6), 0.25, 0.35, base_map=picture))
    writer.part(
        "Pane", sphere(0.05, 16), writer.material("Glass", rough=0.0, extensions=glass(1.45, (0.8, 0.9, 0.9), 0.1))
    )
    intake = take_in({"set.glb": writer.to_bytes()})
    assert [p.name for p in intake.item.parts] == ["Bowl", "Pane"]
    enamel, pane = intake.materials
    assert enamel.base_color == (0.2, 0.4, 0.6)
    assert (enamel.base_metalness, enamel.specular_roughness) == (0.25, 0.35)
    assert intake.assets[enamel.maps.base_color.asset][:4] == b"\x89PNG"
    assert (pane.transmission_weight, pane.specular_ior, pane.transmission_depth_m) == (1.0, 1.45, 0.1)
    assert sum(p.triangles for p in intake.item.parts) == intake.report.triangles
    assert intake.report.size_file_units == pytest.approx((0.2, 0.2, 0.2), abs=1e-3)


def test_node_transforms_and_mirroring() -> None:
    def change(document: dict) -> None:
        document["nodes"][0] |= {
            "scale": [-2, 1, 1],
            "translation": [5, 0, 0],
            "rotation": [0, 0.7071068, 0, 0.7071068],
        }

    _, model = read_model({"a.glb": with_document(glb(), change)})
    box = model.parts[0].vertices
    assert box.min(axis=0) == pytest.approx([4.9, -0.1, -0.2], abs=1e-3)
    v, t = box, model.parts[0].triangles
    outward = np.cross(v[t[:, 1]] - v[t[:, 0]], v[t[:, 2]] - v[t[:, 0]])
    assert np.einsum("ij,ij->i", outward, v[t].mean(axis=1) - [5, 0, 0]).min() > 0


def test_nameless_entries_of_an_archive_are_passed_over() -> None:
    assert take_in({"a.zip": zip_of((".", b"x"), ("./", b""), ("", b"x"), ("folder/./a.glb", glb()))}).report.parts == 1
    for hidden in ("", ".glb", "folder/.glb"):
        with pytest.raises(IntakeError, match=r"‘a.zip’ holds no files with a name that can be seen"):
            take_in({"a.zip": zip_of((hidden, glb()))})


def test_a_node_may_be_scaled_beyond_a_thousand() -> None:
    """A ball of 20 cm, 5000 times as large, is 1 km across: said as it is, and nothing of it lost."""

    def change(document: dict[str, object]) -> None:
        document["nodes"][0]["scale"] = [5000, 5000, 5000]  # type: ignore[index]

    large, small = take_in({"a.glb": with_document(glb(), change)}), take_in({"a.glb": glb()})
    assert large.report.size_file_units == pytest.approx(tuple(5000 * x for x in small.report.size_file_units))
    assert large.report.triangles == small.report.triangles


def test_gltf_with_files_and_as_zip() -> None:
    data = glb()
    size = struct.unpack_from("<I", data, 12)[0]
    document = json.loads(data[20 : 20 + size])
    document["buffers"][0]["uri"] = "parts/ball.bin"
    files = {"ball.gltf": json.dumps(document).encode(), "parts/ball.bin": data[20 + size + 8 :]}
    loose = take_in(files)
    packed = take_in({"model.zip": zip_of(*((f"model/{name}", content) for name, content in files.items()))})
    assert loose.item.asset == packed.item.asset
    with pytest.raises(IntakeError, match=r"needs ‘parts/ball.bin’"):
        take_in({"ball.gltf": files["ball.gltf"]})


def test_obj_with_material_and_texture() -> None:
    intake = take_in({"cube.obj": CUBE_OBJ.encode(), "cube.mtl": MTL.encode(), "paint.png": png()})
    (red,) = intake.materials
    assert (red.name, red.specular_roughness, red.base_metalness) == ("red", 0.25, 1.0)
    assert red.maps.base_color is not None
    assert "missing" in findings(take_in({"cube.obj": CUBE_OBJ.encode(), "cube.mtl": MTL.encode()}))
    wide = take_in({"cube.obj": CUBE_OBJ.encode("utf-16"), "cube.mtl": MTL.encode("utf-16"), "paint.png": png()})
    assert wide.materials == intake.materials
    mesh = Mesh.from_bytes(intake.assets[intake.item.asset])
    corner = mesh.vertices[np.argmin(mesh.uvs[:, 0] + mesh.uvs[:, 1])]
    assert corner.tolist() == [0, 1, 0]  # uv origin at the top left


PENTAGON_AND_SQUARE = [(0, 1, 2, 3), (3, 2, 4, 5, 6), (0, 3, 6)]
CORNERS = [(0, 0, 0), (2, 0, 0), (2, 2, 0), (0, 2, 0.5), (2, 4, 0), (1, 5, 0), (0, 4, 0)]


def ply(faces: list[tuple[int, ...]], order: str = "") -> bytes:
    """A PLY of CORNERS, text or binary in a byte order; each face carries a colour behind its list."""
    kind = {"": "ascii", "<": "binary_little_endian", ">": "binary_big_endian"}[order]
    lines = [
        "ply",
        f"format {kind} 1.0",
        f"element vertex {len(CORNERS)}",
        "property float x",
        "property float y",
        "property double z",
        f"element face {len(faces)}",
        "property list uchar int vertex_indices",
        "property uchar red",
        "end_header",
    ]
    if not order:
        lines += [f"{x} {y} {z}" for x, y, z in CORNERS] + [" ".join(map(str, (len(f), *f, 9))) for f in faces]
    data = ("\n".join(lines) + "\n").encode()
    if order:
        data += b"".join(struct.pack(f"{order}ffd", *c) for c in CORNERS)
        data += b"".join(struct.pack(f"{order}B{len(f)}iB", len(f), *f, 9) for f in faces)
    return data


@pytest.mark.parametrize("kind", ["obj", "ply", "ply <", "ply >"])
def test_polygons_keep_their_edges(kind: str) -> None:
    """Whatever triangles a reader makes of bent quads and pentagons, exactly the file's own edges are drawn."""
    if kind == "obj":
        lines = [f"v {x} {y} {z}" for x, y, z in CORNERS]
        lines += [
            "f " + " ".join(str(i + 1 if n != 1 else i - 7) for i in face) for n, face in enumerate(PENTAGON_AND_SQUARE)
        ]
        file = "\n".join(lines).encode()
    else:
        file = ply(PENTAGON_AND_SQUARE, kind[4:])
    intake = take_in({f"plate.{kind[:3]}": file})
    mesh = Mesh.from_bytes(intake.assets[intake.item.asset])
    shown = {
        frozenset((tuple(mesh.vertices[t[e]].tolist()), tuple(mesh.vertices[t[(e + 1) % 3]].tolist())))
        for t, bits in zip(mesh.triangles, mesh.inner, strict=True)
        for e in range(3)
        if not bits >> e & 1
    }
    wanted = {
        frozenset((tuple(map(float, CORNERS[a])), tuple(map(float, CORNERS[b]))))
        for face in PENTAGON_AND_SQUARE
        for a, b in zip(face, (*face[1:], face[0]), strict=True)
    }
    assert shown == wanted


def test_a_cut_off_ply_is_said() -> None:
    whole = ply(PENTAGON_AND_SQUARE, "<")
    for end in (len(whole) - 3, whole.index(b"end_header") + 30, 40):
        with pytest.raises(IntakeError, match=r"ends in the middle|no end of its header"):
            take_in({"plate.ply": whole[:end]})


def test_quads_are_recognised_in_triangles() -> None:
    """A globe of split quads gets its grid back; one of real triangles stays as it is."""
    globe = lathe(arc(0, 0, 1, 90, -90, 24)[1:-1], 48)
    found = split_quads(globe.vertices, globe.triangles)
    assert (found == globe.inner).all()
    mirrored = globe.transformed(np.diag([-1.0, 1, 1, 1]))
    assert (split_quads(mirrored.vertices, mirrored.triangles) == mirrored.inner).all()
    triangles = trimesh.creation.icosphere(3)
    assert not split_quads(triangles.vertices, triangles.faces).any()


@pytest.mark.parametrize("kind", ["stl", "ply"])
def test_bare_meshes(kind: str) -> None:
    box = trimesh.creation.box((20, 30, 40))
    data = box.export(file_type=kind)
    intake = take_in({f"box.{kind}": data if isinstance(data, bytes) else data.encode()})
    assert intake.report.unit_m == (0.001 if kind == "stl" else 0.01)
    assert intake.item.placement.up == ("z" if kind == "stl" else "y")
    assert "without normals" in findings(intake)


def test_repairs_are_reported() -> None:
    ball = sphere(0.1, 24)
    flipped = Mesh(ball.vertices, -ball.normals, ball.uvs, ball.triangles, ball.part)
    assert "normals on the wrong side turned round" in findings(take_in({"a.glb": glb(flipped)}))
    mended = Mesh.from_bytes((i := take_in({"a.glb": glb(flipped)})).assets[i.item.asset])
    assert np.einsum("ij,ij->i", mended.normals, mended.vertices).min() > 0
    inside_out = Mesh(ball.vertices, -ball.normals, ball.uvs, ball.triangles[:, ::-1].copy(), ball.part)
    assert "1 part inside out turned round" in findings(take_in({"a.glb": glb(inside_out)}))
    doubled = Mesh(
        ball.vertices,
        ball.normals,
        ball.uvs,
        np.concatenate([ball.triangles, ball.triangles[:5]]),
        np.zeros(len(ball.triangles) + 5, np.int32),
    )
    assert "5 faces there twice" in findings(take_in({"a.glb": glb(doubled)}))
    opened = Mesh(ball.vertices, ball.normals, ball.uvs, ball.triangles[1:], ball.part[1:])
    assert "3 open edges" in findings(take_in({"a.glb": glb(opened)}))
    assert "Nothing odd" in findings(take_in({"a.glb": glb()}))


def test_parts_that_are_no_subject_are_named() -> None:
    def change(document: dict) -> None:
        document["cameras"] = [{"type": "orthographic"}]
        document["nodes"][0]["camera"] = 0
        document["materials"][0]["extensions"] = {"KHR_materials_dispersion": {"dispersion": 0.1}}

    text = findings(take_in({"a.glb": with_document(glb(), change)}))
    assert "Cameras without perspective are left out" in text
    assert "dispersion is left out" in text


def test_material_extensions_become_openpbr_parameters() -> None:
    """One material with everything the extensions can say; each lands where its specification means it."""
    extensions = {
        "clearcoat": {"clearcoatFactor": 0.8, "clearcoatRoughnessFactor": 0.1},
        "sheen": {"sheenColorFactor": [0.2, 0.4, 0.1], "sheenRoughnessFactor": 0.3},
        "specular": {"specularFactor": 0.5, "specularColorFactor": [1, 0.5, 0.25]},
        "anisotropy": {"anisotropyStrength": 0.6, "anisotropyRotation": 1.5707963},
        "iridescence": {"iridescenceFactor": 0.9, "iridescenceIor": 1.35, "iridescenceThicknessMaximum": 420},
        "ior": {"ior": 1.7},
        "transmission": {"transmissionFactor": 0.75},
        "volume": {"thicknessFactor": 0.01, "attenuationDistance": 0.02, "attenuationColor": [0.9, 0.5, 0.1]},
        "emissive_strength": {"emissiveStrength": 3.0},
    }

    def change(document: dict) -> None:
        entry = document["materials"][0]
        entry["emissiveFactor"] = [0.5, 0.25, 0]
        entry["extensions"] = {f"KHR_materials_{k}": v for k, v in extensions.items()}

    intake = take_in({"a.glb": with_document(glb(), change)})
    m = intake.materials[0]
    assert (m.coat_weight, m.coat_roughness, m.coat_ior) == (0.8, 0.1, 1.5)
    assert (m.fuzz_weight, m.fuzz_roughness) == (0.4, 0.3)
    assert m.fuzz_color == pytest.approx((0.5, 1.0, 0.25))
    assert (m.specular_weight, m.specular_color) == (0.5, (1.0, 0.5, 0.25))
    assert m.specular_roughness_anisotropy == 0.6
    assert m.specular_rotation_deg == pytest.approx(90, abs=1e-4)
    assert (m.thin_film_weight, m.thin_film_ior, m.thin_film_thickness_nm) == (0.9, 1.35, 420)
    assert (m.specular_ior, m.transmission_weight, m.transmission_depth_m) == (1.7, 0.75, 0.02)
    assert (m.transmission_color, m.thin_walled) == ((0.9, 0.5, 0.1), False)
    assert m.emission_luminance == pytest.approx(0.5 * 3.0 * 1000)
    assert m.emission_color == pytest.approx((1.0, 0.5, 0.0))
    assert "anisotropy is shown by OpenPBR's measure" in findings(intake)


def test_unlit_and_moved_maps() -> None:
    def change(document: dict) -> None:
        entry = document["materials"][0]
        entry["extensions"] = {"KHR_materials_unlit": {}}
        texture = entry["pbrMetallicRoughness"]["baseColorTexture"]
        texture["extensions"] = {"KHR_texture_transform": {"offset": [0.5, 0.25], "scale": [2, 3], "rotation": 1.0}}

    writer = GlbWriter()
    picture = writer.texture("paint", np.full((8, 8, 3), 200, np.uint8))
    writer.part("Ball", sphere(0.1, 24), writer.material("Enamel", base_map=picture))
    intake = take_in({"a.glb": with_document(writer.to_bytes(), change)})
    m = intake.materials[0]
    assert (m.base_weight, m.specular_weight, m.emission_luminance) == (0, 0, 1000)
    ref = m.maps.emission_color
    assert ref is not None
    assert (ref.offset_u, ref.offset_v, ref.scale_u, ref.scale_v) == (0.5, 0.25, 2, 3)
    assert ref.rotation_deg == pytest.approx(np.degrees(1.0))
    assert "unlit" in findings(intake)


def test_a_picture_that_cannot_be_used_does_not_keep_a_model_out() -> None:
    """Too large, broken, cut off, or of no use at all: the model comes in, and what became of the picture is said."""
    assert "larger than 8192×8192 pixels" in findings(take_in(bad_texture()))
    document = json.dumps(GLTF_WITH_PICTURE).encode()
    assert "cannot be read" in findings(take_in({"a.gltf": document, "big.png": b"no picture"}))
    jpeg = png_of(np.random.default_rng(1).integers(0, 255, (64, 64, 3)), "JPEG")
    cut = take_in({"a.gltf": document, "big.png": jpeg[:-2]})
    assert "ends too early" in findings(cut)
    assert decode_picture(cut.assets[cut.materials[0].maps.base_color.asset], "cut").shape == (64, 64, 4)  # type: ignore[union-attr]
    unused = {**GLTF_WITH_PICTURE, "materials": [{}]}
    assert "picture" not in findings(take_in({"a.gltf": json.dumps(unused).encode(), "big.png": b"", "stray.jpg": b""}))


def test_large_models_get_a_reduced_standin() -> None:
    intake = take_in({"a.glb": glb(sphere(0.1, 512))})
    assert intake.report.triangles > 250_000
    data = intake.assets[standin_key(intake.item.asset)]
    header = json.loads(data[4 : 4 + struct.unpack_from("<I", data)[0]])
    assert header["triangles"] <= 12_000
    points, _, triangles, _ = unpack(data)
    inward = 0.1 - np.linalg.norm(points[triangles].mean(axis=1), axis=1)  # a ball of 10 cm: how far it is flattened
    assert inward.max() < 0.1 * math.sqrt(3) / 800 * 1.2
    assert len(data) == 4 + struct.unpack_from("<I", data)[0] + header["vertices"] * 20 + header["triangles"] * 12


def zip_of(*entries: tuple[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in entries:
            entry = zipfile.ZipInfo("any")
            entry.filename, entry.compress_type = name, zipfile.ZIP_DEFLATED  # nothing, too, which is no name otherwise
            archive.writestr(entry, content)
    return buffer.getvalue()


def nan_ball() -> bytes:
    ball = sphere(0.1, 24)
    vertices = ball.vertices.copy()
    vertices[50] = np.nan
    data = glb(Mesh(ball.vertices, ball.normals, ball.uvs, ball.triangles, ball.part))
    return data.replace(ball.vertices[50].tobytes(), vertices[50].tobytes())


def one_vertex(document: dict) -> None:
    document["accessors"][0]["count"] = 1


def bad_texture() -> dict[str, bytes]:
    data = bytearray(png_of(np.zeros((8, 8, 3))))
    data[16:29] = struct.pack(">IIBBBBB", 30_000, 30_000, 8, 2, 0, 0, 0)
    data[29:33] = struct.pack(">I", zlib.crc32(bytes(data[12:29])))
    return {"a.gltf": json.dumps(GLTF_WITH_PICTURE).encode(), "big.png": bytes(data)}


TRIANGLE = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4").tobytes()
DATA_URI = "data:application/octet-stream;base64," + base64.b64encode(TRIANGLE).decode()
GLTF_WITH_PICTURE = {
    "asset": {"version": "2.0"},
    "scene": 0,
    "scenes": [{"nodes": [0]}],
    "nodes": [{"mesh": 0}],
    "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "material": 0}]}],
    "materials": [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
    "textures": [{"source": 0}],
    "images": [{"uri": "big.png"}],
    "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
    "bufferViews": [{"buffer": 0, "byteLength": 36}],
    "buffers": [{"byteLength": 36, "uri": DATA_URI}],
}


def shared_node(document: dict) -> None:
    """One node below two others."""
    last = len(document["nodes"])
    document["nodes"] += [{"name": "shared", "mesh": 0}, {"children": [last]}, {"children": [last]}]
    document["scenes"][0]["nodes"] = [last + 1, last + 2]


def damaged_zip(how: int) -> bytes:
    """An archive whose content does not unpack."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", how) as archive:
        archive.writestr("a.glb", glb())
    data = bytearray(buffer.getvalue())
    for place in range(60, 400, 7):
        data[place] ^= 0x5A
    return bytes(data)


BAD = {
    "damaged deflate": ({"a.zip": damaged_zip(zipfile.ZIP_DEFLATED)}, "‘a.glb’ in it cannot be unpacked"),
    "damaged lzma": ({"a.zip": damaged_zip(zipfile.ZIP_LZMA)}, "‘a.glb’ in it cannot be unpacked"),
    "empty": ({"a.glb": b""}, "is empty"),
    "text renamed": ({"a.glb": b"just some text, not a model at all"}, "is not a GLB file"),
    "truncated": ({"a.glb": glb()[:5000]}, "ends too early"),
    "nan": ({"a.glb": nan_ball()}, "not a number"),
    "outside": ({"a.zip": zip_of(("../../evil.glb", glb()))}, "leads outside"),
    "absolute": ({"a.zip": zip_of(("/etc/evil.glb", glb()))}, "leads outside"),
    "bomb": ({"a.zip": zip_of(("a.glb", bytes(300 << 20)))}, "far more than a model needs"),
    "not a zip": ({"a.zip": b"PK nonsense"}, "not a readable zip"),
    "no faces": ({"a.obj": b"v 0 0 0\nv 1 0 0\nv 0 1 0\n"}, "no faces"),
    "no model": ({"a.txt": b"hello"}, "There is no model"),
    "two models": ({"a.glb": glb(), "b.glb": glb()}, "2 models"),
    "stl noise": ({"a.stl": bytes(range(256)) * 4}, "a.stl"),
    "ply header only": ({"a.ply": b"ply\nformat ascii 1.0\nend_header\n"}, "a.ply"),
    "wrong index": ({"a.glb": with_document(glb(), one_vertex)}, "damaged|not there"),
    "cycle": ({"a.glb": with_document(glb(), lambda d: d["nodes"][0].update(children=[0]))}, "or inside itself"),
    "shared node": ({"a.glb": with_document(glb(), shared_node)}, "has the node ‘shared’ in two places"),
    "scene node": (
        {"a.glb": with_document(glb(), lambda d: d["scenes"][0].update(nodes=[-1]))},
        "node that is not in it",
    ),
    "scene": ({"a.glb": with_document(glb(), lambda d: d.update(scene=-1))}, "a scene that is not in it"),
    "json list": ({"a.gltf": b"[1, 2]"}, "not a glTF file"),
}


@pytest.mark.parametrize("case", BAD)
def test_bad_input_gets_a_sentence(case: str) -> None:
    files, expected = BAD[case]
    with pytest.raises(IntakeError, match=expected) as error:
        take_in(files)
    assert error.value.sentence.endswith(".")
    assert "Traceback" not in error.value.sentence


def test_reasons_of_unit_and_axis_are_those_of_what_is_chosen() -> None:
    report = take_in({"a.glb": glb()}).report
    assert report.as_chosen(report.unit_m, report.up) == report
    other = report.as_chosen(report.unit_m / 1000, "z")
    assert other.unit_reason == f"unit chosen by you ({report.unit_reason})"
    assert other.up_reason == f"up axis chosen by you ({report.up_reason})"
