"""JSON and files: calling takes, following them, checking and delivering them."""

import io
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import FileResponse, Response, StreamingResponse
from PIL import Image
from pydantic import BaseModel

from ..core.clip.encode import encode_mp4
from ..core.errors import NotFoundError, ShootError
from ..core.motion import FrameRate
from ..core.picture.mix import LightChange, light_layer_names, mixed
from ..core.picture.view import to_bytes, to_display
from ..core.render.outputs import pass_extension
from ..core.sequence.names import sequence_stem
from ..core.sequence.seam import check_seam, display_picture
from ..core.sheet import readiness, review
from ..core.sheet.words import duration
from ..shoot import desk
from ..shoot.frames import frame_path, pass_path, thumb_path
from ..shoot.mixing import read_lights
from ..store import Studio, TakeRecord
from .context import Context, context

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]


class Call(BaseModel):
    forecast_s: float | None = None


def take_state(take: TakeRecord) -> dict[str, Any]:
    """A take for the shoot log and the screening room."""
    done = sorted(n for n in take.frames if n in take.numbers)
    seconds = [take.frames[n].seconds for n in done]
    lost = [take.frames[n].clamped for n in done if take.frames[n].clamped is not None]
    mean = sum(seconds) / len(seconds) if seconds else None
    left = None if mean is None else mean * (len(take.numbers) - len(done))
    s, move = take.project.shoot, take.project.move
    return {
        "id": take.id, "project_id": take.project_id, "project_name": take.project.name, "name": take.name,
        "state": take.state, "message": take.message, "first": take.first, "last": take.last, "done": done,
        "seconds": sum(seconds), "mean_s": mean, "left_s": left, "left": duration(left) if left else None,
        "spent": duration(sum(seconds)) if seconds else None,
        "forecast": duration(take.forecast_s) if take.forecast_s else None,
        "width": s.width, "height": s.height, "samples": s.samples, "format": s.file_format, "move": move.name,
        "clamped": sum(lost) / len(lost) if lost else None,
        "rate": [move.rate_num, move.rate_den], "loops": move.kind != "hold" and len(take.numbers) == move.frames,
        "created": take.created.isoformat(timespec="minutes"), "stem": sequence_stem(take.project),
        "passes": [n for n in take.project.shoot.passes.wanted if pass_extension(take.project, n) in ("png", "jpg")],
        "lights": light_layer_names(take.project) if "lights" in take.project.shoot.passes.wanted else [],
        "source_id": take.source_id,
    }  # fmt: skip


@router.get("/projects/{project_id}/readiness")
def shoot_readiness(ctx: Ctx, project_id: str, seconds: float | None = None, spread: float = 0.0) -> dict[str, Any]:
    """What will be shot and what is odd about it."""
    project = ctx.studio.projects.get(project_id).project
    forecast = None if seconds is None else (seconds, spread)
    return readiness(review(project, ctx.studio.measures(project)), forecast).model_dump()


@router.post("/projects/{project_id}/takes")
def call_take(ctx: Ctx, project_id: str, call: Call) -> dict[str, Any]:
    """Queue a take of the project as it stands."""
    return take_state(desk.call_take(ctx.studio, ctx.studio.projects.get(project_id), call.forecast_s))


@router.get("/takes")
def all_takes(ctx: Ctx, project: str | None = None) -> list[dict[str, Any]]:
    return [take_state(t) for t in ctx.studio.takes.all(project)]


@router.get("/takes/{take_id}")
def one_take(ctx: Ctx, take_id: str) -> dict[str, Any]:
    return take_state(ctx.studio.takes.get(take_id))


@router.delete("/takes/{take_id}")
def remove(ctx: Ctx, take_id: str) -> dict[str, bool]:
    desk.remove(ctx.studio, take_id)
    return {"removed": True}


def _file(path: Path, what: str) -> FileResponse:
    if not path.exists():
        raise NotFoundError(f"{what} is not there.")
    return FileResponse(path, headers={"cache-control": "no-cache"})


@router.get("/takes/{take_id}/frames/{number}")
def frame(ctx: Ctx, take_id: str, number: int) -> FileResponse:
    return _file(frame_path(ctx.studio.takes.get(take_id), number), f"Frame {number}")


@router.get("/takes/{take_id}/thumbs/{number}")
def thumb(ctx: Ctx, take_id: str, number: int) -> FileResponse:
    return _file(thumb_path(ctx.studio.takes.get(take_id), number), f"Frame {number}")


def _finished_frames(studio: Studio, take_id: str) -> tuple[TakeRecord, list[Path]]:
    take = studio.takes.get(take_id)
    paths = [frame_path(take, n) for n in take.numbers if n in take.frames]
    if not paths:
        raise ShootError("No frame of this take is finished yet.")
    return take, paths


@router.get("/takes/{take_id}/seam")
def seam(ctx: Ctx, take_id: str) -> dict[str, Any]:
    """The seam check on the pictures."""
    take, paths = _finished_frames(ctx.studio, take_id)
    if take.project.shoot.file_format not in ("png", "jpeg"):
        raise ShootError("The seam check reads PNG and JPEG frames.")
    check = check_seam([display_picture(p) for p in paths])
    complete = len(paths) == take.project.move.frames
    sentence = check.sentence if complete else "Not all frames of the loop are there yet."
    return {"sentence": sentence, "seam": check.seam, "steps": check.steps, "median": check.median}


