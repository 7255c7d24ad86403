"""Lights around the subject and the environment they stand in."""

from typing import Annotated, Literal

from pydantic import Field

from .aim import Aim
from .base import AssetRef, Choices, Colour, Doc, Id, Name, Unit01, affecting, quantity

Travel = Literal["set", "camera", "subject"]
Shape = Literal["rectangle", "disc", "ring", "sphere", "tube", "spot", "sun"]
"""What each of them is: `light/kinds.py`."""
PowerUnit = Literal["lm", "cd", "nit", "lx"]
MaskKind = Literal["window", "blinds", "leaves", "breakup"]
BASE_FLUX_LM = 4000.0
"""What a light gives at 0 stops: about a 400 W continuous studio head."""
WITH_RIG = "rig"
MOST_POWER, MOST_STOPS = 1e12, 12.0
BASE_ENVIRONMENT_NIT = 1000.0
"""The luminance of a white pixel (1, 1, 1) of an environment at 0 stops."""


class Gobo(Doc):
    """A mask in front of a light: a picture, a looping sequence of pictures, or one made by the program."""

    AFFECTS = "light"

    pattern: Annotated[
        MaskKind | None,
        Field(title="Pattern"),
        Choices({"window": "Window", "blinds": "Blinds", "leaves": "Leaves, moving", "breakup": "Foliage"}),
    ] = "window"
    pictures: Annotated[tuple[AssetRef, ...], Field(title="Pictures", max_length=500)] = ()
    """Content hashes; they take the pattern's place when there are any."""
    source_name: Annotated[str, affecting("nothing")] = ""
    pictures_per_frame: Annotated[float, quantity("Speed", "pictures per frame", ge=-100, le=100)] = 1.0
    projection: Literal["perspective", "parallel"] = "perspective"
    scale: Annotated[float, quantity("Gobo scale", "", ge=0.01, le=100)] = 1.0
    rotation_deg: Annotated[float, quantity("Gobo rotation", "°", ge=-3600, le=3600)] = 0.0
    offset_u: Annotated[float, quantity("Gobo shift across", "", ge=-10, le=10)] = 0.0
    offset_v: Annotated[float, quantity("Gobo shift down", "", ge=-10, le=10)] = 0.0
    tiles: bool = False
    softness: Annotated[Unit01, Field(title="Gobo softness")] = 0.05
    """How much of the mask the focus smears over."""


class Light(Doc):
    """A light that faces its aim from a direction and a distance."""

    AFFECTS = "light"

    id: Id
    name: Name
    shape: Annotated[Shape, Field(title="Shape")] = "rectangle"
    role: Annotated[Literal["key", "fill", "rim", "accent"], affecting("nothing")] = "accent"
    on: Annotated[bool, affecting("gain")] = True
    solo: Annotated[bool, affecting("gain")] = False
    azimuth_deg: Annotated[float, quantity("Azimuth", "°", ge=-3600, le=3600)] = 0.0
    elevation_deg: Annotated[float, quantity("Elevation", "°", ge=-89, le=89)] = 35.0
    distance_m: Annotated[float, quantity("Distance", "m", ge=1e-5, le=20_000)] = 2.0
    roll_deg: Annotated[float, quantity("Roll", "°", ge=-3600, le=3600)] = 0.0
    """Turn about its own axis."""
    aim: Aim = Aim()
    """What it stands around and faces."""
    aim_above_m: Annotated[float, quantity("Aims above", "m", ge=-2000, le=5000)] = 0.0
    """How far above its aim it is directed."""
    width_m: Annotated[float, quantity("Width", "m", ge=1e-6, le=5000)] = 0.8
    """Of a rectangle; diameter of disc, ring, sphere and spot; length of a tube."""
    height_m: Annotated[float, quantity("Height", "m", ge=1e-6, le=5000)] = 0.8
    """Of a rectangle; thickness of a tube."""
    opening: Annotated[float, quantity("Opening", "", ge=0, le=0.98)] = 0.7
    """Diameter of the hole of a ring, as a share of its own."""
    power: Annotated[float, quantity("Power", "", ge=0, le=MOST_POWER, affects="gain")] = BASE_FLUX_LM
    power_unit: Annotated[
        PowerUnit, affecting("gain", title="Unit"), Choices({"lm": "lm", "cd": "cd", "nit": "nit", "lx": "lx"})
    ] = "lm"
    """Flux, intensity along the axis, luminance of the face, or illuminance at what it is aimed at."""
    strength_stops: Annotated[float, quantity("Strength", "stops", ge=-MOST_STOPS, le=MOST_STOPS, affects="gain")] = 0.0
    temperature_k: Annotated[float, quantity("Colour temperature", "K", ge=1500, le=20000, affects="gain")] = 5600.0
    tint: Annotated[float, quantity("Tint", "", ge=-1, le=1, affects="gain")] = 0.0
    """−1 is green, +1 magenta."""
    colour: Annotated[Colour, affecting("gain", title="Filter")] = (1.0, 1.0, 1.0)
    grid_deg: Annotated[float, quantity("Grid", "°", ge=0, le=85)] = 0.0
    """Angle at which a honeycomb grid lets nothing more pass; 0 is no grid."""
    cone_deg: Annotated[float, quantity("Cone", "°", ge=1, le=170)] = 40.0
    """Full angle of a spot's beam."""
    edge: Annotated[Unit01, Field(title="Soft edge")] = 0.2
    """Share of the cone over which a spot fades."""
    sun_deg: Annotated[float, quantity("Size of the sun", "°", ge=0.05, le=30)] = 0.53
    casts_shadows: bool = True
    shadow_density: Annotated[Unit01, Field(title="Shadow density")] = 1.0
    """How much of its light its shadows hold back."""
    shadow_tint: Annotated[Colour, Field(title="Shadow tint")] = (1.0, 1.0, 1.0)
    """Colour of what of its light comes into its shadows."""
    shadow_reach_m: Annotated[float | None, quantity("Shadows reach", "m", ge=1e-6, le=50_000)] = None
    """Only what is so near to what is lit casts a shadow on it; None: all."""
    seen_by_camera: bool = False
    seen_in_reflections: bool = True
    excluded_parts: tuple[Id, ...] = ()
    """Parts of items, or `sweep` and `disc`, that it does not light."""
    gobo: Gobo | None = None
    rides: Annotated[Id, Field(title="Rides on")] = WITH_RIG
    """`rig`: it travels with the others of its look; `set`: it stays; `disc`, `camera`, or an item: it goes along with
    that, as if it were fixed to it where both are at rest"""


