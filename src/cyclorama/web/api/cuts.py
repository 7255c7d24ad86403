"""JSON, pictures and sound of the cutting bench."""

from collections.abc import Iterator
from pathlib import Path as FilePath
from typing import Annotated, Literal

import numpy as np
from fastapi import APIRouter, Depends, Path, Query, Request, Response
from fastapi.responses import StreamingResponse
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from ...app.confined import look_at
from ...app.cuts import cut_of, edit_cut, empty_cut
from ...app.machine_fonts import MachineFont, keep_machine_font, machine_fonts
from ...app.uploads import scratch_folder
from ...core.cut.beats import beats
from ...core.cut.compose import shape_of
from ...core.cut.descriptions import clip_says, cut_says, sound_says
from ...core.cut.document import Cut, Title
from ...core.cut.edits import Edit
from ...core.cut.sound import Mix, decode_sound, peaks, wav_of
from ...core.cut.sound_synthesis import GOES_ROUND, MADE, RATE, synthesize_sound
from ...core.cut.timeline import Laid, lay_out_cut, length_of, number_at, start_of, total
from ...core.cut.title_faults import font_wanted, missing_letters
from ...core.errors import IntakeError, NotFoundError
from ...core.geometry.cache_keys import content_hash
from ...core.lettering import set_line
from ...core.picture.files import encode_display
from ...core.scene.base import Id
from ...shoot.finish.take_frames import TakeReel
from ...store.cuts import CutState
from ..context import Context, context
from ..uploads import BODY, made_of_file

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
Number = Annotated[int, Path(ge=0, le=3_000_000)]
SoundKey = Annotated[str, Path(pattern=r"^([0-9a-f]{32}|[a-z]{1,20})$")]
Shape = Annotated[str, Query(pattern=r"^(\d{1,4}:\d{1,4})?$")]
BOX_PX = 960
MOST_THUMBS = 24
KEPT = {"cache-control": "private, max-age=86400"}
"""Addresses of frames name the state of all that they show."""
LARGEST_FONT = 40 << 20
PEAKS_PER_S = 40


class ClipLine(BaseModel):
    """Where a clip lies and what it says."""

    id: str
    start: int
    end: int
    cross_in: int
    cross_out: int
    whole: int
    """frames that all of its take lasts as it is played"""
    sentence: str
    shows: list[int]
    """numbers of frames of its take, evenly over its length, for thumbnails"""
    gone: bool
    """its take was removed"""
    clear: bool
    """it can be seen through: something can be laid behind it"""


class CutAnswer(BaseModel):
    """The cutting bench."""

    cut: Cut
    version: int
    stamp: str
    """names the state of all pictures in addresses"""
    heard: str
    """names the state of all that is heard"""
    undo: str | None
    redo: bool
    total: int
    shape: str
    """of its pictures, in small numbers: `16:9`"""
    sentence: str
    clips: list[ClipLine]
    title_starts: dict[str, int]
    title_says: dict[str, str]
    """faults of titles"""
    sounds: dict[str, str]
    beats: list[int]
    """frames of the cut on which beats of its sounds fall"""
    faults: list[str]
    """obstacles to delivering"""


class TitleBox(BaseModel):
    """Where a title lies, % of the picture."""

    left: float
    top: float
    width: float
    height: float


class EditCall(BaseModel):
    model_config = ConfigDict(
        json_schema_extra={"examples": [{"version": 3, "edit": {"do": "add clip", "take_id": "storm-glass-no-4-001"}}]}
    )

    version: int
    edit: Edit


class StepCall(BaseModel):
    version: int


class KeptSound(BaseModel):
    """A sound that can be put into a cut."""

    asset: str
    made: str
    name: str
    seconds: float
    beats_s: list[float]
    goes_round: bool


class PeaksAnswer(BaseModel):
    """A sound to be drawn."""

    per_s: int
    peaks: list[float]


class KeptFont(BaseModel):
    """A font that titles can be set in."""

    asset: str
    name: str


def cut_answer(ctx: Context, state: CutState) -> CutAnswer:
    """Answer about a cut for the bench."""
    cut = state.cut
    reel = TakeReel(ctx.studio, cut, ctx.masters, complete=False)
    places = lay_out_cut(cut)
    count = total(cut)
    return CutAnswer(
        cut=cut,
        version=state.version,
        stamp=reel.stamp,
        heard=_heard(cut),
        undo=state.label if state.undo else None,
        redo=state.redo,
        total=count,
        shape=shape_of(cut.width, cut.height),
        sentence=cut_says(cut, reel.films),
        clips=[_line(place, reel, cut) for place in places],
        title_starts={t.id: start_of(t, places) for t in cut.titles},
        title_says={t.id: says for t in cut.titles if t.kind == "text" and (says := _lacking(ctx, t))},
        sounds={s.id: sound_says(s, cut) for s in cut.sounds},
        beats=_beats(cut, count),
        faults=list(reel.faults()),
    )


