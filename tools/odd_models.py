"""Make docs/screenshots/odd-models.png: twelve models as artists have them, each written here and brought in as it is.

.venv/bin/python tools/odd_models.py    (about three minutes)
"""

import base64
import io
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

import DracoPy
import numpy as np
from PIL import Image
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, UsdUtils

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "tools")]

from sheets import SCREENSHOTS, sheet  # noqa: E402
from tests.glb_files import document_of, gltf  # noqa: E402
from tests.step_files import cylinder_step  # noqa: E402

from cyclorama.core.commands.place_model import put_on_set  # noqa: E402
from cyclorama.core.geometry.build import arc, lathe  # noqa: E402
from cyclorama.core.geometry.intake import take_in  # noqa: E402
from cyclorama.core.geometry.mesh import Mesh  # noqa: E402
from cyclorama.core.motion import moment  # noqa: E402
from cyclorama.core.picture.exposure import expose  # noqa: E402
from cyclorama.core.picture.view_transform import to_bytes, to_display  # noqa: E402
from cyclorama.core.render.compile.compiler import SceneCompiler  # noqa: E402
from cyclorama.core.render.film.denoise import denoise  # noqa: E402
from cyclorama.core.render.film.film import Film  # noqa: E402
from cyclorama.core.render.film.picking import PickProbe  # noqa: E402
from cyclorama.core.render.film.tracer import Tracer  # noqa: E402
from cyclorama.core.scene import new_project  # noqa: E402
from cyclorama.demo.glb import GlbWriter  # noqa: E402

WIDTH, HEIGHT, SAMPLES = 320, 200, 96
VASE = lathe(np.array([[0.0, 0.3], [0.035, 0.3], [0.032, 0.29], [0.025, 0.25], [0.07, 0.16], [0.08, 0.1], [0.04, 0.01],
                       [0.04, 0.0], [0.0, 0.0]]), 128)  # fmt: skip
Files = dict[str, bytes]


def checks(kind: str = "PNG") -> bytes:
    """A chequered picture in two warm colours."""
    board = np.indices((256, 256)).sum(axis=0) // 32 % 2
    pixels = np.where(board[..., None], [196, 92, 48], [238, 214, 170]).astype(np.uint8)
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, kind)
    return buffer.getvalue()


def vase(mesh: Mesh = VASE, colour: tuple[float, float, float] = (0.5, 0.12, 0.08)) -> bytes:
    writer = GlbWriter()
    writer.part("Vase", mesh, writer.material("Glaze", colour, rough=0.25))
    return writer.to_bytes()


def scanned() -> Files:
    ball = lathe(arc(0, 0, 0.6, 90, -90, 120)[1:-1], 240)
    v = ball.vertices * (1 + 0.14 * np.sin(7 * ball.vertices[:, :1]) * np.cos(6 * ball.vertices[:, 1:2]))
    colours = (127 + 100 * np.sin(v * [6, 7, 8] + [0, 1, 2])).astype(np.uint8)
    head = (
        f"ply\nformat binary_little_endian 1.0\nelement vertex {len(v)}\nproperty float x\nproperty float y\n"
        "property float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\n"
        f"element face {len(ball.triangles)}\nproperty list uchar int vertex_indices\nend_header\n"
    )
    rows = np.zeros(len(v), [("p", "<f4", 3), ("c", "u1", 3)])
    rows["p"], rows["c"] = v, colours
    faces = np.zeros(len(ball.triangles), [("n", "u1"), ("v", "<i4", 3)])
    faces["n"], faces["v"] = 3, ball.triangles
    return {"scan.ply": head.encode() + rows.tobytes() + faces.tobytes()}


