"""JSON and files of what is handed over of a cut: asked for, made in the background, opened again, fetched."""

import json
import zipfile
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Depends, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse, Response, StreamingResponse
from pydantic import BaseModel, ConfigDict, Field

from ...app.cuts import cut_of
from ...app.deliveries import ask_for_delivery
from ...app.shared_work import IsUnwanted
from ...core.cut.compose import enlargements
from ...core.cut.document import Cut
from ...core.cut.edits import whole_cut
from ...core.cut.title_faults import title_faults
from ...core.delivery.destinations import DESTINATIONS, Destination
from ...core.delivery.post import can_be_posted
from ...core.delivery.presets import PRESETS, SCREENS, Delivery, Kind, PresetName
from ...core.delivery.spin import snippet
from ...core.errors import ChangeError, NotFoundError
from ...core.review.phrases import data_size
from ...core.scene.base import Id, Name, new_id
from ...core.scene.writing import derive
from ...gallery.site import CLOSED
from ...shoot.finish.deliver import file_name, folder_of, forecast_of
from ...shoot.finish.take_frames import TakeReel, sizes_of, takes_of
from ...store.cuts import Handed
from ..context import Context, context
from .answers import Removed
from .jobs import JobAnswer
from .packing import Sink

router = APIRouter(prefix="/api")
Ctx = Annotated[Context, Depends(context)]
MOST_AT_ONCE = 24


class PresetAnswer(BaseModel):
    """A way of handing over."""

    name: PresetName
    title: str
    use: str
    kind: Kind
    ending: str
    clear: bool
    sound: bool
    graded: bool
    """it can be coarser or finer"""


class ScreenAnswer(BaseModel):
    title: str
    width: int
    height: int
    """0 × 0: as the cut"""


class DestinationAnswer(BaseModel):
    """A place where a delivery goes."""

    id: str
    name: str
    says: str
    own: bool
    """True: an artist kept it"""
    as_cut: bool
    how: Delivery


class DestinationCall(BaseModel):
    """A place to keep for deliveries of all projects."""

    name: Name
    as_cut: bool = False
    how: Delivery


class Offered(BaseModel):
    """Destinations, presets and shapes on offer."""

    destinations: list[DestinationAnswer]
    presets: list[PresetAnswer]
    screens: list[ScreenAnswer]


class OpenedLine(BaseModel):
    """One thing that was looked at in a delivered file."""

    what: str
    fine: bool
    sentence: str


class DeliveryAnswer(BaseModel):
    """Something that was, or is to be, handed over."""

    id: str
    name: str
    title: str
    delivery: Delivery
    job: JobAnswer | None
    """its job; None when that is long forgotten"""
    done: bool
    fine: bool
    """everything that was looked at was right"""
    report: list[OpenedLine]
    size: str
    postable: bool
    """portfolios show such files"""
    snippet: str | None
    """what is put into another page to show it there"""


class DeliverCall(BaseModel):
    model_config = ConfigDict(
        json_schema_extra={"examples": [{"deliveries": [{"preset": "web", "width": 1920, "height": 1080}]}]}
    )

    deliveries: Annotated[list[Delivery], Field(min_length=1, max_length=MOST_AT_ONCE)]


Side = Annotated[int, Field(ge=16, le=8192)]


class SizesCall(BaseModel):
    sizes: Annotated[tuple[tuple[Side, Side], ...], Field(max_length=MOST_AT_ONCE)]
    """width and height, px"""


class SizeFaults(BaseModel):
    """Titles that pictures of a size would cut off, and takes that they would enlarge."""

    width: int
    height: int
    sentences: list[str]


class ForecastLine(BaseModel):
    """Forecast of a file's size."""

    bytes: int | None
    """None: not told before"""
    says: str


@router.get("/presets")
def presets(ctx: Ctx) -> Offered:
    """Destinations and presets in plain words, and sizes that are asked for."""
    ready = [_place(d, own=False) for d in DESTINATIONS]
    return Offered(
        destinations=ready + [_place(d, own=True) for d in ctx.studio.destinations.all()],
        presets=[
            PresetAnswer(
                name=name,
                title=c.title,
                use=c.use,
                kind=c.kind,
                ending=c.ending,
                clear=c.clear,
                sound=bool(c.sound),
                graded=len(c.ladder) > 1,
            )
            for name, c in PRESETS.items()
        ],
        screens=[ScreenAnswer(title=s.title, width=s.width, height=s.height) for s in SCREENS],
    )


def _place(one: Destination, own: bool) -> DestinationAnswer:
    return DestinationAnswer(id=one.id, name=one.name, says=one.in_words, own=own, as_cut=one.as_cut, how=one.how)


@router.post("/destinations", status_code=201)
def keep_destination(ctx: Ctx, call: DestinationCall) -> DestinationAnswer:
    """Keep a way of handing over for all projects; in the place of the one of its name, where there is one."""
    if any(d.name == call.name for d in DESTINATIONS):
        raise ChangeError(f"‘{call.name}’ comes with the program. Choose another name.")
    how = derive(call.how, first=None, last=None, poster=None)
    one = Destination(id=new_id("destination"), name=call.name, as_cut=call.as_cut, how=how)
    return _place(ctx.studio.destinations.keep(one), own=True)


@router.delete("/destinations/{identity}")
def remove_destination(ctx: Ctx, identity: Id) -> Removed:
    """Put a kept destination into the bin."""
    ctx.studio.destinations.remove(identity)
    return Removed()