def _heard(cut: Cut) -> str:
    told = (cut.sounds, cut.loudness, cut.peak_dbtp, total(cut), cut.rate)
    return content_hash(repr(told).encode())[:16]


def _line(place: Laid, reel: TakeReel, cut: Cut) -> ClipLine:
    clip, film = place.clip, reel.films.get(place.clip.take_id)
    shows, first = list[int](), 0
    if film is not None:
        take = reel.takes[clip.take_id]
        first = take.first
        length = length_of(clip)
        steps = [k * length // MOST_THUMBS - clip.hold_before for k in range(MOST_THUMBS)]
        played = [clip.begin + min(max(s, 0), clip.length - 1) for s in steps]
        shows = [take.at(number_at(clip, film, cut.rate.fraction, step)) for step in played]
    return ClipLine(
        id=clip.id,
        start=place.start,
        end=place.end,
        cross_in=place.cross_in,
        cross_out=place.cross_out,
        whole=film.lasts(cut.rate.fraction, clip.speed) if film else clip.length,
        sentence=clip_says(place, film, first, cut),
        shows=shows,
        gone=bool(clip.take_id) and film is None,
        clear=film is not None and reel.clear(clip.take_id),
    )


def _lacking(ctx: Context, title: Title) -> str:
    """Letters of a title for which there is no font."""
    try:
        lacking = missing_letters(title, ctx.studio.assets.get)
    except NotFoundError:
        return "Its font file is gone. Bring it again."
    return f"No font here has letters for: {lacking}. {font_wanted(lacking)}" if lacking else ""


def _beats(cut: Cut, count: int) -> list[int]:
    """Frames on which beats fall, of all sounds."""
    rate = cut.rate.fraction
    found: set[int] = set()
    for sound in cut.sounds:
        for beat in sound.beats_s:
            at = round((beat - sound.begin_s) * rate)
            rounds = range(0, sound.length, max(1, round(sound.seconds * rate))) if sound.loop else (0,)
            found |= {sound.start + at + r for r in rounds if 0 <= at + r < sound.length}
    return sorted(f for f in found if f <= count)


@router.get("/projects/{project_id}/cut")
def one(ctx: Ctx, project_id: str) -> CutAnswer:
    """The cut as it stands."""
    return cut_answer(ctx, cut_of(ctx.studio, project_id))


@router.post("/projects/{project_id}/cut")
def edit(ctx: Ctx, project_id: str, call: EditCall) -> CutAnswer:
    """Edit the cut; a change made on an older version is refused."""
    return cut_answer(ctx, edit_cut(ctx.studio, project_id, call.version, call.edit))


@router.post("/projects/{project_id}/cut/{way}")
def step(ctx: Ctx, project_id: str, way: Literal["undo", "redo"], call: StepCall) -> CutAnswer:
    """Undo or redo a step of the cut."""
    by = -1 if way == "undo" else 1
    return cut_answer(ctx, ctx.studio.cuts.step(project_id, call.version, by, empty_cut(ctx.studio, project_id)))


@router.get("/projects/{project_id}/cut/frames/{number}")
def frame(
    ctx: Ctx,
    project_id: str,
    number: Number,
    width: Annotated[int, Query(ge=16, le=4096)] = 960,
    shape: Shape = "",
    v: Annotated[str, Query(max_length=40)] = "",
    exact: bool = False,
    clear: bool = False,
) -> Response:
    """A frame of the cut as it is delivered, no wider than `width`; in another shape if asked for, `exact` as a PNG,
    `clear` with alpha where takes have any."""
    at_work = ctx.cuts.get(project_id, v, shape, width, clear)
    if number >= total(at_work.cut):
        raise NotFoundError(f"The cut has no frame {number}.")
    picture = at_work.frame(number)
    kind = "png" if exact or picture.shape[2] == 4 else "jpeg"
    return Response(encode_display(picture, kind), media_type=f"image/{kind}", headers=KEPT)


@router.get("/projects/{project_id}/cut/titles/{title_id}/box")
def title_box(
    ctx: Ctx, project_id: str, title_id: str, frame: Annotated[int, Query(ge=0, le=3_000_000)], shape: Shape = ""
) -> TitleBox:
    """Where a title lies in a shape, when it has come."""
    at_work = ctx.cuts.get(project_id, "", shape, BOX_PX)
    title = next((t for t in at_work.cut.titles if t.id == title_id), None)
    if title is None:
        raise NotFoundError("This title is not in the cut any more.")
    left, top, width, height = (100 * x for x in at_work.title_box(title, frame))
    return TitleBox(left=left, top=top, width=width, height=height)


@router.get("/projects/{project_id}/cut/sound.wav")
def sound(ctx: Ctx, project_id: str) -> StreamingResponse:
    """All that is heard, as it is delivered."""
    mix = Mix(cut_of(ctx.studio, project_id).cut, ctx.studio.assets.get)
    chunks: Iterator[bytes] = wav_of(mix.blocks, mix.samples)
    headers = KEPT | {"content-length": str(44 + 4 * mix.samples)}
    return StreamingResponse(chunks, media_type="audio/wav", headers=headers)


@router.get("/made-sounds")
def made_sounds() -> list[KeptSound]:
    """Sounds that the program makes itself."""
    found = []
    for name, (says, _) in MADE.items():
        samples = synthesize_sound(name)
        told = list(beats(samples)) if name == "pulse" else []
        found.append(
            KeptSound(
                asset="", made=name, name=says, seconds=len(samples) / RATE, beats_s=told, goes_round=name in GOES_ROUND
            )
        )
    return found


@router.post("/projects/{project_id}/sounds", openapi_extra=BODY)
async def bring_sound(ctx: Ctx, project_id: str, request: Request) -> KeptSound:
    """Keep a sound file; the cut then refers to it."""
    ctx.studio.projects.get(project_id)
    return await made_of_file(request, ctx.studio.folder, _keep_sound, ctx)


def _keep_sound(ctx: Context, name: str, path: FilePath) -> KeptSound:
    seconds, found, drawn = look_at(examine_sound, path, name)
    key = ctx.studio.assets.take(path)
    ctx.studio.assets.put(f"{key}.peaks", drawn.model_dump_json().encode())
    return KeptSound(asset=key, made="", name=name[:80], seconds=seconds, beats_s=found, goes_round=False)


def examine_sound(path: FilePath, name: str) -> "tuple[float, list[float], PeaksAnswer]":
    """Seconds of a sound file, its beats, and its peaks. Raises IntakeError."""
    samples = decode_sound(path.read_bytes(), name)
    return len(samples) / RATE, list(beats(samples))[:4000], _peaks(samples)


def _peaks(samples: NDArray[np.float32]) -> PeaksAnswer:
    return PeaksAnswer(per_s=PEAKS_PER_S, peaks=[round(float(x), 3) for x in peaks(samples, PEAKS_PER_S)])


@router.get("/sounds/{key}/peaks")
def sound_peaks(ctx: Ctx, key: SoundKey) -> PeaksAnswer:
    """A kept sound, or one that the program makes, to be drawn."""
    if key in MADE:
        return _peaks(synthesize_sound(key))
    kept = f"{key}.peaks"
    if not ctx.studio.assets.has(kept):  # of a sound that an earlier version kept
        with scratch_folder(ctx.studio.folder) as folder:
            path = folder / "sound"
            path.write_bytes(ctx.studio.assets.get(key))
            *_, drawn = look_at(examine_sound, path, "the sound")
        ctx.studio.assets.put(kept, drawn.model_dump_json().encode())
    return PeaksAnswer.model_validate_json(ctx.studio.assets.get(kept))


@router.post("/projects/{project_id}/fonts", openapi_extra=BODY)
async def bring_font(ctx: Ctx, project_id: str, request: Request) -> KeptFont:
    """Keep a font file; titles then refer to it."""
    ctx.studio.projects.get(project_id)
    return await made_of_file(request, ctx.studio.folder, _keep_font, ctx)


@router.get("/fonts")
def fonts_of_machine() -> list[MachineFont]:
    """Fonts that are installed where the studio runs."""
    return machine_fonts()


@router.post("/projects/{project_id}/fonts/{font_id}")
def use_font(ctx: Ctx, project_id: str, font_id: Id) -> KeptFont:
    """Keep an installed font; titles then refer to it, and the project takes it along."""
    ctx.studio.projects.get(project_id)
    asset, name = keep_machine_font(ctx.studio, font_id)
    return KeptFont(asset=asset, name=name)


def _keep_font(ctx: Context, name: str, path: FilePath) -> KeptFont:
    look_at(examine_font, path, name)
    return KeptFont(asset=ctx.studio.assets.take(path), name=name[:80])


def examine_font(path: FilePath, name: str) -> None:
    """Raises IntakeError for a file that is no font that letters can be set in."""
    if path.stat().st_size > LARGEST_FONT:
        raise IntakeError("That font is larger than 40 MB.")
    set_line("Ag", "grotesque", 400, 0.0, path.read_bytes())