def draco() -> Files:
    document, binary = document_of(vase(colour=(0.05, 0.25, 0.3)))
    packed = DracoPy.encode(VASE.vertices, VASE.triangles.astype(np.uint32), quantization_bits=14, preserve_order=True)
    (primitive,) = document["meshes"][0]["primitives"]
    primitive["attributes"] = {"POSITION": primitive["attributes"]["POSITION"]}
    primitive["extensions"] = {
        "KHR_draco_mesh_compression": {"bufferView": len(document["bufferViews"]), "attributes": {"POSITION": 0}}
    }
    document["bufferViews"].append({"buffer": 0, "byteOffset": len(binary), "byteLength": len(packed)})
    document["extensionsRequired"] = ["KHR_draco_mesh_compression"]
    return {"draco.glb": gltf(document, binary + packed)}


def pictured(extension: str, kind: str) -> Files:
    """A vase whose map is named by an extension, with a fallback where that cannot be read."""
    document, binary = document_of(vase(colour=(1, 1, 1)))
    uri = f"data:image/{kind.lower()};base64," + base64.b64encode(checks(kind)).decode()
    document["images"] = [{"uri": uri}, {"uri": "data:image/ktx2;base64,AAAA"}]
    texture = {"extensions": {extension: {"source": 0 if kind == "WEBP" else 1}}}
    document["textures"] = [texture if kind == "WEBP" else {**texture, "source": 0}]
    document["materials"][0]["pbrMetallicRoughness"]["baseColorTexture"] = {"index": 0}
    document["extensionsUsed"] = [extension]
    return {"pictured.glb": gltf(document, binary)}


def usdz() -> Files:
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        (folder / "checks.png").write_bytes(checks())
        stage = Usd.Stage.CreateNew(str(folder / "vase.usda"))
        UsdGeom.SetStageUpAxis(stage, "Y")
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        mesh = UsdGeom.Mesh.Define(stage, "/vase")
        mesh.CreatePointsAttr([Gf.Vec3f(*map(float, p)) for p in VASE.vertices])
        mesh.CreateFaceVertexCountsAttr([3] * len(VASE.triangles))
        mesh.CreateFaceVertexIndicesAttr(VASE.triangles.ravel().tolist())
        places = UsdGeom.PrimvarsAPI(mesh.GetPrim()).CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, "vertex")
        places.Set([Gf.Vec2f(float(u), 1 - float(v)) for u, v in VASE.uvs])
        material = UsdShade.Material.Define(stage, "/glaze")
        shader, image = (UsdShade.Shader.Define(stage, f"/glaze/{n}") for n in ("surface", "image"))
        shader.CreateIdAttr("UsdPreviewSurface")
        shader.CreateInput("clearcoat", Sdf.ValueTypeNames.Float).Set(1.0)
        image.CreateIdAttr("UsdUVTexture")
        image.CreateInput("file", Sdf.ValueTypeNames.Asset).Set(Sdf.AssetPath("./checks.png"))
        for key in ("wrapS", "wrapT"):
            image.CreateInput(key, Sdf.ValueTypeNames.Token).Set("repeat")
        shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).ConnectToSource(image.ConnectableAPI(), "rgb")
        material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
        UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(material)
        stage.GetRootLayer().Save()
        UsdUtils.CreateNewUsdzPackage(Sdf.AssetPath(str(folder / "vase.usda")), str(folder / "vase.usdz"))
        return {"vase.usdz": (folder / "vase.usdz").read_bytes()}


