"""What readers make of files in all their ways of writing, against closed forms and an independent reader."""

import io
import re
import struct

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from tests.conftest import png_of
from tests.core.geometry.test_intake import findings

from cyclorama.core.errors import IntakeError
from cyclorama.core.geometry.cache_keys import Intake, standin_key
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.mesh import Mesh, face_normals
from cyclorama.core.geometry.normals import smooth_normals
from cyclorama.core.geometry.polygons import triangulate
from cyclorama.core.geometry.read import read_model
from cyclorama.core.geometry.read.numbers import all_numbers
from cyclorama.core.geometry.standin_file import unpack
from cyclorama.core.picture_files import decode_picture
from cyclorama.core.textures import srgb_to_linear

U_SHAPE = [(0, 0), (3, 0), (3, 3), (2, 3), (2, 1), (1, 1), (1, 3), (0, 3)]
"""Area 7; a fan from its first corner covers 11."""


def area_of(vertices: np.ndarray, triangles: np.ndarray) -> float:
    return float(np.linalg.norm(face_normals(vertices, triangles), axis=1).sum() / 2)


def mesh_of(intake: Intake) -> Mesh:
    return Mesh.from_bytes(intake.assets[intake.item.asset])


@given(st.lists(st.floats(-1e300, 1e300), max_size=40), st.sampled_from(["g", "r", "e", ".17g"]))
@settings(deadline=None, max_examples=150)
def test_numbers_are_read_as_python_reads_them(values: list[float], how: str) -> None:
    words = [repr(v) if how == "r" else format(v, how) for v in values]
    text = np.frombuffer(("\t".join(words) + "\r\n").encode(), np.uint8)
    found = np.empty(len(words))
    assert all_numbers(text, found) == (len(words), -1)
    assert found == pytest.approx([float(w) for w in words], rel=2e-15, abs=1e-300)


@pytest.mark.parametrize("kind", ["obj", "ply"])
@pytest.mark.parametrize("turned", range(8))
def test_hollow_polygons_keep_their_area(kind: str, turned: int) -> None:
    """A U in a slanted plane, whichever corner it begins with, and a hollow quad beside it."""
    ring = U_SHAPE[turned:] + U_SHAPE[:turned]
    arrow = [(10, 0), (12, 3), (14, 0), (12, 1)]
    arrow = arrow[turned % 4 :] + arrow[: turned % 4]
    points = [(x, 0.6 * y, 0.8 * y) for x, y in ring + arrow]
    faces = [list(range(8)), list(range(8, 12))]
    if kind == "obj":
        lines = [f"v {x} {y} {z}" for x, y, z in points] + ["f " + " ".join(str(i + 1) for i in f) for f in faces]
    else:
        lines = [
            "ply",
            "format ascii 1.0",
            "element vertex 12",
            *(f"property double {c}" for c in "xyz"),
            "element face 2",
            "property list uchar int vertex_indices",
            "end_header",
        ]
        lines += [f"{x} {y} {z}" for x, y, z in points] + [" ".join(map(str, (len(f), *f))) for f in faces]
    _, model = read_model({f"plate.{kind}": "\n".join([*lines, ""]).encode()})
    (part,) = model.parts
    assert area_of(part.vertices, part.triangles) == pytest.approx(7 + 4, abs=1e-9)
    normals = face_normals(part.vertices, part.triangles)
    assert (normals[:6] @ [0, -0.8, 0.6] > 0).all()  # all look to the side that the polygon does
    assert (normals[6:] @ [0, -0.8, 0.6] < 0).all()


def test_a_polygon_of_many_corners() -> None:
    """A star of 100 000 corners: its area is that of its triangles from the middle."""
    a = np.linspace(0, 2 * np.pi, 100_001)[:-1]
    r = np.where(np.arange(100_000) % 2, 1.0, 0.5)
    star = np.column_stack([r * np.cos(a), r * np.sin(a), np.zeros(len(a))])
    triangles, polygon, inner = triangulate(star, np.array([len(star)]))
    assert area_of(star, triangles) == pytest.approx(100_000 / 2 * 0.5 * np.sin(2 * np.pi / 100_000), rel=1e-9)
    assert (len(triangles), int(polygon.max())) == (99_998, 0)
    drawn = 3 * len(inner) - sum(int((inner >> e & 1).sum()) for e in range(3))
    assert drawn == 100_000


