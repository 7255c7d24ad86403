"""Shoot settings: size, range, samples, passes, files."""

from typing import Annotated, Literal, Self, get_args

from pydantic import Field, model_validator

from .base import Choices, Doc, Id, Unit01, affecting, quantity

LEAST_SIDE = 0.005
"""Of a part of the picture."""
Background = Literal["set", "transparent", "shadow"]
PICTURE_EXTENSIONS = {"png": "png", "jpeg": "jpg", "exr": "exr", "tiff": "tif"}
PassName = Literal[
    "lights",
    "components",
    "air",
    "albedo",
    "normal",
    "position",
    "depth",
    "motion",
    "objects",
    "materials",
    "catcher",
    "occlusion",
    "wireframe",
    "clay",
]


_SETTINGS: dict[PassName, str] = {"occlusion": "occlusion_", "wireframe": "wire_", "clay": "clay_"}
"""What the settings of a pass begin with."""


class Passes(Doc):
    """Render passes of a shot."""

    AFFECTS = "shoot"

    wanted: tuple[PassName, ...] = ()
    occlusion_reach_m: Annotated[float, quantity("Reach", "m", ge=1e-4, le=100)] = 0.1
    """What is farther away does not darken the occlusion pass."""
    occlusion_falloff: Annotated[float, quantity("Falloff", "", ge=0, le=8)] = 1.0
    """How much less counts what is farther away."""
    occlusion_set: bool = True
    """Lets sweep and disc darken the occlusion pass too."""
    wire_px: Annotated[float, quantity("Line width", "px", ge=0.2, le=20)] = 1.2
    """Width of a line of the wireframe, in pixels."""
    wire_level: Annotated[int, quantity("Divided", "times", ge=0, le=5)] = 0
    """How often each polygon is divided in four for the wireframe."""
    wire_set: bool = False
    """Draws sweep and disc in the wireframe too."""
    clay_color: Annotated[tuple[Unit01, Unit01, Unit01], Field(title="Clay")] = (0.5, 0.5, 0.5)
    """Colour of the clay."""
    clay_spares: tuple[Id, ...] = ()
    """Parts that keep their material in the clay pass."""

    def with_more(self, names: tuple[PassName, ...], settings: "Passes") -> "Passes":
        """These and more, each of those as `settings` says; all in the order in which they are always named."""
        told = [prefix for name, prefix in _SETTINGS.items() if name in names]
        values = {field: getattr(settings, field) for field in Passes.model_fields if field.startswith(tuple(told))}
        wanted = tuple(name for name in get_args(PassName) if name in (*self.wanted, *names))
        return Passes.model_validate({**self.model_dump(), **values, "wanted": wanted})


class Region(Doc):
    """A part of the picture, in shares of its width and height from the top left."""

    AFFECTS = "shoot"

    left: Unit01
    top: Unit01
    right: Unit01
    bottom: Unit01

    @model_validator(mode="after")
    def _has_an_inside(self) -> Self:
        if self.right - self.left < LEAST_SIDE or self.bottom - self.top < LEAST_SIDE:
            raise ValueError("The part of the picture is too small. Draw a larger one.")
        return self


class Again(Doc):
    """Settings of a reshoot."""

    AFFECTS = "shoot"

    finer: Annotated[int, quantity("Finer", "× the samples", ge=1, le=64)] = 1
    """Of a quality, the next better one where it is more than 1."""
    clamp: Annotated[bool, Field(title="Hold bright samples down")] = False
    region: Region | None = None
    """What is shot of them; None: all."""

    @property
    def in_words(self) -> str:
        how = [f"{self.finer}× the samples"] if self.finer > 1 else []
        said = " and ".join([*how, "bright samples held down"] if self.clamp else how)
        if self.region is not None:
            return f"{said} in a part of the picture" if said else "a part of the picture shot anew"
        return said or "as they were"