def _clip_of(ctx: Context, take_id: str, loops: int) -> tuple[TakeRecord, list[Path], Path, int]:
    take, paths = _finished_frames(ctx.studio, take_id)
    if take.project.shoot.file_format not in ("png", "jpeg"):
        raise ShootError("Clips are made from PNG or JPEG frames; these have no look or size of their own.")
    loops = min(max(loops, 1), 20)
    return take, paths, take.folder / f"{sequence_stem(take.project)}{'' if loops == 1 else f'_x{loops}'}.mp4", loops


@router.post("/takes/{take_id}/clip")
def make_clip(ctx: Ctx, take_id: str, loops: int = 1) -> dict[str, Any]:
    """Begin to encode the take; follow it with GET, stop it with DELETE, then fetch clip.mp4."""
    take, paths, target, loops = _clip_of(ctx, take_id, loops)
    rate = FrameRate(take.project.move.rate_num, take.project.move.rate_den).fraction
    return ctx.clips.start(paths, rate, target, loops).as_json()


@router.get("/takes/{take_id}/clip")
def clip_progress(ctx: Ctx, take_id: str, loops: int = 1) -> dict[str, Any]:
    return ctx.clips.get(_clip_of(ctx, take_id, loops)[2]).as_json()


@router.delete("/takes/{take_id}/clip")
def stop_clip(ctx: Ctx, take_id: str, loops: int = 1) -> dict[str, Any]:
    job = ctx.clips.get(_clip_of(ctx, take_id, loops)[2])
    job.stop.set()
    return job.as_json()


@router.get("/takes/{take_id}/clip.mp4")
def clip(ctx: Ctx, take_id: str, loops: int = 1) -> FileResponse:
    """The take as an H.264 clip; made once for the frames as they are."""
    take, paths, target, loops = _clip_of(ctx, take_id, loops)
    newest = max(p.stat().st_mtime for p in paths)
    if not target.exists() or target.stat().st_mtime < newest:
        encode_mp4(paths, FrameRate(take.project.move.rate_num, take.project.move.rate_den).fraction, target, loops)
    return FileResponse(target, media_type="video/mp4", filename=target.name)


@router.get("/takes/{take_id}/passes/{name}/{number}")
def pass_frame(ctx: Ctx, take_id: str, name: str, number: int) -> FileResponse:
    take = ctx.studio.takes.get(take_id)
    if name not in take.project.shoot.passes.wanted:
        raise NotFoundError(f"This take has no pass called ‘{name[:40]}’.")
    return _file(pass_path(take, name, number), f"Frame {number} of ‘{name}’")  # type: ignore[arg-type]


@router.get("/takes/{take_id}/mix/{number}")
def mix(ctx: Ctx, take_id: str, number: int, request: Request) -> Response:
    """A frame with its lights re-balanced: `?light Key=1.5` in stops, `?light Key=0,1,0.8,0.6` with a linear colour."""
    take = ctx.studio.takes.get(take_id)
    if "lights" not in take.project.shoot.passes.wanted:
        raise ShootError("The lights of this take were not kept apart; shoot it with the pass ‘Every light apart’.")
    changes = {name: _light_change(value) for name, value in request.query_params.items()}
    layers, _ = read_lights(take, number)
    buffer = io.BytesIO()
    # the layers are exposed already
    shown = to_bytes(to_display(mixed(layers, changes), take.project.look.view))
    Image.fromarray(shown).save(buffer, "JPEG", quality=93)
    return Response(buffer.getvalue(), media_type="image/jpeg", headers={"cache-control": "no-cache"})


def _light_change(text: str) -> LightChange:
    try:
        stops, *colour = (float(x) for x in text.split(","))
        return LightChange(stops=stops, colour=tuple(colour) or (1.0, 1.0, 1.0))  # type: ignore[arg-type]
    except ValueError as error:
        raise ShootError("A light is changed by −20 to 20 stops, and red, green and blue from 0 to 1.") from error


@router.post("/takes/{take_id}/rebalance")
def rebalance(ctx: Ctx, take_id: str, balance: dict[str, LightChange]) -> dict[str, Any]:
    """A new take with the lights of this one mixed anew; nothing is rendered."""
    return take_state(desk.call_mix(ctx.studio, take_id, balance))


@router.get("/takes/{take_id}/frames.zip")
def frames_zip(ctx: Ctx, take_id: str) -> StreamingResponse:
    """All finished frames in a zip, made while it is sent."""
    take, paths = _finished_frames(ctx.studio, take_id)
    stem = sequence_stem(take.project)
    return StreamingResponse(
        _zip_chunks(paths, stem), media_type="application/zip",
        headers={"content-disposition": f'attachment; filename="{stem}.zip"'},
    )  # fmt: skip


@router.post("/takes/{take_id}/{action}")
def act(ctx: Ctx, take_id: str, action: str) -> dict[str, Any]:
    """pause, stop, resume"""
    actions = {"pause": desk.pause, "stop": desk.stop, "resume": desk.resume}
    if action not in actions:
        raise NotFoundError(f"A take cannot be asked to ‘{action[:40]}’.")
    actions[action](ctx.studio, take_id)
    return take_state(ctx.studio.takes.get(take_id))


class _Sink(io.RawIOBase):
    """A file that hands over what was written since the last look."""

    def __init__(self) -> None:
        self._chunks: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        self._chunks.append(bytes(data))
        return len(data)

    def taken(self) -> bytes:
        data, self._chunks = b"".join(self._chunks), []
        return data


def _zip_chunks(paths: list[Path], stem: str) -> Iterator[bytes]:
    sink = _Sink()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_STORED) as archive:  # type: ignore[arg-type]
        for path in paths:
            archive.write(path, f"{stem}/{path.name}")
            yield sink.taken()
    yield sink.taken()