def test_a_smooth_outline_of_many_corners_is_filled_without_folds() -> None:
    """Every corner of a wavy outline turns by a hair only; its hollow stretches are hollow all the same. One vertex may
    end up with thousands of triangles: their normals agree."""
    a = np.linspace(0, 2 * np.pi, 50_001)[:-1]
    r = 1 + 0.3 * np.sin(37 * a)
    outline = np.column_stack([r * np.cos(a), r * np.sin(a), np.zeros(len(a))])
    triangles, _, _ = triangulate(outline, np.array([len(outline)]))
    assert (face_normals(outline, triangles)[:, 2] > 0).all()
    assert area_of(outline, triangles) == pytest.approx(np.pi * (1 + 0.3**2 / 2), rel=1e-5)  # ∫ r²/2
    assert smooth_normals(outline, triangles) == pytest.approx(
        np.broadcast_to([0, 0, 1], (len(triangles), 3, 3)), abs=1e-6
    )


def random_scene(rng: np.random.Generator) -> tuple[str, np.ndarray, list[list[int]], np.ndarray]:
    """An OBJ text in random dress, its vertices, polygons and the colours of the vertices."""
    points = rng.normal(size=(12, 3)) * 10.0 ** rng.integers(-3, 4)
    colours = rng.random((12, 3))
    faces = [rng.choice(12, 3, replace=False).tolist() for _ in range(9)]
    end, gap = rng.choice(["\n", "\r\n", "\r"]), rng.choice([" ", "\t", "  "])
    lines = ["# by chance", "o thing"]
    lines += [gap.join(["v", *map(repr, map(float, (*p, *c)))]) for p, c in zip(points, colours, strict=True)]
    for i, face in enumerate(faces):
        words = [str(v - 12) if rng.random() < 0.5 else str(v + 1) for v in face]
        if rng.random() < 0.3:
            words.insert(1, "\\" + end)
        lines.append(gap.join(["f", *words]))
        if i == 4:
            lines.append("o other")
    return end.join([*lines, ""]), points, faces, colours


@pytest.mark.parametrize("seed", range(6))
def test_random_objs_come_back(seed: int) -> None:
    text, points, faces, colours = random_scene(np.random.default_rng(seed))
    _, model = read_model({"chance.obj": text.encode()})
    assert [p.name for p in model.parts] == ["thing", "other"]
    corners = np.concatenate([p.vertices[p.triangles].reshape(-1, 3) for p in model.parts])
    assert corners == pytest.approx(points[np.array(faces).ravel()], rel=1e-15)
    painted = np.concatenate([p.colours[p.triangles].reshape(-1, 4) for p in model.parts])  # type: ignore[index]
    assert painted[:, :3] == pytest.approx(srgb_to_linear(colours[np.array(faces).ravel()]), abs=1e-6)


@pytest.mark.parametrize("kind", ["obj", "ply", "stl", "stl_ascii"])
def test_readers_agree_with_an_independent_one(kind: str) -> None:
    ball = trimesh.creation.icosphere(3, radius=2.5).apply_translation([1, 2, 3])
    data = ball.export(file_type=kind)
    data = data.encode() if isinstance(data, str) else data
    ending = kind.split("_")[0]
    _, model = read_model({f"ball.{ending}": data})
    (part,) = model.parts
    theirs = trimesh.load(io.BytesIO(data), file_type=kind, process=False, force="mesh")
    ours = part.vertices[part.triangles]
    assert ours == pytest.approx(theirs.vertices[theirs.faces], abs=1e-6)
    assert len(part.vertices) == len(ball.vertices)  # STL is welded


