"""Readiness: a sentence about the shoot, and what is odd about it."""

from pydantic import Field

from ..errors import ChangeError
from ..motion import loops, moves_nothing
from ..scene import Doc, Project
from ..scene.shoot import Background
from ..sequence.names import name_too_long
from ..sequence.size import frame_bytes, reserve_bytes
from . import fixes, phrases
from .fixes import Fix, Hints
from .light_stances import stance_sentences
from .measures import Review

ALPHA: dict[Background, str] = {"set": "", "transparent": " with alpha", "shadow": " with the shadow in alpha"}


class Readiness(Doc):
    """The readiness list of the Shoot card."""

    sentence: str
    odd: tuple[str, ...]
    """worth a look, but can be shot"""
    blocking: tuple[str, ...]
    """cannot be shot until mended"""
    fixes: dict[str, Fix] = Field(default_factory=dict)
    """ways to mend, by the sentence that they belong to"""


def readiness(r: Review, forecast_s: tuple[float, float] | None = None, free_bytes: int | None = None) -> Readiness:
    """Check a shot. forecast_s: expected seconds and their uncertainty; free_bytes: room on the disk; when known."""
    p, s = r.project, r.project.shot.shoot
    numbers = p.shot.frame_numbers
    what = f"{len(numbers)} frame{'s' if len(numbers) != 1 else ''}"
    if s.every > 1:
        what += f", one in {s.every},"
    sentence = (
        f"Will shoot {what} of ‘{p.shot.name}’ through ‘{p.camera.name}’, {s.width}×{s.height}, "
        f"{s.file_format.upper()}{ALPHA[s.background] if s.file_format != 'jpeg' else ''}"
    )
    sentence += f", {s.wanted_quality or f'{s.samples} samples a pixel'}"
    if s.passes.wanted:
        sentence += f" and {len(s.passes.wanted)} pass{'es' if len(s.passes.wanted) != 1 else ''}"
    if forecast_s is not None:
        sentence += f", about {phrases.duration(forecast_s[0])} ± {phrases.duration(forecast_s[1])}"
    sentence += f", about {phrases.data_size(frame_bytes(p) * len(numbers))} on disk"
    odd = _odd(r)
    if free_bytes is not None:
        odd.extend(_room(p, free_bytes))
    return Readiness(sentence=sentence + ".", odd=tuple(odd), blocking=tuple(_blocking(p)), fixes=odd.fixes)


def _blocking(p: Project) -> list[str]:
    blocking = []
    if not len(p.shot.frame_numbers):
        blocking.append("The frame range is empty: check ‘from’ and ‘to’.")
    if not any(item.on for item in p.items) and not p.set.sweep.on and not p.set.disc.on:
        blocking.append("There is nothing to shoot: no item and no set.")
    try:
        long = name_too_long(p)
    except ChangeError as error:
        long = error.sentence
    return [*blocking, long] if long else blocking


def _room(p: Project, free_bytes: int) -> list[str]:
    need = frame_bytes(p) * len(p.shot.frame_numbers)
    if need + reserve_bytes(p) <= free_bytes:
        return []
    return [
        f"The frames may need {phrases.data_size(need)}; {phrases.data_size(free_bytes)} are free on the disk. "
        "Shooting will wait for room before the disk is full."
    ]


def _odd(r: Review) -> Hints:
    p, s, shot = r.project, r.project.shot.shoot, r.project.shot
    odd = Hints()
    shines = p.look.lit_lights or p.look.environment_lit or any(m.glows for m in p.materials)
    if not shines:
        odd.add("Every frame will be black: nothing shines.", fixes.THREE_LIGHTS)
    if p.subject is None:
        odd.append("There is no subject on the set.")
    still = moves_nothing(shot)
    if still and shot.frames > 1:
        odd.append(f"The camera does not move: all {shot.frames} frames will show the same.")
    if s.transparent and s.file_format == "jpeg":
        odd.add("JPEG cannot hold alpha; choose PNG, TIFF or EXR for a transparent background.", fixes.AS_PNG)
    if s.bits == 32 and s.file_format != "exr":
        odd.add(f"{s.file_format.upper()} holds at most 16 bits; choose EXR for 32.", fixes.AS_EXR)
    if s.bits > 8 and s.file_format == "jpeg":
        odd.add("JPEG holds 8 bits only; choose PNG, TIFF or EXR for more.", fixes.AS_PNG)
    if ("catcher" in s.passes.wanted or s.background == "shadow") and not p.set.sweep.on:
        odd.add("The shadow has no floor to catch on: the sweep is off.", fixes.SWEEP_ON)
    if not s.masters and s.file_format != "exr":
        odd.add("No masters are kept: the take cannot be graded, relit or denoised afterwards.", fixes.KEEP_MASTERS)
    if s.clamp_indirect is not None:
        odd.append("Indirect light is clamped: fewer bright specks, a little less light.")
    if s.background == "transparent" and p.set.sweep.on:
        odd.add("The sweep will be in the picture; only what is behind it is transparent.", fixes.WITH_SHADOW)
    if p.set.haze.on and ("catcher" in s.passes.wanted or s.background == "shadow"):
        odd.append("Haze stays only on the subject and its shadow; with a transparent background it stays everywhere.")
    if s.background == "shadow" and "lights" in s.passes.wanted:
        odd.append("The lights of this take cannot be re-balanced: its shadows will be in alpha.")
    if r.margins is not None and r.margins.cut_frames:
        odd.add(f"The subject leaves the frame in {phrases.frames(r.margins.cut_frames)}.", fixes.FIT)
    if r.edges.ends:
        odd.add(f"The sweep ends inside the picture in {phrases.frames(r.edges.ends)}.", fixes.WIDEN)
    if r.edges.outside:
        odd.add(f"The camera looks at the back of the sweep in {phrases.frames(r.edges.outside)}.", fixes.WIDEN)
    raised = fixes.raise_lights(p, r.stances)
    for (_, how), told in zip(r.stances, stance_sentences(r.stances), strict=True):
        odd.add(told, raised if how == "floor" else None)
    whole = shot.all_frames
    closed = not still and loops(p, shot)
    if closed and s.to_frame is not None and s.to_frame == whole.stop:
        odd.append(f"Frame {whole.stop} is frame {whole.start} again; the loop already closes without it.")
    if closed and 0 < len(shot.frame_numbers) * s.every < shot.frames:
        odd.append(f"Only {len(shot.frame_numbers)} of {shot.frames} frames: the clip will not loop.")
    if s.every > 1 and shot.frames % s.every:
        odd.append(
            f"{shot.frames} frames cannot be shared out by {s.every}: the last one stands longer than it should."
        )
    if s.file_format in ("png", "jpeg") and (s.width % 2 or s.height % 2):
        odd.append(f"{s.width}×{s.height} is odd-sized; video needs even numbers and will lose a line.")
    return odd
