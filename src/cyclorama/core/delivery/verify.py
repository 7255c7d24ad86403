"""A delivered file opened again: whether it holds what it should, said in sentences."""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ..cut.sound import SILENCE_LUFS, measure_loudness
from ..cut.sound_synthesis import RATE
from ..errors import ShootError
from ..picture.view_transform import over, to_bytes
from .presets import Coding, Delivery
from .program_source import ProgramSource
from .segments import is_webp
from .video_frames import EXACT, WHITE, with_alpha

F32 = NDArray[np.float32]
SAME_DB = 60.0
LU_SLACK = 1.0
"""what coding and a start from silence may change of a loudness"""


@dataclass(frozen=True, slots=True)
class Opened:
    """One thing that was looked at."""

    what: str
    fine: bool
    sentence: str


@dataclass
class _Seen:
    count: int = 0
    width: int = 0
    height: int = 0
    first: F32 | None = None
    last: F32 | None = None


def verify_delivery(path: Path, programme: ProgramSource, delivery: Delivery, loudness: float | None) -> list[Opened]:
    """Verification of a movie made from a source. `loudness`: its target in LUFS.

    Raises ShootError when it cannot be read at all.
    """
    try:
        seen = _looked(path, delivery)
        found = list(_pictures(seen, programme, delivery))
        if not is_webp(path):
            found += _of_file(path, programme, delivery, loudness)
    except (av.FFmpegError, OSError, ValueError, IndexError) as error:
        raise ShootError(f"The file cannot be opened again: {error}. Deliver it once more.") from error
    return found


def _looked(path: Path, delivery: Delivery) -> _Seen:
    seen = _Seen()
    last = None
    for read in _each(path, delivery.coding.clear):
        seen.count += 1
        last = read
        if seen.first is None:
            seen.first = read()
            seen.height, seen.width = seen.first.shape[:2]
    seen.last = None if last is None else last()
    return seen


def size_of(path: Path) -> tuple[int, int]:
    """Width and height of a moving picture, px."""
    first = next(_each(path, False))()
    return first.shape[1], first.shape[0]


def pictures_of(path: Path, clear: bool) -> Iterator[F32]:
    """All pictures of a file, (h, w, 3) or with straight alpha (h, w, 4), display values 0…1."""
    return (read() for read in _each(path, clear))


def _each(path: Path, clear: bool) -> Iterator[Callable[[], F32]]:
    """All pictures of a file as they are decoded; each gives its pixels when it is asked."""
    layout = "rgba" if clear else "rgb24"
    if is_webp(path):
        with Image.open(path, formats=("WEBP",)) as image:
            for n in range(getattr(image, "n_frames", 1)):
                image.seek(n)
                pixels = np.asarray(image.convert("RGBA" if clear else "RGB"))
                yield partial(np.divide, pixels, 255, dtype=np.float32)
        return
    with av.open(str(path), "r") as container:
        stream = container.streams.video[0]
        decoder: Any = stream.codec_context
        if stream.codec_context.name == "vp9":  # the usual one leaves alpha out
            decoder = av.CodecContext.create("libvpx-vp9", "r")
        packets = (p for p in container.demux(stream) if decoder is stream.codec_context or p.size)
        for packet in packets:
            yield from (partial(_pixels, f, layout) for f in decoder.decode(packet))
        if decoder is not stream.codec_context:
            yield from (partial(_pixels, f, layout) for f in decoder.decode(None))


def _pixels(frame: Any, layout: str) -> F32:
    if frame.format.name.startswith("yuv"):
        frame = frame.reformat(
            format=layout, interpolation=EXACT, src_colorspace="ITU709", src_color_range="MPEG", dst_color_range="JPEG"
        )
    return np.asarray(frame.to_ndarray(format=layout) / 255, np.float32)


def psnr(a: F32, b: F32) -> float:
    """Peak signal to noise ratio of two pictures of display values, dB; alpha counts as how much of them is seen."""
    if a.shape[2] == 4 or b.shape[2] == 4:
        a, b = _premultiplied(a), _premultiplied(b)
    error = float(np.mean((a.astype(np.float64) - b) ** 2))
    return 99.0 if error < 1e-10 else -10 * math.log10(error)


def _premultiplied(picture: F32) -> F32:
    picture = with_alpha(picture)
    return np.dstack([picture[..., :3] * picture[..., 3:], picture[..., 3]])


def compare_delivery(what: str, name: str, read: F32, source: F32, coding: Coding) -> Opened:
    """Difference between a decoded file and its source."""
    near = psnr(read, source if coding.clear else over(source, WHITE))
    told = "the same as its source" if near > SAME_DB else f"{near:.0f} dB from its source"
    return Opened(what, near >= coding.least_psnr, f"The {name} is {told}.")


def _wanted(what: str, right: bool, told: str, wanted: str) -> Opened:
    """Something that is as it should be, or what it is instead."""
    return Opened(what, right, f"{told}." if right else f"{told} instead of {wanted}.")