def coloured_ply(order: str) -> bytes:
    kind = {"": "ascii", "<": "binary_little_endian", ">": "binary_big_endian"}[order]
    head = [
        "ply",
        f"format {kind} 1.0",
        "comment TextureFile paint.png",
        "element vertex 4",
        *(f"property float {c}" for c in "xyz"),
        *(f"property uchar {c}" for c in ("red", "green", "blue", "alpha")),
        "element face 2",
        "property uchar flags",
        "property list uchar int vertex_indices",
        "property list uchar float texcoord",
        "end_header",
    ]
    rows = [
        (0, 0, 0, 255, 0, 0, 255),
        (1, 0, 0, 0, 255, 0, 255),
        (1, 1, 0, 0, 0, 255, 255),
        (0, 1, 0, 188, 188, 188, 51),
    ]
    faces = [(7, 3, 0, 1, 2, 6, 0, 0, 1, 0, 1, 1), (7, 3, 0, 2, 3, 6, 0, 0, 1, 1, 0, 1)]
    data = ("\n".join(head) + "\n").encode()
    if not order:
        return data + "".join(" ".join(map(str, row)) + "\n" for row in rows + faces).encode()
    return (
        data
        + b"".join(struct.pack(f"{order}fff4B", *r) for r in rows)
        + b"".join(struct.pack(f"{order}BB3iB6f", *f) for f in faces)
    )


@pytest.mark.parametrize("order", ["", "\r", "<", ">"])
def test_ply_brings_colours_and_places_of_its_picture(order: str) -> None:
    paint = png_of(np.full((2, 2, 3), 128))
    data = coloured_ply("").replace(b"\n", b"\r") if order == "\r" else coloured_ply(order)
    intake = take_in({"scan.ply": data, "paint.png": paint})
    mesh, (material,) = mesh_of(intake), intake.materials
    assert material.vertex_colours
    assert (material.base_color, material.maps.base_color.name) == ((1, 1, 1), "paint.png")  # type: ignore[union-attr]
    grey = mesh.colours[np.flatnonzero((mesh.vertices == [0, 1, 0]).all(axis=1))[0]]
    assert grey == pytest.approx([0.5029, 0.5029, 0.5029, 0.2], abs=1e-3)  # sRGB 188
    assert mesh.uvs[np.flatnonzero((mesh.vertices == [0, 1, 0]).all(axis=1))[0]].tolist() == [0, 0]
    _, colours, _, _ = unpack(intake.assets[standin_key(intake.item.asset)])
    assert colours[:, 0].max() == 128  # red through a picture of half grey


