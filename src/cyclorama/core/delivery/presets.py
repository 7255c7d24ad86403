"""Delivery presets in plain words: purpose, coding, and the settings that can be changed."""

from dataclasses import dataclass, field
from typing import Annotated, Literal

from pydantic import Field

from ..cut.document import Span
from ..motion.frames import FrameRate
from ..scene.base import Doc, quantity

Ending = Literal["mp4", "mov", "webm", "webp", "gif", "avi", "png", "jpeg", "tiff", "exr", "pdf", "html", "zip", "mkv"]
PresetName = Literal[
    "web", "fine", "small", "clear loop", "webp loop", "gif loop", "master", "clear master", "old",
    "png", "tiff", "exr", "jpeg", "still", "sheet", "sheet pdf", "spin", "hand-over", "layers",
]  # fmt: skip
Kind = Literal["moving", "frames", "still", "sheet", "spin", "package"]


@dataclass(frozen=True, slots=True)
class Coding:
    """Container and codecs of a kind of file."""

    title: str
    use: str
    """its purpose"""
    ending: Ending
    codec: str
    pixels: str
    """pixel format of the file; of sequences that of their files"""
    sound: str = ""
    """codec of the sound; none where files have none"""
    ladder: tuple[dict[str, str], ...] = ({},)
    """options of the encoder, from the finest to the coarsest"""
    options: dict[str, str] = field(default_factory=dict)
    """options of the file"""
    clear: bool = False
    """alpha is kept"""
    bits: int = 8
    least_psnr: float = 30.0
    """dB between a source and what is read of the file, below which a delivery is told to look wrong"""
    tag: str = ""
    """FourCC of the pictures in the file"""
    profile: str = ""
    """of the codec, as decoders name it"""
    short: str = ""
    """the codec in names of files"""
    kind: Kind = "moving"
    """one moving picture, a folder of frames, one frame, a sheet of frames, or a page that is turned by hand"""


def _steps(name: str, finest: int, coarsest: int, **more: str) -> tuple[dict[str, str], ...]:
    by = 1 if coarsest > finest else -1
    return tuple({name: str(x), **more} for x in range(finest, coarsest + by, by))


GIF_STEPS: tuple[dict[str, str], ...] = tuple(
    {"colours": str(colours), "scale": scale}
    for scale, counts in (("1", (256, 160, 96, 64)), ("0.75", (128, 64)), ("0.5", (128, 64)), ("0.35", (96, 48)))
    for colours in counts
)
PRESETS: dict[PresetName, Coding] = {
    "web": Coding(
        "Web clip", "Plays everywhere: pages, messages, networks. MP4, H.264.", "mp4", "libx264", "yuv420p", "aac",
        _steps("crf", 12, 42, preset="faster"), {"movflags": "+faststart"}, tag="avc1", profile="High", short="h264",
    ),
    "fine": Coding(
        "Fine clip", "Finer gradients in less room, for newer players. MP4, H.265, 10 bits.", "mp4", "libx265",
        "yuv420p10le", "aac", _steps("crf", 12, 42, preset="fast", **{"x265-params": "log-level=error"}),
        {"movflags": "+faststart"}, bits=10, tag="hvc1", profile="Main 10", short="h265",
    ),
    "small": Coding(
        "Small clip", "The smallest file for a picture, for newer browsers. MP4, AV1, 10 bits.", "mp4", "libsvtav1",
        "yuv420p10le", "aac", _steps("crf", 18, 60, preset="8"), {"movflags": "+faststart"}, bits=10, tag="av01",
        profile="Main", short="av1",
    ),
    "clear loop": Coding(
        "Loop with alpha", "Lies over a page, with transparent ground. WebM, VP9.", "webm", "libvpx-vp9", "yuva420p",
        "libopus", _steps("crf", 10, 56, b="0", deadline="good", **{"cpu-used": "4"}), clear=True,
        profile="Profile 0", short="vp9",
    ),
    "webp loop": Coding(
        "Animated picture", "Moves where only pictures are allowed. Animated WebP, with alpha.", "webp", "libwebp_anim",
        "bgra", ladder=tuple({"quality": str(q), "compression_level": "3"} for q in range(95, 15, -5)),
        options={"loop": "0"}, clear=True,
    ),
    "gif loop": Coding(
        "GIF", "Moves in old mail and forums: 256 colours, dithered, no half transparency.", "gif", "gif", "pal8",
        ladder=GIF_STEPS, options={"loop": "0"}, least_psnr=22.0,
    ),
    "master": Coding(
        "Editing master", "To be cut and graded further. MOV, ProRes 422 HQ, 10 bits.", "mov", "prores_ks",
        "yuv422p10le", "pcm_s16le", ({"profile": "3", "vendor": "apl0"},), bits=10, least_psnr=38.0, tag="apch",
        profile="HQ", short="prores422hq",
    ),
    "clear master": Coding(
        "Editing master with alpha", "To be laid over something else. MOV, ProRes 4444.", "mov", "prores_ks",
        "yuva444p10le", "pcm_s16le", ({"profile": "4", "alpha_bits": "16"},), clear=True, bits=10, least_psnr=38.0,
        tag="ap4h", profile="4444", short="prores4444",
    ),
    "old": Coding(
        "For old players", "Plays on machines of twenty years ago. AVI, MPEG-4 part 2.", "avi", "mpeg4", "yuv420p",
        "libmp3lame", tuple({"qmin": str(q), "qmax": str(q)} for q in range(2, 20)), least_psnr=28.0,
        # sound that begins before its time, as MP3's does, would push the pictures a frame on
        options={"avoid_negative_ts": "disabled"},
        tag="FMP4", profile="Simple Profile", short="mpeg4",
    ),
    "png": Coding("PNG frames", "Every frame a file, lossless, with alpha where there is any.", "png", "", "8",
                  kind="frames", clear=True, least_psnr=48.0),
    "tiff": Coding("TIFF frames, 16 bits", "Every frame a file, for retouching and print.", "tiff", "", "16", bits=16,
                   kind="frames", least_psnr=60.0),
    "exr": Coding("EXR frames, linear", "The light of every frame as shown, half floats, to be laid over elsewhere.",
                  "exr", "", "16", bits=16, kind="frames", clear=True, least_psnr=60.0),
    "jpeg": Coding("JPEG frames", "Every frame a small file.", "jpeg", "", "8", kind="frames"),
    "still": Coding("Still", "One frame as a PNG.", "png", "", "8", clear=True, kind="still", least_psnr=48.0),
    "sheet": Coding("Contact sheet", "Frames, passes, colourways or parts beside each other, named. PNG.", "png", "",
                    "8", kind="sheet"),
    "sheet pdf": Coding("Contact sheet to print", "The same as a PDF.", "pdf", "", "8", kind="sheet"),
    "spin": Coding("Spin page", "Turned by dragging, touch or keys: one HTML file that works from a disk.", "html", "",
                   "8", kind="spin"),
    "hand-over": Coding("For other programs", "Finished frames, the cut as EDL and OpenTimelineIO, grades, sound.",
                        "zip", "", "8", kind="package"),
    "layers": Coding("For compositing", "The same with layered EXR frames: linear light and every pass, ungraded.",
                     "zip", "", "16", short="layers", kind="package"),
}  # fmt: skip


