"""Shared: small studios made of arrays, so that physics is tested against closed forms."""

import asyncio
import dataclasses
import io
import math
import os
import shutil
import subprocess
from collections.abc import Callable, Coroutine, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import TypeVar

import anyio
import numpy as np
import pytest
from hypothesis import settings
from PIL import Image
from scipy.spatial.transform import Rotation

from cyclorama.core.commands.lists import with_lights_aimed
from cyclorama.core.geometry.build import arc, lathe
from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.light.environment import build_environment
from cyclorama.core.light.shapes import (
    AREA,
    CASTS,
    CENTRE,
    GOBO,
    HALF_U,
    HALF_V,
    LIGHT_COLUMNS,
    NORMAL,
    RADIANCE,
    REACH,
    REFLECTED,
)
from cyclorama.core.material.row import EVEN, OPACITY
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.tracer import Tracer, film_for
from cyclorama.core.render.trace.bodies import pose_keys
from cyclorama.core.render.trace.camera_rays import CameraRays, filter_table, pixel_projection
from cyclorama.core.render.trace.surface import MATERIAL_COLUMN
from cyclorama.core.render.trace.wavefront import FrameScene
from cyclorama.core.render.warm import warm_up
from cyclorama.core.scene import (
    Aim,
    Item,
    Material,
    Part,
    Project,
    Row,
    Segment,
    Variant,
    Worn,
    new_project,
    put,
    put_all,
)
from cyclorama.shoot.frames import pipeline as frame_pipeline

settings.register_profile("as here", deadline=None, derandomize=True)
settings.load_profile("as here")
"""No test fails because a machine is slow, and what fails here fails everywhere."""
for _name in dir(anyio):
    # Loaded now, by one thread: pytest parses these modules when they are first used, and Python 3.11 can fail to parse
    # in a thread while others, such as one that loads kernels, are deep in a recursion.
    getattr(anyio, _name)
T = TypeVar("T")
NO_RECTS = np.zeros((0, LIGHT_COLUMNS), np.float32)


LONG = {
    "browser",
    "demo",
    "gallery",
    "shoot",
    "web",
    "test_bench",
    "test_bsdf",
    "test_chance",
    "test_contract",
    "test_passes",
    "test_patches",
    "test_progressive",
    "test_quality",
    "test_reference",
    "test_start",
    "test_warm",
}
"""Folders and files of tests that take long."""


def _takes_long(item: pytest.Item) -> bool:
    return bool(LONG & {item.path.stem, item.path.parent.name})


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--quick", action="store_true", help="leave out what takes long")
    parser.addoption("--slow-network", action="store_true", help="let pages be 120 ms away, at 12 Mbit/s")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Files that take long come first: at the end, two processes share out short ones more evenly."""
    items.sort(key=lambda item: not _takes_long(item))
    if config.getoption("--quick"):
        config.hook.pytest_deselected(items=[item for item in items if _takes_long(item)])
        items[:] = [item for item in items if not _takes_long(item)]


@pytest.fixture(scope="session")
def tracer() -> Iterator[Tracer]:
    with Tracer(2) as shared:
        warm_up(shared)
        yield shared


def awaited(coroutine: Coroutine[object, object, T]) -> T:
    """Result of a coroutine, in a thread of its own: the browser's loop may run in this one."""
    with ThreadPoolExecutor(1) as thread:
        return thread.submit(asyncio.run, coroutine).result()


def png_of(pixels: np.ndarray, kind: str = "PNG") -> bytes:
    """A PNG (or other) file of bytes (h, w, 3 or 4)."""
    buffer = io.BytesIO()
    Image.fromarray(np.asarray(pixels, np.uint8)).save(buffer, kind)
    return buffer.getvalue()


def pixels_of(picture: bytes) -> np.ndarray:
    """Any picture file as (h, w, 3), 0…255."""
    return np.asarray(Image.open(io.BytesIO(picture)).convert("RGB"), np.float64)


