"""The files of a frame besides its beauty picture: one folder a pass, each in a format that can hold it."""

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ...arrays import Mask, RGBImage
from ...motion import Moment
from ...picture.cryptomatte import matte_channels
from ...picture.exposure import expose
from ...picture.exr import encode_channels, encode_layers
from ...picture.files import encode_display, encode_frame
from ...picture.view_transform import srgb_encode
from ...scene import ShootSettings
from ...scene.shoot import PICTURE_EXTENSIONS, PassName
from ..compile.compiler import SceneCompiler
from ..film.beauty import beauty, catch_shadow, picture_alone
from ..film.denoise import denoise, denoise_shares
from ..film.film import Film
from ..film.frame import expose_frame
from ..film.tracer import Cancel, Tracer
from ..trace.arrays import AIR, KINDS_OF_LIGHT
from .kinds import ALONE, NUMBERS
from .rays import in_clay, occlusion, wireframe, without_set

HELPER_SAMPLES = 64
"""Occlusion and wireframe need no more."""


@dataclass(frozen=True, slots=True)
class PassFile:
    """One file of a pass."""

    name: PassName
    extension: str
    data: bytes


def pass_extension(settings: ShootSettings, name: PassName) -> str:
    """Extension of a pass's files."""
    if name in NUMBERS:
        return "exr"
    file_format = settings.file_format
    # JPEG cannot hold what the catcher is for
    return PICTURE_EXTENSIONS["png" if name == "catcher" and file_format == "jpeg" else file_format]


def pass_files(
    moment: Moment,
    film: Film,
    clean: RGBImage,
    compiler: SceneCompiler,
    tracer: Tracer,
    cancelled: Cancel = lambda: False,
) -> Iterator[PassFile]:
    """All wanted passes of a frame whose film is exposed; `clean` is its radiance as the picture shows it.

    Raises Cancelled when `cancelled` says so.
    """
    for name in moment.shoot.passes.wanted:
        if name in ALONE:
            yield pass_alone(name, moment, compiler, tracer, cancelled)
        else:
            data = _of_film(name, moment, film, clean, compiler, tracer, cancelled)
            yield PassFile(name, pass_extension(moment.shoot, name), data)


def pass_alone(
    name: PassName, moment: Moment, compiler: SceneCompiler, tracer: Tracer, cancelled: Cancel = lambda: False
) -> PassFile:
    """One of the passes that are ALONE, of a frame that need not be exposed. Raises Cancelled."""
    s = moment.shoot
    if name == "clay":
        data = _clay(moment, compiler, tracer, cancelled)
    else:
        with_set = s.passes.occlusion_set if name == "occlusion" else s.passes.wire_set
        scene = compiler.compile(moment if with_set else without_set(moment), s.width, s.height, keep="passes")
        if name == "occlusion":
            reach_m, falloff = s.passes.occlusion_reach_m, s.passes.occlusion_falloff
            values, covered = occlusion(scene, HELPER_SAMPLES, reach_m, falloff)
        else:
            lines, covered = wireframe(scene, HELPER_SAMPLES, s.passes.wire_px, s.passes.wire_level)
            values = 1.0 - lines
        data = _helper(values, covered, s)
    return PassFile(name, pass_extension(s, name), data)


def _clay(moment: Moment, compiler: SceneCompiler, tracer: Tracer, cancelled: Cancel) -> bytes:
    s = moment.shoot
    clay = replace(in_clay(moment), shoot=picture_alone(s))
    exposed = expose_frame(clay, compiler, tracer, cancelled)
    clean = denoise(exposed) if s.denoise else exposed.radiance
    radiance, alpha = beauty(exposed, clay, clean, compiler, tracer, cancelled)
    return encode_frame(radiance, alpha, moment.look.tone, s.file_format, s.bits)


def _of_film(
    name: PassName,
    moment: Moment,
    film: Film,
    clean: RGBImage,
    compiler: SceneCompiler,
    tracer: Tracer,
    cancelled: Cancel,
) -> bytes:
    s = moment.shoot
    if name == "lights":
        return _lights(moment, film, clean, compiler)
    if name in NUMBERS:
        return _numbers(name, moment, film)
    if name == "albedo":
        return _picture(film.albedo, None, s.file_format, s.bits)
    return _catcher(moment, film, clean, compiler, tracer, cancelled)


def _numbers(name: PassName, moment: Moment, film: Film) -> bytes:
    tone = moment.look.tone
    if name in ("objects", "materials"):
        channels, header = matte_channels(name, film.matte(0 if name == "objects" else 1), matte_names(moment, name))
        return encode_channels(channels, header)
    if name == "components":
        return encode_layers(
            {layer: expose(film.layer(layer), tone) for layer in film.layers if layer in KINDS_OF_LIGHT}
        )
    if name == "air":
        return encode_layers({AIR: np.dstack([expose(film.layer(AIR), tone), film.veil])})
    values = {"normal": film.normal, "position": film.position, "depth": film.depth, "motion": film.motion}[name]
    return encode_layers({name: values})


def _lights(moment: Moment, film: Film, clean: RGBImage, compiler: SceneCompiler) -> bytes:
    """Every light's share of the picture, and what is seen behind it: they add up to the picture, exposed."""
    s, tone = moment.shoot, moment.look.tone
    shares = {layer: film.layer(layer) for layer in film.layers if layer not in KINDS_OF_LIGHT}
    if s.denoise or s.denoise_neighbours:
        shares = denoise_shares(film, shares, clean)
    layers: dict[str, NDArray[np.float32]] = {layer: expose(share, tone) for layer, share in shares.items()}
    if s.transparent:
        layers["A"] = film.alpha
    else:
        behind = compiler.background(moment, s.width, s.height)
        layers["background"] = expose((1.0 - film.alpha[..., None]) * behind, tone)
    return encode_layers(layers)


def matte_names(moment: Moment, layer: PassName) -> tuple[str, ...]:
    """Names of a moment's mattes, by number: parts (`objects`) or materials."""
    if layer == "objects":
        return ("Sweep", "Disc", *(p.name for item in moment.items for p in item.parts))
    return ("Exit", "Sweep", "Disc", *(m.name for m in moment.materials))


def _picture(linear: RGBImage, alpha: Mask | None, file_format: str, bits: int) -> bytes:
    """A picture whose values are 0…1 already, without exposure or view."""
    if file_format == "exr":
        return encode_layers({"": linear if alpha is None else np.dstack([linear, alpha])}, 32 if bits == 32 else 16)
    shown = srgb_encode(linear)
    return encode_display(shown if alpha is None else np.dstack([shown, alpha]), file_format, bits)


def _helper(values: Mask, covered: Mask, s: ShootSettings) -> bytes:
    """A grey pass: white where nothing is, or transparent there."""
    if s.transparent and s.file_format != "jpeg":
        return _picture(np.repeat(values[..., None], 3, axis=2), covered, s.file_format, s.bits)
    grey = values * covered + (1.0 - covered)
    return _picture(np.repeat(grey[..., None], 3, axis=2), None, s.file_format, s.bits)


def _catcher(
    moment: Moment, film: Film, clean: RGBImage, compiler: SceneCompiler, tracer: Tracer, cancelled: Cancel
) -> bytes:
    s = moment.shoot
    picture, alpha = catch_shadow(film, moment, clean, compiler, tracer, cancelled)
    file_format = s.file_format if s.file_format != "jpeg" else "png"
    return encode_frame(picture, alpha, moment.look.tone, file_format, s.bits)