class Sky(Doc):
    """Daylight by a model instead of a picture."""

    AFFECTS = "light"

    sun_azimuth_deg: Annotated[float, quantity("Sun azimuth", "°", ge=-3600, le=3600)] = -50.0
    sun_elevation_deg: Annotated[float, quantity("Sun elevation", "°", ge=0, le=90)] = 35.0
    turbidity: Annotated[float, quantity("Haze", "", ge=1.7, le=10)] = 3.0
    sun: bool = True
    clouds: Annotated[Unit01, Field(title="Clouds")] = 0.0
    """How much of the sky they cover."""
    cloud_size_deg: Annotated[float, quantity("Size of clouds", "°", ge=2, le=80)] = 25.0
    """Straight above."""
    cloud_drift_deg: Annotated[float, quantity("Drift", "°", ge=-1e6, le=1e6)] = 0.0
    """How far they have gone, as seen straight above; keyed, they go."""
    cloud_heading_deg: Annotated[float, quantity("Drift heading", "°", ge=-3600, le=3600)] = 70.0
    cloud_shape: Annotated[float, quantity("Change of shape", "", ge=-1e6, le=1e6)] = 0.0
    """Shapes are others after about one."""
    ground: Annotated[Colour, Field(title="Ground")] = (0.25, 0.24, 0.22)


class Background(Doc):
    """Background behind subject and set."""

    AFFECTS = "backdrop"

    kind: Annotated[
        Literal["colour", "vertical", "radial", "picture", "environment"],
        Field(title="Background"),
        Choices(
            {
                "colour": "a colour",
                "vertical": "a vertical gradient",
                "radial": "a radial gradient",
                "picture": "a picture",
                "environment": "the environment",
            }
        ),
    ] = "colour"
    colour: Colour = (0.42, 0.42, 0.42)
    """Of the whole, the bottom, or the rim."""
    second: Annotated[Colour, Field(title="Second colour")] = (0.75, 0.75, 0.75)
    """Of the top or the middle."""
    picture: AssetRef | None = None
    source_name: Annotated[str, affecting("nothing")] = ""
    blur: Annotated[Unit01, Field(title="Blur")] = 0.0


class Behind(Background):
    """Backdrop behind frames that were shot transparent: also another take."""

    take: Annotated[str, Field(max_length=200)] = ""
    """its frames lie there, one for one and round again, instead of all else"""
    spread_deg: Annotated[float, quantity("Spread", "°", ge=0, le=360)] = 0.0
    """So much of what is around the camera a picture takes up, which passes as the camera turns; it goes on mirrored.
    0: it stays in the frame."""


class Environment(Doc):
    """Surroundings that light the set, and what is seen behind it."""

    AFFECTS = "light"

    kind: Annotated[
        Literal["picture", "sky"], Field(title="Environment"), Choices({"picture": "Picture", "sky": "Sun and sky"})
    ] = "picture"
    asset: Annotated[AssetRef | None, Field(title="Environment picture")] = None
    source_name: Annotated[str, affecting("nothing")] = ""
    broken_pixels: Annotated[int, affecting("nothing", ge=0)] = 0
    """Pixels of the picture that are infinite (held at the brightest half float), no number or negative (black)."""
    on: Annotated[bool, affecting("gain")] = True
    strength_stops: Annotated[float, quantity("Strength", "stops", ge=-MOST_STOPS, le=MOST_STOPS, affects="gain")] = 0.0
    rotation_deg: Annotated[float, quantity("Rotation", "°", ge=-3600, le=3600)] = 0.0
    tilt_deg: Annotated[float, quantity("Tilt", "°", ge=-180, le=180)] = 0.0
    """Leans the surroundings over towards +Z."""
    seen_by_camera: bool = False
    seen_in_reflections: bool = True
    sky: Sky = Sky()
    travels_with: Annotated[Travel, Choices({"set": "set", "camera": "camera", "subject": "subject"})] = "set"
