"""Swatches: a material on a body of its own design, in the neutral light of a small studio."""

import hashlib
import io
from collections.abc import Callable
from functools import cache

from PIL import Image

from ...geometry.mesh import Mesh
from ...geometry.swatch_body import build_swatch_body, build_tumbler
from ...motion import Moment, moment_of_first
from ...picture.exposure import expose
from ...picture.view_transform import to_bytes, to_display
from ...scene import (
    Aim,
    Disc,
    Item,
    Light,
    Look,
    Material,
    Part,
    Project,
    Sweep,
    Tone,
    Variant,
    Worn,
    new_project,
    put_all,
)
from ...scene.base import ReadAsset
from ...scene.writing import derive
from ..compile.background import with_background
from ..compile.compiler import SceneCompiler
from .denoise import denoise
from .film import Film
from .tracer import Cancel, Tracer

SIZE_PX, SAMPLES, QUALITY = 128, 7, 90
BODY, TUMBLER = "swatch-body", "swatch-tumbler"
BODY_M, MIDDLE_M = 0.1, 0.024
"""How large the body is, and how high its middle stands."""
MADE = 1
"""Counts with every change of body, light or camera: swatches of other counts are made anew."""


def swatch_key(material: Material, look: Look | None = None) -> str:
    """The name of what a swatch shows: whatever the material looks like, in neutral light or in a look's, wherever it
    is kept."""
    looks = material.model_dump_json(exclude={"id", "name"})
    light = "" if look is None else look.model_dump_json(exclude={"id": True, "name": True})
    return hashlib.sha256(f"{MADE} {SIZE_PX} {SAMPLES} {looks}{light}".encode()).hexdigest()[:32]


def swatch_compiler(read: ReadAsset) -> SceneCompiler:
    """A compiler that knows the body, and a glass for liquids; read: gives the pictures of maps."""
    made: dict[str, Callable[[], Mesh]] = {BODY: swatch_body, TUMBLER: build_tumbler}
    return SceneCompiler(lambda key: made[key]().to_bytes() if key in made else read(key))


def swatch_of(
    material: Material,
    compiler: SceneCompiler,
    tracer: Tracer,
    look: Look | None = None,
    cancelled: Cancel = lambda: False,
) -> bytes:
    """A swatch as JPEG, SIZE_PX wide and high; look: its light, made for what is BODY_M large. Raises Cancelled."""
    return still_of(_moment(material, look), compiler, tracer, (SIZE_PX, SIZE_PX), SAMPLES, cancelled)


def still_of(
    here: Moment,
    compiler: SceneCompiler,
    tracer: Tracer,
    size: tuple[int, int],
    samples: int,
    cancelled: Cancel = lambda: False,
) -> bytes:
    """A small picture of a moment as JPEG. Raises Cancelled."""
    film = Film(*size)
    tracer.expose(film, compiler.compile(here, *size), samples, cancelled=cancelled)
    behind = compiler.background(here, *size)
    clean = with_background(denoise(film, "fast", False), film.alpha, behind)
    buffer = io.BytesIO()
    shown = to_bytes(to_display(expose(clean, here.look.tone), "neutral"))
    Image.fromarray(shown).save(buffer, "JPEG", quality=QUALITY, subsampling=0)
    return buffer.getvalue()


@cache
def swatch_body() -> Mesh:
    """The body, standing on its base."""
    return build_swatch_body()


@cache
def swatch_studio() -> Project:
    """Everything but the material: a large soft light above, a strip at each side, a paper floor."""
    aim = Aim(x_m=0.0, y_m=MIDDLE_M, z_m=0.0)

    def panel(name: str, azimuth: float, elevation: float, wide: float, high: float, nit: float) -> Light:
        return Light(
            id=name,
            name=name,
            azimuth_deg=azimuth,
            elevation_deg=elevation,
            distance_m=0.5,
            aim=aim,
            width_m=wide,
            height_m=high,
            power=nit,
            power_unit="nit",
        )

    lights = (
        panel("above", -70, 62, 0.55, 0.55, 1500.0),
        panel("left", -75, 14, 0.12, 0.7, 1600.0),
        panel("right", 80, 18, 0.1, 0.7, 1200.0),
        panel("front", 25, 40, 0.5, 0.5, 260.0),
        panel("behind", 170, 35, 0.5, 0.2, 900.0),
    )
    material = Material(id="m", name="m")
    item = Item(
        id="body",
        name="Swatch",
        asset=BODY,
        parts=(Part(id="part", name="Body", triangles=0),),
        rides="set",
        variants=(Variant(id="v", name="v", parts=(Worn(id="part", material="m"),)),),
        variant_id="v",
    )
    return put_all(new_project("Swatch"), {
        "items": (item,), "materials": (material,), "subject_id": "body", "look/lights": lights,
        "look/tone": Tone(ev100=8.6), "set/disc": Disc(on=False),
        "set/sweep": Sweep(form="round", width_m=3.0, depth_m=3.0, height_m=1.2, fillet_m=0.6, color=(0.5, 0.5, 0.5)),
        "camera/aim": aim, "camera/distance_m": 0.36, "camera/azimuth_deg": 28.0, "camera/elevation_deg": 24.0,
        "camera/focal_mm": 95.0, "camera/f_number": None, "camera/shutter_deg": 0.0, "shot/rows": (),
        "shot/shoot/width": SIZE_PX, "shot/shoot/height": SIZE_PX,
    })  # fmt: skip


def _moment(material: Material, look: Look | None) -> Moment:
    shown = derive(material, id="m")
    studio = put_all(swatch_studio(), {"materials": (shown,)})
    if look is None:
        return moment_of_first(studio)
    aim = Aim(x_m=0.0, y_m=MIDDLE_M, z_m=0.0)
    lights = tuple(derive(light, aim=aim) for light in look.lights)
    lit = derive(look, id=studio.look.id, lights=lights)
    return moment_of_first(put_all(studio, {"looks": (lit,)}))