def test_text_files_that_end_in_the_middle_do_not_come_in() -> None:
    """Wherever a PLY is cut it lacks something; an OBJ is told by its last line, or by vertices that nothing uses."""
    ball = trimesh.creation.icosphere(2)
    ply, obj = ball.export(file_type="ply", encoding="ascii"), ball.export(file_type="obj").encode()
    rng = np.random.default_rng(4)
    for end in rng.integers(200, len(ply) - 2, 12):
        with pytest.raises(IntakeError, match=r"ends in the middle|no end of its header"):
            take_in({"cut.ply": ply[:end]})
    for end in rng.integers(obj.index(b"\nf ") + 40, (obj.index(b"\nf ") + len(obj)) // 2, 12):
        try:
            said = findings(take_in({"cut.obj": obj[:end].rstrip()}))
        except IntakeError as error:
            said = error.sentence
        assert re.search("may have been cut off|ends in the middle", said)


@pytest.mark.parametrize(
    ("name", "data", "sentence"),
    [
        (
            "a.ply",
            b"ply\nformat ascii 1.0\nelement vertex 60000000\nproperty float x\nproperty float y\n"
            b"property float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n",
            "ends in the middle",
        ),
        ("a.ply", b"ply\nformat ascii 1.0\nelement vertex many\nend_header\n", "its header says ‘element vertex many’"),
        ("a.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 -4\n", "line 4 has a face with a vertex that is not there"),
        ("a.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2\nf 1 2 3\n", "line 4 has a face without three sound corners"),
        ("a.obj", b"v 0 0 0\nv 1 zero 0\n", "line 2 has numbers that cannot be read"),
        ("a.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "refers to vertices that are not there"),
        (
            "a.stl",
            b"solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\n",
            "ends in the middle or is damaged",
        ),
    ],
)
def test_faults_are_said_where_they_are(name: str, data: bytes, sentence: str) -> None:
    with pytest.raises(IntakeError, match=sentence):
        take_in({name: data})


TRIANGLE = "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\n"


def test_mtl_in_all_its_dresses() -> None:
    """Latin-1, a mark at the beginning, two libraries, names with spaces, quotes, options and maps of every kind."""
    obj = "mtllib one.mtl two.mtl\n" + TRIANGLE + "usemtl lacquer  rouge\nf 1/1 2/2 3/3\nusemtl plate\nf 1/1 3/3 2/2\n"
    one = (
        '\ufeffnewmtl lacquer  rouge\nKd 0.5 0.5 0.5\nmap_Kd -s 2 3 1 -o 0.25 0.5 -clamp on "my paint.png"\n'
        "bump -bm 0.3 relief.png\nmap_Ke glow.png\nPc 0.5\n"
    )
    two = (
        "# caf\u00e9\nnewmtl plate\nKd 1 0 0\nmap_Pr rough.png\nmap_Pm metal.png\nnorm bent.png\n"
        "map_d cut.png\nmap_Ns s.png\n"
    )
    pictures = {
        n: png_of(np.full((2, 2, 3), 90))
        for n in ("my paint.png", "relief.png", "glow.png", "rough.png", "metal.png", "bent.png", "cut.png", "s.png")
    }
    files = {"a.obj": obj.encode(), "one.mtl": one.encode(), "two.mtl": two.encode("latin-1"), **pictures}
    intake = take_in(files)
    lacquer, plate = intake.materials
    assert lacquer.name == "lacquer  rouge"
    ref = lacquer.maps.base_color
    assert ref is not None
    # OBJ counts v from below: v' = 3·v + 0.5, 1 − v' = 3·(1 − v) − 2.5
    assert (ref.scale_u, ref.scale_v, ref.offset_u, ref.offset_v, ref.wrap) == (2, 3, 0.25, -2.5, "clamp")
    assert lacquer.maps.height is not None
    assert (lacquer.emission_luminance, lacquer.coat_weight) == (1000, 0.5)
    mapped = {name for name, ref in plate.maps if ref is not None}
    assert mapped == {"specular_roughness", "base_metalness", "normal", "opacity"}
    assert (plate.specular_roughness, plate.base_metalness, plate.base_color) == (1, 1, (1, 0, 0))
    assert "its shininess map is left out" in findings(intake)
    assert "Material file ‘two.mtl’ is missing" in findings(take_in({k: v for k, v in files.items() if k != "two.mtl"}))


def test_coordinates_without_a_material_bring_no_map() -> None:
    intake = take_in({"a.obj": (TRIANGLE + "f 1/1 2/2 3/3\n").encode()})
    (plain,) = intake.materials
    assert all(ref is None for _, ref in plain.maps)
    assert plain.base_color == (0.6, 0.6, 0.6)


@pytest.mark.parametrize("kind", ["PNG", "TIFF"])
def test_grey_pictures_of_sixteen_bits_keep_their_greys(kind: str) -> None:
    ramp = np.linspace(0, 65535, 256).round().astype(np.uint16)[None]
    buffer = io.BytesIO()
    Image.fromarray(ramp).save(buffer, kind)
    assert decode_picture(buffer.getvalue(), "ramp")[0, :, 0].tolist() == list(range(256))


def test_report_and_stand_in_belong_to_the_whole_model() -> None:
    """Two models of one shape, one painted red, one blue and without its picture."""
    obj = ("mtllib a.mtl\n" + TRIANGLE + "usemtl m\nf 1/1 2/2 3/3\n").encode()
    mtl = b"newmtl m\nmap_Kd paint.png\n"
    red = take_in({"a.obj": obj, "a.mtl": mtl, "paint.png": png_of(np.tile([255, 0, 0], (2, 2, 1)))})
    blue = take_in({"a.obj": obj, "a.mtl": mtl, "paint.png": png_of(np.tile([0, 0, 255], (2, 2, 1)))})
    bare = take_in({"a.obj": obj, "a.mtl": mtl})
    assert len({x.item.asset for x in (red, blue, bare)}) == 3
    shown = [unpack(x.assets[standin_key(x.item.asset)])[1][0, :3].tolist() for x in (red, blue)]
    assert shown == [[255, 0, 0], [0, 0, 255]]
    assert "missing" in findings(bare)
    assert "missing" not in findings(red)


def test_map_coordinates_lose_nothing() -> None:
    """A grid of 0.25 m where a country's survey counts from: no face is lost, and every place is right to 0.01 mm."""
    x, y = np.meshgrid(np.arange(30) * 0.25, np.arange(30) * 0.25)
    points = np.column_stack([500_000 + x.ravel(), 4_500_000 + y.ravel(), 100 + 0.1 * np.sin(x.ravel())])
    lines = [f"v {a!r} {b!r} {c!r}" for a, b, c in points.tolist()]
    lines += [f"f {i} {i + 1} {i + 31} {i + 30}" for r in range(29) for i in range(r * 30 + 1, r * 30 + 30)]
    intake = take_in({"plot.obj": "\n".join([*lines, ""]).encode()})
    mesh = mesh_of(intake)
    assert intake.report.triangles == 2 * 29 * 29
    corners = mesh.vertices[mesh.triangles]
    sides = np.abs(np.roll(corners, -1, axis=1) - corners)[..., :2].ravel()
    assert np.minimum(sides, np.abs(sides - 0.25)).max() < 1e-5
    assert "It stood far from its origin, at 500004, 4.5e+06, 99.9999" in findings(intake)


def test_pictures_beside_the_model_are_laid_on_by_their_names() -> None:
    """Where the file has no map of that kind, on the material whose name is in theirs, and it is said."""
    obj = (
        "mtllib a.mtl\n"
        + TRIANGLE
        + "usemtl Old Wood\nf 1/1 2/2 3/3\nusemtl brass\nf 1/1 3/3 2/2\nusemtl bare\nf 1 2 3\n"
    )
    mtl = b"newmtl Old Wood\nmap_Kd planks.png\nnewmtl brass\nnewmtl bare\n"
    names = (
        "planks.png",
        "old_wood_basecolor.png",
        "old-wood_Normal.png",
        "brass_base_color.jpg",
        "brass_rough.png",
        "brass_metal.png",
        "brass_AO.png",
        "bare_emissive.png",
        "notes_about_it.png",
    )
    intake = take_in({"a.obj": obj.encode(), "a.mtl": mtl, **{n: png_of(np.full((2, 2, 3), 9)) for n in names}})
    wood, brass, bare = intake.materials
    assert wood.maps.base_color.name == "planks.png"  # type: ignore[union-attr]
    assert wood.maps.normal.name == "old-wood_Normal.png"  # type: ignore[union-attr]
    assert {n for n, ref in brass.maps if ref} == {"base_color", "specular_roughness", "base_metalness"}
    assert (brass.base_color, brass.specular_roughness, brass.base_metalness) == ((1, 1, 1), 1, 1)
    assert not any(ref for _, ref in bare.maps)  # it has no coordinates
    text = findings(intake)
    assert "‘brass_rough.png’ is laid on ‘brass’ as roughness, by its name" in text
    assert "‘brass_AO.png’ is painted occlusion and left out" in text
    assert "notes_about_it" not in text


def test_nameless_pictures_go_to_what_has_no_map() -> None:
    files = {"a.obj": (TRIANGLE + "f 1/1 2/2 3/3\n").encode()}
    files |= {n: png_of(np.full((2, 2, 3), 9)) for n in ("rock_albedo.png", "rock_height.png")}
    (material,) = take_in(files).materials
    assert {n for n, ref in material.maps if ref} == {"base_color", "height"}


def test_long_names_are_cut_not_refused() -> None:
    """The document has room for 80 characters: a longer name, or one that grows by its material's, loses its end."""
    long = "x" * 90
    obj = TRIANGLE + f"o {long}\nusemtl one\nf 1 2 3\nusemtl two\nf 1 3 2\n"
    assert [p.name for p in take_in({"a.obj": obj.encode()}).item.parts] == [long[:80]] * 2