def _pictures(seen: _Seen, programme: ProgramSource, delivery: Delivery) -> Iterator[Opened]:
    wanted = programme.count * delivery.rounds
    yield _wanted("frames", seen.count == wanted, f"{seen.count} pictures", str(wanted))
    if seen.first is None or seen.last is None:
        return
    sources = programme.frame(0), programme.frame(programme.count - 1)
    height, width = sources[0].shape[:2]
    scaled = delivery.coding.codec == "gif"
    if scaled and (seen.width, seen.height) != (width, height):
        told = f"{seen.width}×{seen.height} pixels: made smaller than {width}×{height}"
        yield Opened("size", True, f"{told} to fit in {delivery.fits_mb or 0:g} MB, and named so.")
    else:
        right = (seen.width, seen.height) == (delivery.width, delivery.height) == (width, height)
        yield _wanted("size", right, f"{seen.width}×{seen.height} pixels", f"{delivery.width}×{delivery.height}")
    for name, read, source in (("first", seen.first, sources[0]), ("last", seen.last, sources[1])):
        if read.shape[:2] != source.shape[:2]:
            source = _resized(source, read.shape[1], read.shape[0])
        if scaled:  # dither is to be looked at from afar
            read, source = (_resized(x, max(2, seen.width // 4), max(2, seen.height // 4)) for x in (read, source))
        yield compare_delivery(f"{name} frame", f"{name} picture", read, source, delivery.coding)
    if delivery.coding.clear:
        meant, held = (
            _see_through(sources[0]) or _see_through(sources[1]),
            _see_through(seen.first) or _see_through(seen.last),
        )
        says = {
            (True, True): "Alpha is kept.",
            (True, False): "Alpha is lost.",
            (False, False): "Nothing is transparent.",
        }
        yield Opened("alpha", meant == held, says.get((meant, held), "It is transparent where its source is not."))


def _see_through(picture: F32) -> bool:
    return picture.shape[2] == 4 and float(picture[..., 3].min()) < 0.98


def _resized(picture: F32, width: int, height: int) -> F32:
    image = Image.fromarray(to_bytes(over(picture, WHITE))).resize((width, height), Image.Resampling.LANCZOS)
    return (np.asarray(image) / 255).astype(np.float32)


def _of_file(path: Path, programme: ProgramSource, delivery: Delivery, loudness: float | None) -> Iterator[Opened]:
    seconds = programme.count * delivery.rounds / programme.rate
    with av.open(str(path), "r") as container:
        stream = container.streams.video[0]
        rate, context = stream.average_rate, stream.codec_context
        if delivery.coding.codec == "gif":
            yield Opened(
                "rate", True, f"{float(programme.rate):g} pictures a second, in hundredths of a second as GIF has them."
            )
        else:
            right = rate is not None and abs(rate / programme.rate - 1) < 1e-3
            told = "unknown" if rate is None else f"{float(rate):.6g}"
            yield _wanted("rate", right, f"{told} pictures a second", f"{float(programme.rate):.6g}")
        lasts = _seconds_of_pictures(path, programme.rate)
        right = abs(lasts - float(seconds)) < 0.5 / float(programme.rate)
        yield _wanted("length", right, f"{lasts:.3f} s", f"{float(seconds):.3f} s")
        yield from _coded(context, delivery.coding)
        if "yuv" in delivery.coding.pixels and delivery.coding.ending in ("mp4", "mov", "webm"):
            tags = int(context.color_primaries), int(context.color_trc), int(context.colorspace)
            yield Opened(
                "colour", tags == (1, 1, 1), "Tagged as BT.709." if tags == (1, 1, 1) else f"Colour tags are {tags}."
            )
        if programme.sound is not None and delivery.sound and delivery.coding.sound:
            yield from _heard(container, float(seconds), float(1 / programme.rate), loudness)


def _coded(context: Any, coding: Coding) -> Iterator[Opened]:
    """True when the file is tagged with the codec and profile of its preset."""
    if coding.tag:
        yield _wanted("tag", context.codec_tag == coding.tag, f"Tagged {context.codec_tag}", coding.tag)
    if coding.profile:
        yield _wanted("profile", context.profile == coding.profile, f"Profile {context.profile}", coding.profile)


def _seconds_of_pictures(path: Path, rate: Fraction) -> float:
    """From the moment of the first picture to a frame after that of the last."""
    with av.open(str(path), "r") as container:
        base = float(container.streams.video[0].time_base or 1 / rate)
        packets = [packet for packet in container.demux(video=0) if packet.size]
    known = [m for m in (p.dts if p.pts is None else p.pts for p in packets) if m is not None]
    return (max(known) - min(known)) * base + 1 / float(rate)


def _heard(container: Any, seconds: float, frame_s: float, loudness: float | None) -> Iterator[Opened]:
    if not container.streams.audio:
        yield Opened("sound", False, "It has no sound.")
        return
    to_stereo = av.AudioResampler(format="flt", layout="stereo", rate=RATE)
    count = 0

    def blocks() -> Iterator[F32]:
        nonlocal count
        for frame in container.decode(audio=0):
            for out in to_stereo.resample(frame):
                block = np.asarray(out.to_ndarray().reshape(-1, 2), np.float32)
                count += len(block)
                yield block

    container.seek(0)
    found = measure_loudness(blocks())
    lasts = count / RATE
    # coders fill their last packet, and some begin with one of silence
    right = -frame_s <= lasts - seconds <= max(frame_s, 0.07)
    yield Opened("sound", right, f"{lasts:.2f} s of sound" + ("." if right else f" for {seconds:.2f} s of picture."))
    if loudness is not None and found.lufs > SILENCE_LUFS:
        right = abs(found.lufs - loudness) <= LU_SLACK
        told = f"{found.lufs:.1f} LUFS, true peak {found.peak_dbtp:.1f} dBTP"
        yield Opened("loudness", right, told + ("." if right else f"; {loudness:g} LUFS were asked for."))