def hollow() -> Files:
    """A gear as two polygons of many corners and the quads between them."""
    a = np.linspace(0, 2 * np.pi, 97)[:-1]
    r = np.where(np.arange(96) // 4 % 2, 1.0, 0.78)
    ring = np.column_stack([r * np.cos(a), r * np.sin(a) + 1])
    lines = [f"v {x:.5f} {y:.5f} {z}" for z in (0.15, -0.15) for x, y in ring]
    lines.append("f " + " ".join(str(i + 1) for i in range(96)))
    lines.append("f " + " ".join(str(i + 97) for i in reversed(range(96))))
    lines += [f"f {i + 1} {i + 97} {(i + 1) % 96 + 97} {(i + 1) % 96 + 1}" for i in range(96)]
    return {"gear.obj": ("\n".join(lines) + "\n").encode()}


def surveyed() -> Files:
    """A hill in the coordinates of a country's survey."""
    x, z = np.meshgrid(np.arange(120) * 0.5, np.arange(120) * 0.5)
    y = 5 * np.sin(x / 9) * np.cos(z / 11) + 0.5 * np.sin(x * 1.7) * np.sin(z * 1.3) + 100
    lines = [
        f"v {500_000 + a:.3f} {h:.3f} {4_500_000 + b:.3f}"
        for a, h, b in zip(x.ravel(), y.ravel(), z.ravel(), strict=True)
    ]
    lines += [f"f {i} {i + 120} {i + 121} {i + 1}" for r in range(119) for i in range(r * 120 + 1, r * 120 + 120)]
    return {"survey.obj": ("\n".join(lines) + "\n").encode()}


def scaled(size: float) -> Files:
    moved = VASE.transformed(np.diag([size / 0.3, size / 0.3, size / 0.3, 1]))
    return {"vase.glb": vase(moved, (0.2, 0.25, 0.35))}


def instanced() -> Files:
    document, binary = document_of(vase(colour=(0.15, 0.3, 0.12)))
    places = np.float32([[x * 0.2, 0, z * 0.2] for x in range(-2, 3) for z in range(-2, 3)])
    sizes = np.float32([[s, s, s] for s in np.linspace(0.6, 1.1, 25)])
    for values in (places, sizes):
        document["bufferViews"].append({"buffer": 0, "byteOffset": len(binary), "byteLength": values.nbytes})
        document["accessors"].append(
            {"bufferView": len(document["bufferViews"]) - 1, "componentType": 5126, "count": 25, "type": "VEC3"}
        )
        binary += values.tobytes()
    n = len(document["accessors"])
    document["nodes"][0]["extensions"] = {
        "EXT_mesh_gpu_instancing": {"attributes": {"TRANSLATION": n - 2, "SCALE": n - 1}}
    }
    return {"many.glb": gltf(document, binary)}


def specular() -> Files:
    document, binary = document_of(vase())
    document["materials"][0] = {
        "extensions": {
            "KHR_materials_pbrSpecularGlossiness": {
                "diffuseFactor": [0, 0, 0, 1],
                "specularFactor": [1.0, 0.71, 0.29],
                "glossinessFactor": 0.75,
            }
        }
    }
    return {"gold.glb": gltf(document, binary)}


MODELS: dict[str, Callable[[], Files]] = {
    "Colours of vertices (PLY)": scanned,
    "Draco": draco,
    "WebP": lambda: pictured("EXT_texture_webp", "WEBP"),
    "KTX2 with a fallback": lambda: pictured("KHR_texture_basisu", "PNG"),
    "USDZ": usdz,
    "STEP": lambda: {"spindle.step": cylinder_step(20, 45)},
    "Hollow polygons (OBJ)": hollow,
    "Map coordinates": surveyed,
    "1 mm": lambda: scaled(0.001),
    "300 m": lambda: scaled(300.0),
    "Instances": instanced,
    "Specular and glossiness": specular,
}


def shown(files: Files, tracer: Tracer) -> Image.Image:
    """A model as it stands after its intake."""
    intake = take_in(files)
    compiler = SceneCompiler(intake.assets.__getitem__)
    project = put_on_set(new_project("Odd"), intake, PickProbe(compiler, tracer))
    film = Film(WIDTH, HEIGHT)
    tracer.expose(film, compiler.compile(moment(project, 1), WIDTH, HEIGHT), SAMPLES)
    return Image.fromarray(to_bytes(to_display(expose(denoise(film), project.look.tone), project.look.tone.view)))


def main() -> None:
    tiles = []
    with Tracer() as tracer:
        for title, make in MODELS.items():
            tiles.append((title, shown(make(), tracer)))
            print(title, flush=True)
    sheet(tiles, 4).save(SCREENSHOTS / "odd-models.png", optimize=True)


if __name__ == "__main__":
    main()
