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
    """Mask in the beam: it throws a window, blinds or leaves."""
    pictures: Annotated[tuple[AssetRef, ...], Field(title="Pictures", max_length=500)] = ()
    """Content hashes; they take the pattern's place when there are any."""
    source_name: Annotated[str, affecting("nothing")] = ""
    pictures_per_frame: Annotated[float, quantity("Speed", "pictures per frame", ge=-100, le=100)] = 1.0
    """Speed of a moving mask or a sequence, in pictures a frame."""
    projection: Literal["perspective", "parallel"] = "perspective"
    """Perspective: the mask grows with the beam. Parallel: it keeps its size, as sunlight does."""
    scale: Annotated[float, quantity("Gobo scale", "", ge=0.01, le=100)] = 1.0
    """Size of the mask in the beam."""
    rotation_deg: Annotated[float, quantity("Gobo rotation", "°", ge=-3600, le=3600)] = 0.0
    """Turns the mask in the beam."""
    offset_u: Annotated[float, quantity("Gobo shift across", "", ge=-10, le=10)] = 0.0
    """Moves the mask across the beam."""
    offset_v: Annotated[float, quantity("Gobo shift down", "", ge=-10, le=10)] = 0.0
    """Moves the mask down the beam."""
    tiles: bool = False
    """Repeats the mask beyond its edge."""
    softness: Annotated[Unit01, Field(title="Gobo softness")] = 0.05
    """Focus of the mask: how far its edges smear."""


class Light(Doc):
    """A light that faces its aim from a direction and a distance."""

    AFFECTS = "light"

    id: Id
    name: Name
    shape: Annotated[Shape, Field(title="Shape")] = "rectangle"
    """Panels and discs are soft, spots and suns hard, rings draw themselves in what is polished, globes and tubes shine
    to all sides."""
    role: Annotated[Literal["key", "fill", "rim", "accent"], affecting("nothing")] = "accent"
    on: Annotated[bool, affecting("gain")] = True
    solo: Annotated[bool, affecting("gain")] = False
    azimuth_deg: Annotated[float, quantity("Azimuth", "°", ge=-3600, le=3600)] = 0.0
    """From which side the light comes: 0° is in front, 90° from the right."""
    elevation_deg: Annotated[float, quantity("Elevation", "°", ge=-89, le=89)] = 35.0
    """How high the light stands. Low lights graze, high ones shape."""
    distance_m: Annotated[float, quantity("Distance", "m", ge=1e-5, le=20_000)] = 2.0
    """How far the light stands from its aim. Nearer is softer and falls off faster."""
    roll_deg: Annotated[float, quantity("Roll", "°", ge=-3600, le=3600)] = 0.0
    """Turns the light about its own axis."""
    aim: Aim = Aim()
    """What it stands around and faces."""
    aim_above_m: Annotated[float, quantity("Aims above", "m", ge=-2000, le=5000)] = 0.0
    """Directs the light above its aim."""
    width_m: Annotated[float, quantity("Width", "m", ge=1e-6, le=5000)] = 0.8
    """Width, diameter or length of what shines. Larger lights give softer shadows."""
    height_m: Annotated[float, quantity("Height", "m", ge=1e-6, le=5000)] = 0.8
    """Height of a panel, thickness of a tube."""
    opening: Annotated[float, quantity("Opening", "", ge=0, le=0.98)] = 0.7
    """Diameter of the hole of a ring, as a share of its own."""
    power: Annotated[float, quantity("Power", "", ge=0, le=MOST_POWER, affects="gain")] = BASE_FLUX_LM
    """What the light gives at 0 stops, in its unit."""
    power_unit: Annotated[
        PowerUnit, affecting("gain", title="Unit"), Choices({"lm": "lm", "cd": "cd", "nit": "nit", "lx": "lx"})
    ] = "lm"
    """Flux (lm), intensity along the axis (cd), luminance of the face (nit), or illuminance at its aim (lx)."""
    strength_stops: Annotated[float, quantity("Strength", "stops", ge=-MOST_STOPS, le=MOST_STOPS, affects="gain")] = 0.0
    """One stop more is twice the light. Keyable."""
    temperature_k: Annotated[float, quantity("Colour temperature", "K", ge=1500, le=20000, affects="gain")] = 5600.0
    """2700 K is a warm bulb, 5600 K daylight, 10000 K a blue sky."""
    tint: Annotated[float, quantity("Tint", "", ge=-1, le=1, affects="gain")] = 0.0
    """Towards green (−1) or magenta (+1)."""
    colour: Annotated[Colour, affecting("gain", title="Filter")] = (1.0, 1.0, 1.0)
    """Colour filter (gel) in front of the light."""
    grid_deg: Annotated[float, quantity("Grid", "°", ge=0, le=85)] = 0.0
    """Honeycomb grid: nothing passes beyond this angle; 0 is none. Keeps light off the background."""
    cone_deg: Annotated[float, quantity("Cone", "°", ge=1, le=170)] = 40.0
    """Full angle of a spot's beam."""
    edge: Annotated[Unit01, Field(title="Soft edge")] = 0.2
    """Share of the cone over which a spot fades out."""
    sun_deg: Annotated[float, quantity("Size of the sun", "°", ge=0.05, le=30)] = 0.53
    """Angular size of the sun: larger gives softer shadows; the real one has 0.53°."""
    casts_shadows: bool = True
    """Off: the light passes through everything, as a fill without shadows of its own."""
    shadow_density: Annotated[Unit01, Field(title="Shadow density")] = 1.0
    """How much of the light its shadows hold back: 1 is true, less lifts them."""
    shadow_tint: Annotated[Colour, Field(title="Shadow tint")] = (1.0, 1.0, 1.0)
    """Colour of the light that comes into its shadows."""
    shadow_reach_m: Annotated[float | None, quantity("Shadows reach", "m", ge=1e-6, le=50_000)] = None
    """Only what is so near casts a shadow: contact without the long shadow. Empty: everything does."""
    seen_by_camera: bool = False
    """Shows the light itself in the picture."""
    seen_in_reflections: bool = True
    """Shows the light in what is polished. Off: it lights, but draws no highlight."""
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
    """From which side the sun shines: 0° is in front, 90° from the right."""
    sun_elevation_deg: Annotated[float, quantity("Sun elevation", "°", ge=0, le=90)] = 35.0
    """How high the sun stands: low is warm with long shadows."""
    turbidity: Annotated[float, quantity("Haze", "", ge=1.7, le=10)] = 3.0
    """Haze of the air: 2 is clear, 6 milky."""
    sun: bool = True
    """Off: only the sky shines, as in the shade."""
    clouds: Annotated[Unit01, Field(title="Clouds")] = 0.0
    """Share of the sky that clouds cover."""
    cloud_size_deg: Annotated[float, quantity("Size of clouds", "°", ge=2, le=80)] = 25.0
    """Size of a cloud straight above."""
    cloud_drift_deg: Annotated[float, quantity("Drift", "°", ge=-1e6, le=1e6)] = 0.0
    """How far the clouds have gone; keyed, they go."""
    cloud_heading_deg: Annotated[float, quantity("Drift heading", "°", ge=-3600, le=3600)] = 70.0
    """Direction in which the clouds go."""
    cloud_shape: Annotated[float, quantity("Change of shape", "", ge=-1e6, le=1e6)] = 0.0
    """Keyed, clouds grow and dissolve; shapes are others after about one."""
    ground: Annotated[Colour, Field(title="Ground")] = (0.25, 0.24, 0.22)