class Delivery(Doc):
    """One thing that is handed over."""

    preset: PresetName = "web"
    width: Annotated[int, Field(title="Width", ge=16, le=8192, multiple_of=2)] = 1280
    height: Annotated[int, Field(title="Height", ge=16, le=8192, multiple_of=2)] = 720
    rate: tuple[Annotated[int, Field(ge=1, le=240_000)], Annotated[int, Field(ge=1, le=10_000)]] | None = None
    """frames a second, as a fraction; None: as many as the cut has"""
    quality: Annotated[int, quantity("Quality", "%", ge=0, le=100)] = 80
    """where on the preset's ladder, from the coarsest to the finest"""
    fits_mb: Annotated[float, Field(title="Must fit in", gt=0, le=100_000)] | None = None
    """million bytes; the finest quality is found that does"""
    rounds: Annotated[int, Field(title="Rounds", ge=1, le=100)] = 1
    """number of rounds, one after the other"""
    sound: Annotated[bool, Field(title="With sound")] = True
    plays: Annotated[int, Field(title="Plays by itself", ge=0, le=100)] = 0
    """how often a GIF or an animated picture is shown before it stands still; 0: for ever"""
    sheet_of: Annotated[Literal["frames", "passes", "colourways", "parts"], Field(title="Sheet of")] = "frames"
    """what is beside each other: frames of the cut, or of the take at the poster's frame its passes, its parts, or the
    takes of the same shot in other colourways and looks"""
    name_pattern: Annotated[str, Field(title="File names", max_length=80, pattern=r"^[\w{}. -]*$")] = ""
    """name of the file, with fields in braces (see `file_name`); empty: the usual name"""
    first: Span | None = None
    last: Span | None = None
    """frames of the cut; None: all"""
    poster: Span | None = None
    """the frame of the cut that is written beside it as a picture; of stills, the frame"""
    pictures: Annotated[int, Field(title="Pictures", ge=2, le=720)] = 36
    """so many frames, evenly spread, make a sheet or a spin page"""

    @property
    def coding(self) -> Coding:
        """Coding of the delivery."""
        return PRESETS[self.preset]

    @property
    def own_rate(self) -> FrameRate | None:
        """Frames a second where they are not those of the cut."""
        return None if self.rate is None else FrameRate(*self.rate)

    def file_options(self) -> dict[str, str]:
        """Options of the container's muxer."""
        told = dict(self.coding.options)
        if "loop" in told:
            # GIF counts how often it is shown again, −1 for not; WebP how often it is shown
            told["loop"] = str(
                self.plays if self.plays == 0 or self.coding.ending == "webp" else (self.plays - 1 or -1)
            )
        return told

    def options(self, quality: int | None = None) -> dict[str, str]:
        """Options of the encoder for a quality."""
        ladder = self.coding.ladder
        share = (self.quality if quality is None else quality) / 100
        return ladder[round((1 - share) * (len(ladder) - 1))]


@dataclass(frozen=True, slots=True)
class Screen:
    """A size that something is made for."""

    title: str
    width: int
    height: int


SCREENS = (
    Screen("As the cut", 0, 0),
    Screen("HD, 16:9", 1280, 720),
    Screen("Full HD, 16:9", 1920, 1080),
    Screen("4K, 16:9", 3840, 2160),
    Screen("Square, 1:1", 1080, 1080),
    Screen("Portrait, 4:5", 1080, 1350),
    Screen("Upright, 9:16", 1080, 1920),
    Screen("Upright 4K, 9:16", 2160, 3840),
    Screen("Wide, 21:9", 2560, 1098),
)