@router.get("/projects/{project_id}/deliveries")
def all_of(ctx: Ctx, project_id: str) -> list[DeliveryAnswer]:
    """Deliveries of a project, the last first."""
    ctx.studio.projects.version(project_id)
    return [_answer(ctx, handed) for handed in ctx.studio.cuts.handed(project_id)]


@router.post("/projects/{project_id}/deliveries")
def deliver(ctx: Ctx, project_id: str, call: DeliverCall) -> list[DeliveryAnswer]:
    """Hand the cut over as it is now, in one or several ways; they are made one after the other."""
    cut = cut_of(ctx.studio, project_id).cut
    whole_cut(cut)
    for fault in TakeReel(ctx.studio, cut, ctx.masters, complete=True).faults():
        raise ChangeError(fault)
    name = ctx.studio.projects.get(project_id).project.name
    handed = [ctx.studio.cuts.hand_over(project_id, file_name(name, d), d, cut) for d in call.deliveries]
    for one in handed:
        ask_for_delivery(ctx.work, one)
    return [_answer(ctx, one) for one in handed]


@router.post("/projects/{project_id}/deliveries/forecast")
async def foretell(ctx: Ctx, request: Request, project_id: str, delivery: Delivery) -> ForecastLine:
    """About how large a delivery of the cut as it is now would be: pieces of it are written for real."""
    state = await run_in_threadpool(cut_of, ctx.studio, project_id)
    key = ("delivery", project_id, state.version, delivery.model_dump_json())
    return await ctx.forecasts.answer(request, key, partial(_foretold, ctx, project_id, state.cut, delivery))


def _foretold(ctx: Context, project_id: str, cut: Cut, delivery: Delivery, _: IsUnwanted) -> ForecastLine:
    whole_cut(cut)
    found = forecast_of(ctx.studio, project_id, cut, delivery)
    if found is None:
        return ForecastLine(bytes=None, says="Its size shows when it is made.")
    rate = f", {found.bits_s / 1e6:.1f} Mbit/s" if delivery.coding.kind == "moving" else ""
    return ForecastLine(bytes=found.bytes, says=f"About {data_size(found.bytes)}{rate}.")


@router.post("/projects/{project_id}/deliveries/faults")
async def check_sizes(ctx: Ctx, request: Request, project_id: str, call: SizesCall) -> list[SizeFaults]:
    """Faults of pictures of some sizes, of the cut as it is now."""
    state = await run_in_threadpool(cut_of, ctx.studio, project_id)

    def faults(_: IsUnwanted) -> list[SizeFaults]:
        takes = sizes_of(takes_of(ctx.studio, state.cut.take_ids))
        read = ctx.studio.assets.get
        return [
            SizeFaults(
                width=w, height=h, sentences=title_faults(state.cut, w, h, read) + enlargements(state.cut, takes, w, h)
            )
            for w, h in call.sizes
        ]

    return await ctx.eyes.answer(request, ("faults", project_id, state.version, call.sizes), faults)


def _answer(ctx: Context, handed: Handed) -> DeliveryAnswer:
    job = ctx.studio.jobs.find("delivery", handed.id)
    report = [OpenedLine(**line) for line in json.loads(handed.report)] if handed.report else []
    spin = handed.delivery.coding.kind == "spin"
    title = ctx.studio.projects.get(handed.project_id).project.name if spin else ""
    return DeliveryAnswer(
        id=handed.id,
        name=handed.name,
        title=handed.delivery.coding.title,
        delivery=handed.delivery,
        job=JobAnswer.of(job) if job else None,
        done=handed.report is not None,
        fine=all(x.fine for x in report),
        report=report,
        size=data_size(handed.bytes) if handed.report else "",
        postable=can_be_posted(handed.delivery),
        snippet=snippet(handed.name, handed.delivery.width, handed.delivery.height, title) if spin else None,
    )


@router.delete("/deliveries/{delivery_id}")
def remove(ctx: Ctx, delivery_id: str) -> Removed:
    """Put a delivery into the bin; one that is being made is stopped."""
    ctx.work.stop("delivery", delivery_id)
    ctx.studio.binned.put("delivery", delivery_id)
    return Removed()


@router.post("/deliveries/{delivery_id}/again")
def again(ctx: Ctx, delivery_id: str) -> DeliveryAnswer:
    """Make one that failed or was stopped once more."""
    handed = ctx.studio.cuts.one(delivery_id)
    ask_for_delivery(ctx.work, handed)
    return _answer(ctx, handed)


@router.get("/deliveries/{delivery_id}/file")
def fetch(ctx: Ctx, delivery_id: str, inline: bool = False) -> Response:
    """The file; a folder of frames as a zip."""
    handed = ctx.studio.cuts.one(delivery_id)
    path = folder_of(ctx.studio, handed.project_id) / handed.name
    if handed.report is None or not path.exists():
        raise NotFoundError("It is not finished, or its file was removed. Deliver it again.")
    if path.is_dir():
        named = {"content-disposition": f"attachment; filename*=UTF-8''{quote(handed.name)}.zip"}
        return StreamingResponse(_zipped(path), media_type="application/zip", headers=named)
    return FileResponse(
        path,
        filename=handed.name,
        content_disposition_type="inline" if inline else "attachment",
        headers=CLOSED if handed.delivery.coding.kind == "spin" else None,
    )


def _zipped(folder: Path) -> Iterator[bytes]:
    sink = Sink()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_STORED) as archive:
        for file in sorted(folder.iterdir()):
            archive.write(file, f"{folder.name}/{file.name}")
            yield sink.taken()
    yield sink.taken()