def sphere(radius: float = 0.5, segments: int = 256) -> Mesh:
    """A finely faceted ball around the origin."""
    profile = arc(0, 0, radius, 90, -90, segments // 2)
    profile[[0, -1], 0] = 0.0
    return lathe(profile, segments, 60)


def plane(size: float = 40.0, y: float = 0.0) -> Mesh:
    """A horizontal square that looks up."""
    h = size / 2
    v = np.array([[-h, y, -h], [-h, y, h], [h, y, h], [h, y, -h]], np.float32)
    n = np.tile(np.float32([0, 1, 0]), (4, 1))
    t = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    return Mesh(v, n, np.zeros((4, 2), np.float32), t, np.zeros(2, np.int32))


def always(value: T) -> Callable[[object], T]:
    """Whatever is asked for, this is the answer."""
    return lambda _: value


def item_of(asset: str, *parts: tuple[str, str], **more: object) -> Item:
    """An item of parts with these names that wear these materials; the id of a part is its name in small letters."""
    ids = [name.lower() for name, _ in parts]
    worn = tuple(Worn(id=i, material=material) for i, (_, material) in zip(ids, parts, strict=True))
    named = tuple(Part(id=i, name=name, triangles=12) for i, (name, _) in zip(ids, parts, strict=True))
    variant = Variant(id="colourway-1", name="As it came", parts=worn)
    values = {"id": "item-1", "name": "Pot", "source_name": "pot.glb"} | more
    return Item(asset=asset, parts=named, variants=(variant,), variant_id="colourway-1", **values)  # type: ignore[arg-type]


def edited(project: Project, values: dict[str, object] | None = None, **more: object) -> Project:
    """The project with values at places, by their paths or by names in which `__` stands for `/`; `move` is its move,
    `turns` how often it goes round, `aim` the height that camera and all lights aim at."""
    values = {path.replace("__", "/"): value for path, value in ((values or {}) | more).items()}
    if (kind := values.pop("move", None)) is not None:
        row = Row(id="disc" if kind == "spin" else "camera", segments=(Segment(id="segment-1", kind=kind),))  # type: ignore[arg-type]
        project = put(project, "shot/rows", (row,))
    if (turns := values.pop("turns", None)) is not None:
        project = put(project, "shot/move/turns", turns)
    project = put_all(project, {path: value for path, value in values.items() if path != "aim"})
    if "aim" in values:
        aim = Aim(y_m=values["aim"])  # type: ignore[arg-type]
        project = put_all(project, {"camera/aim": aim} | with_lights_aimed(project.look, aim))
    return project


def project_of(mesh: Mesh, *materials: Material) -> tuple[Project, dict[str, bytes]]:
    """A bare studio (no set, no light) with an item, whose parts wear one material each."""
    data = mesh.to_bytes()
    key = content_hash(data)
    named = (("Part" if k == 1 else f"Part-{k}", material.id) for k, material in enumerate(materials, 1))
    item = item_of(key, *named, source_name="test.glb")
    return edited(
        new_project("Test"),
        {
            "materials": tuple({m.id: m for m in materials}.values()),
            "items": (item,),
            "subject_id": item.id,
            "look/lights": (),
            "set/sweep/on": False,
            "set/disc/on": False,
            "shot/shoot/caustics": "full",
        },
    ), {key: data}


def look_at(eye: tuple[float, float, float], at: tuple[float, float, float], half: float, pixels: int) -> CameraRays:
    """A square pinhole camera; `half` is the tangent of half its field of view."""
    e, back = np.array(eye), np.array(eye, float) - np.array(at)
    back /= np.linalg.norm(back)
    right = np.cross([0, 1, 0] if abs(back[1]) < 0.99 else [0, 0, -1], back)
    right /= np.linalg.norm(right)
    matrix = np.eye(4)
    matrix[:3] = np.column_stack([right, np.cross(back, right), back, e])
    return CameraRays(pose_keys(matrix[None]), half, half, 0.0, 1.0, pixels, pixels, filter_table())


def scene_of(
    mesh: Mesh,
    material: Material | tuple[Material, ...],
    camera: CameraRays,
    rects: np.ndarray = NO_RECTS,
    environment: np.ndarray | float | None = None,
    max_bounces: int = 12,
) -> FrameScene:
    """A frame with given lights; environment is a picture in nit, or one value for all directions."""
    project, assets = project_of(mesh, *(material if isinstance(material, tuple) else (material,)))
    scene = SceneCompiler(assets.__getitem__).compile(moment(project, 1), camera.width, camera.height)
    env, scale, shares = scene.environment, 0.0, [1.0] * len(rects)
    if environment is not None:
        picture = np.full((64, 128, 3), environment, np.float32) if np.isscalar(environment) else environment
        env, scale = build_environment(np.asarray(picture, np.float32)), 1.0
    shares += [1.0 if scene.lights.mesh_total else 0.0, 1.0 if scale else 0.0]
    pick = np.concatenate([[0], np.cumsum(shares) / max(sum(shares), 1)]).astype(np.float32)
    rows = np.asarray(rects, np.float32).reshape(-1, LIGHT_COLUMNS)
    lights = scene.lights._replace(
        rows=rows, pick=pick, env_scale=scale, env_turn=np.eye(3, dtype=np.float32), env_seen=False
    )
    to_camera = np.eye(4)
    to_camera[:3, :3] = Rotation.from_quat(camera.keys[0, :4]).as_matrix().T
    to_camera[:3, 3] = -to_camera[:3, :3] @ camera.keys[0, 4:]
    recording = scene.recording._replace(
        cameras=np.tile(to_camera[:3].astype(np.float32), (3, 1, 1)),
        projection=np.stack([pixel_projection(camera)] * 3),
    )
    return dataclasses.replace(
        scene, lights=lights, environment=env, camera=camera, max_bounces=max_bounces, recording=recording
    )


def with_rows(scene: FrameScene, rows: np.ndarray, triangles: slice) -> FrameScene:
    """The scene with other material rows, the last of them on some triangles."""
    rows[-1, EVEN] = 0.0  # it is no longer what the compiler took it for
    corners, material = scene.geometry.corners.copy(), scene.geometry.material.copy()
    corners[triangles, MATERIAL_COLUMN] = material[triangles] = len(rows) - 1
    ranges = np.vstack([scene.materials.ranges, scene.materials.ranges[-1:]])
    return dataclasses.replace(
        scene,
        materials=scene.materials._replace(values=rows, ranges=ranges),
        geometry=scene.geometry._replace(corners=corners, material=material),
        has_holes=bool((rows[:, OPACITY] < 1).any()),
    )


def exposed(tracer: Tracer, scene: FrameScene, samples: int, seed: int = 0) -> Film:
    film = film_for(scene)
    tracer.expose(film, scene, samples, seed)
    return film


def diffuse(albedo: float = 0.5, **more: object) -> Material:
    """Pure Lambert: no specular reflection."""
    return Material(id="m", name="Diffuse", base_color=(albedo,) * 3, specular_ior=1.0, **more)  # type: ignore[arg-type]


def rect(centre: tuple[float, float, float], width: float, height: float, nit: float) -> np.ndarray:
    """A horizontal light panel that shines down."""
    row = np.zeros(LIGHT_COLUMNS)
    row[CENTRE : CENTRE + 3], row[HALF_U], row[HALF_V + 2], row[NORMAL + 1] = centre, width / 2, height / 2, -1
    row[RADIANCE : RADIANCE + 3], row[AREA], row[REACH] = nit, width * height, math.hypot(width, height)
    row[GOBO], row[CASTS], row[REFLECTED] = -1, 1, 1
    return row[None]


def rect_irradiance(width: float, height: float, above: float, nit: float) -> float:
    """Irradiance under the middle of a parallel rectangle: four corner configuration factors (Howell C-11)."""
    a, b = width / 2 / above, height / 2 / above
    ra, rb = math.hypot(1, a), math.hypot(1, b)
    corner = (a / ra * math.atan(b / ra) + b / rb * math.atan(a / rb)) / (2 * math.pi)
    return 4 * corner * math.pi * nit


@pytest.fixture
def data_folder(tmp_path: Path) -> Path:
    return tmp_path / "data"


@pytest.fixture
def small_disk(tmp_path: Path) -> Iterator[Path]:
    """A disk of 40 MB of its own."""
    place = tmp_path / "disk"
    place.mkdir()
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=40m", "tmpfs", str(place)], capture_output=True)
    if mounted.returncode:
        pytest.skip("needs the right to mount a small disk")
    yield place
    subprocess.run(["umount", "-l", str(place)], check=True)


def fill(disk: Path, leave_bytes: int) -> Path:
    """A file that leaves only so much room."""
    ballast = disk / "ballast"
    with ballast.open("wb") as file:
        os.posix_fallocate(file.fileno(), 0, shutil.disk_usage(disk).free - leave_bytes)
    return ballast


@pytest.fixture
def frames_exposed(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """Numbers of the frames that takes expose."""
    numbers: list[int] = []
    plain = frame_pipeline.expose_frame

    def counting(here, *more):  # type: ignore[no-untyped-def]
        numbers.append(here.frame)
        return plain(here, *more)

    monkeypatch.setattr(frame_pipeline, "expose_frame", counting)
    return numbers


def pytest_runtest_logreport(report: pytest.TestReport) -> None:
    """What fails is told at once, so that it is known even when the run is ended before its summary."""
    if report.failed and "PYTEST_XDIST_WORKER" not in os.environ:
        said = str(report.longrepr).strip().splitlines()[-1:]
        print(f"\nFailed in {report.when}: {report.nodeid}: {' '.join(said)}", flush=True)