class ShootSettings(Doc):
    """Settings of a render, and of its files."""

    AFFECTS = "shoot"

    width: Annotated[int, quantity("Width", "px", ge=16, le=8192)] = 1280
    """Width of the picture, in pixels."""
    height: Annotated[int, quantity("Height", "px", ge=16, le=8192)] = 720
    """Height of the picture, in pixels."""
    from_frame: Annotated[int | None, Field(title="From frame", ge=0)] = None
    """First frame that is shot. Empty: that of the shot."""
    to_frame: Annotated[int | None, Field(title="To frame", ge=0)] = None
    """Last frame that is shot. Empty: that of the shot."""
    every: Annotated[int, quantity("Step", "frames", ge=1, le=100)] = 1
    """Only every so manieth frame is shot; it stands for those after it."""
    quality: Annotated[Literal["draft", "fine", "print", "own"], Field(title="Quality")] = "own"
    """What the denoised picture has to be as good as; own: samples and noise as told."""
    samples: Annotated[int, quantity("Samples", "per pixel", ge=1, le=16384)] = 128
    """At most this many where a noise threshold is set."""
    noise_threshold: Annotated[float | None, quantity("Noise", "%", ge=0.001, le=0.5)] = None
    """Pixels whose relative error is below this get no more samples; None samples all alike."""
    min_samples: Annotated[int, quantity("At least", "per pixel", ge=4, le=4096)] = 16
    """Every pixel gets at least so many samples."""
    clamp_indirect: Annotated[float | None, quantity("Clamp indirect", "× white", ge=1, le=10000, affects="film")] = (
        None
    )
    """Brightest value of a single sample's indirect light, as a multiple of white; None clamps nothing."""
    bounces: Annotated[int, quantity("Bounces", "", ge=0, le=64, affects="film")] = 12
    """How often light is followed: 4 for most sets, 12 for glass in glass."""
    caustics: Annotated[Literal["full", "soft", "off"], affecting("film", title="Caustics")] = "soft"
    """Light that glass and polished metal throw: as it is, softened where it would be noise, or without a pattern."""
    denoise: bool = True
    """Removes what noise is left. Off only for measuring or for denoising elsewhere."""
    denoise_neighbours: bool = False
    """Uses the frames before and after, by their motion: clips are calmer for the same samples."""
    file_format: Annotated[
        Literal["png", "jpeg", "exr", "tiff"], Choices({"png": "PNG", "jpeg": "JPEG", "tiff": "TIFF", "exr": "EXR"})
    ] = "png"
    """PNG for most, JPEG small, TIFF for print, EXR for light itself."""
    bits: Literal[8, 16, 32] = 8
    """Depth of a channel: 8 for screens, 16 for grading, 32 for light itself."""
    name_pattern: Annotated[str, Field(title="File name", min_length=1, max_length=80, pattern=r"^[\w{}. -]+$")] = (
        "{project}_{shot}"
    )
    """File name of every frame; what stands in braces is filled in."""
    padding: Annotated[int, quantity("Padding", "digits", ge=1, le=8)] = 4
    """Digits of the frame number in file names: 4 is 0001."""
    background: Annotated[
        Background, Choices({"set": "Set", "transparent": "Transparent", "shadow": "With shadow"})
    ] = "set"
    """Set: the picture as the lens shows it. Transparent: alpha instead of the background. With shadow: alpha instead
    of background and sweep; shadow and reflection on the sweep stay, to lie on another picture."""
    disc_seen: Annotated[bool, Field(title="Disc in the picture")] = True
    """On: the turntable belongs to the subject. Off: it only catches the shadow, as the sweep does."""
    masters: Annotated[bool, affecting("shoot", title="Keep masters")] = True
    """Keeps scene-linear pictures beside what is shown; without them a take cannot be graded."""
    overview: Annotated[bool, affecting("shoot", title="Overview first")] = False
    """Shoots frames spread over the shot first, so that a wrong take is seen early."""
    passes: Passes = Passes()
    margin: Annotated[Unit01, Field(title="Margin", le=0.45)] = 0.08
    """Share of the frame that fitting keeps free at each edge."""

    @property
    def transparent(self) -> bool:
        """True when pictures have alpha."""
        return self.background != "set"

    @property
    def needs_first_hits(self) -> bool:
        """True when the film of a frame has to keep what each pixel sees first."""
        return bool(self.passes.wanted) or self.background == "shadow"

    @property
    def can_be_mixed(self) -> bool:
        """True when the picture is the sum of its lights and each is kept: shadows in alpha do not add up."""
        return "lights" in self.passes.wanted and self.background != "shadow"

    @property
    def wanted_quality(self) -> Literal["draft", "fine", "print"] | None:
        """Quality that decides samples; None where they are set by number, as always without denoising."""
        return self.quality if self.quality != "own" and self.denoise else None

    @property
    def samples_in_words(self) -> str:
        """Quality or samples, in few words."""
        return self.wanted_quality or f"{self.samples}/px"


TYPED = ShootSettings()
"""Samples as told."""
FOR_CLIPS = ShootSettings(quality="fine", denoise_neighbours=True)
"""What the shots of a new project are shot with."""
