"""`./cyc bench --growth`: how time grows with triangles, lights and resolution, each in one run."""

import gc
import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np
import psutil

from ..core.geometry.build import arc, lathe
from ..core.geometry.cache_keys import content_hash, rig_key
from ..core.geometry.mesh import Mesh
from ..core.geometry.rig import Rig
from ..core.geometry.skeleton import LINEAR, TURN, Skeleton, Track
from ..core.motion import moment
from ..core.render.compile.compiler import SceneCompiler
from ..core.render.film.film import Film
from ..core.render.film.tracer import Tracer
from ..core.scene import (
    Aim,
    Animation,
    Item,
    Light,
    Material,
    Part,
    Play,
    Project,
    Variant,
    Worn,
    new_project,
    put,
    put_all,
)

TRIANGLES = (10_000, 100_000, 1_000_000, 3_000_000)
LIGHTS = (1, 4, 16, 64)
SIZES = ((320, 180), (640, 360), (1280, 720), (1920, 1080))


def bumpy_ball(triangles: int) -> Mesh:
    """A ball with a fine relief, of about so many triangles."""
    around = max(16, round((triangles / 1.0) ** 0.5))
    profile = arc(0, 0.3, 0.25, 90, -90, around // 2)
    profile[[0, -1], 0] = 0
    ball = lathe(profile, around, 60)
    wave = 1 + 0.01 * np.sin(ball.vertices[:, :1] * 90) * np.sin(ball.vertices[:, 1:2] * 90)
    return replace(ball, vertices=(ball.vertices * wave).astype(np.float32))


def _project(mesh: Mesh, lights: int) -> tuple[Project, dict[str, bytes]]:
    data = mesh.to_bytes()
    project = new_project("Growth")
    part = Part(id="p", name="Ball", triangles=len(mesh.triangles))
    lamps = tuple(
        Light(
            id=f"l{i}",
            name=f"L{i}",
            azimuth_deg=360 * i / lights,
            elevation_deg=35,
            distance_m=1.5,
            width_m=0.3,
            height_m=0.3,
            aim=Aim(y_m=0.3),
            strength_stops=-float(np.log2(lights)),
        )
        for i in range(lights)
    )
    worn = Variant(id="v", name="As made", parts=(Worn(id="p", material="m"),))
    ball = Item(id="i", name="Ball", asset=content_hash(data), parts=(part,), variants=(worn,), variant_id="v")
    project = put_all(
        project,
        {
            "items": (ball,),
            "subject_id": "i",
            "look/lights": lamps,
            "camera/distance_m": 1.6,
            "camera/aim": Aim(y_m=0.3),
            "materials": (Material(id="m", name="M", specular_roughness=0.3),),
        },
    )
    return project, {content_hash(data): data}


def _swaying(project: Project, assets: dict[str, bytes], mesh: Mesh) -> tuple[Project, dict[str, bytes]]:
    """The project with a ball that leans over and back, the more the higher."""
    turn = np.array([[0, 0, 0, 1], [0, 0, 0.26, 0.97], [0, 0, 0, 1]])
    track = Track(TURN, 1, LINEAR, np.array([0.0, 0.5, 1.0]), turn)
    skeleton = Skeleton(
        parent=np.array([-1, 0], np.int32),
        base=np.tile(np.eye(4), (2, 1, 1)),
        move=np.zeros((2, 3)),
        turn=turn[[0, 0]],
        scale=np.ones((2, 3)),
        bone_node=np.array([0, 1], np.int32),
        bone_inverse=np.tile(np.eye(4), (2, 1, 1)),
        shapes=np.zeros(0),
        animations=((track,),),
    )
    high = np.clip(mesh.vertices[:, 1] / 0.6, 0, 1)
    bone = np.tile(np.array([0, 1], np.int32), (len(high), 1))
    rig = Rig(skeleton, mesh.vertices, mesh.normals, bone, np.stack([1 - high, high], axis=1))
    assert project.subject is not None
    sway = (Animation(id="a", name="Sway", seconds=1.0),)
    project = put_all(project, {"subject/animations": sway, "subject/play": Play(animation="a")})
    return project, assets | {rig_key(project.items[0].asset): rig.to_bytes()}


def _table_of_bending(tracer: Tracer, tell: Callable[[str], None]) -> None:
    tell("triangles      bends in    frame 640×360, 4 samples   standing   relative")
    for count in TRIANGLES[:3]:
        mesh = bumpy_ball(count)
        standing, assets = _project(mesh, 3)
        project, assets = _swaying(standing, assets, mesh)
        still = _seconds(tracer, standing, SceneCompiler(assets.__getitem__), 640, 360)
        project = put(project, "camera/shutter_deg", 180.0)
        compiler = SceneCompiler(assets.__getitem__)
        compiler.compile(moment(project, 5), 640, 360)
        start = time.perf_counter()
        compiler.compile(moment(project, 6), 640, 360)
        bent = time.perf_counter() - start
        seconds = _seconds(tracer, project, compiler, 640, 360)
        tell(
            f"{len(mesh.triangles):>9,}   {bent:7.2f} s   {seconds:16.2f} s   {still:16.2f} s   {seconds / still:7.2f}"
        )


def _seconds(tracer: Tracer, project: Project, compiler: SceneCompiler, width: int, height: int) -> float:
    scene = compiler.compile(moment(project, 1), width, height)
    best = np.inf
    for _ in range(2):
        start = time.perf_counter()
        tracer.expose(Film(width, height), scene, 4)
        best = min(best, time.perf_counter() - start)
    return float(best)


def run_growth(tell: Callable[[str], None]) -> None:
    """Measure and print four tables; each figure relative to the first of its table."""
    with Tracer() as tracer:
        warm, assets = _project(bumpy_ball(10_000), 1)
        _seconds(tracer, warm, SceneCompiler(assets.__getitem__), 64, 36)
        tell("triangles      compile     bytes/triangle   frame 640×360, 4 samples   relative")
        first = None
        for count in TRIANGLES:
            project, assets = _project(bumpy_ball(count), 3)
            compiler = SceneCompiler(assets.__getitem__)
            gc.collect()
            before, start = psutil.Process().memory_info().rss, time.perf_counter()
            compiler.compile(moment(project, 1), 640, 360)
            compiled = time.perf_counter() - start
            grown = psutil.Process().memory_info().rss - before
            real = project.subject.parts[0].triangles if project.subject else 0
            seconds = _seconds(tracer, project, compiler, 640, 360)
            first = first or seconds
            tell(f"{real:>9,}   {compiled:7.2f} s   {grown / real:12.0f}   {seconds:16.2f} s   {seconds / first:16.2f}")
        _table_of_bending(tracer, tell)
        tell("lights         frame 640×360, 4 samples   relative")
        mesh, first = bumpy_ball(100_000), None
        for count in LIGHTS:
            project, assets = _project(mesh, count)
            seconds = _seconds(tracer, project, SceneCompiler(assets.__getitem__), 640, 360)
            first = first or seconds
            tell(f"{count:>9}   {seconds:16.2f} s   {seconds / first:16.2f}")
        tell("pixels         frame, 4 samples   relative   pixels relative")
        project, assets = _project(mesh, 3)
        compiler, first = SceneCompiler(assets.__getitem__), None
        for width, height in SIZES:
            seconds = _seconds(tracer, project, compiler, width, height)
            first = first or seconds
            pixels = width * height / (SIZES[0][0] * SIZES[0][1])
            tell(f"{width:>5}×{height:<5}   {seconds:9.2f} s   {seconds / first:9.2f}   {pixels:9.2f}")