class Background(Doc):
    """Background behind subject and set."""

    AFFECTS = "backdrop"

    kind: Annotated[
        Literal["colour", "vertical", "radial", "picture", "environment"],
        affecting(title="Background", then="uncover"),
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
    """What is seen behind the set: a colour, a gradient, a picture, or the environment."""
    colour: Colour = (0.42, 0.42, 0.42)
    """Colour of the whole background, of its bottom, or of its rim."""
    second: Annotated[Colour, Field(title="Second colour")] = (0.75, 0.75, 0.75)
    """Colour of the top of a vertical gradient, or of the middle of a radial one."""
    picture: AssetRef | None = None
    source_name: Annotated[str, affecting("nothing")] = ""
    blur: Annotated[Unit01, Field(title="Blur")] = 0.0
    """Blurs the background, as if it were far out of focus."""
    fit: Annotated[
        Literal["fill", "whole"], Field(title="Fit"), Choices({"fill": "fills the frame", "whole": "whole picture"})
    ] = "fill"
    """A picture either fills the frame and is cut, or is seen whole, with the colour around it."""
    size: Annotated[float, quantity("Size", "", ge=0.05, le=20)] = 1.0
    """Makes a picture or gradient larger or smaller, about its middle."""
    shift_right: Annotated[float, quantity("Shift right", "", ge=-2, le=2)] = 0.0
    """Moves the middle of a picture or gradient, in widths of the frame."""
    shift_up: Annotated[float, quantity("Shift up", "", ge=-2, le=2)] = 0.0
    """Moves the middle of a picture or gradient, in heights of the frame."""
    turn_deg: Annotated[float, quantity("Turn", "°", ge=-360, le=360)] = 0.0
    """Turns a picture or a vertical gradient clockwise, about its middle."""


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
    """Light from all around: a picture (HDRI), or a sky with its sun."""
    asset: Annotated[AssetRef | None, Field(title="Environment picture")] = None
    source_name: Annotated[str, affecting("nothing")] = ""
    broken_pixels: Annotated[int, affecting("nothing", ge=0)] = 0
    """Pixels of the picture that are infinite (held at the brightest half float), no number or negative (black)."""
    on: Annotated[bool, affecting("gain")] = True
    """Off: nothing shines from around."""
    strength_stops: Annotated[float, quantity("Strength", "stops", ge=-MOST_STOPS, le=MOST_STOPS, affects="gain")] = 0.0
    """One stop more is twice the light from around."""
    rotation_deg: Annotated[float, quantity("Rotation", "°", ge=-3600, le=3600)] = 0.0
    """Turns the surroundings about the subject."""
    tilt_deg: Annotated[float, quantity("Tilt", "°", ge=-180, le=180)] = 0.0
    """Leans the surroundings over towards the front."""
    seen_by_camera: bool = False
    """Shows the environment behind the set, instead of the background."""
    seen_in_reflections: bool = True
    """Shows the environment in what is polished."""
    sky: Sky = Sky()
    travels_with: Annotated[Travel, Choices({"set": "set", "camera": "camera", "subject": "disc"})] = "set"
    """On the set it stays, on the camera it keeps its place in the picture, on the disc it turns with the subject."""
