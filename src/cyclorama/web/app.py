"""The web application."""

from collections.abc import AsyncIterator, Callable, Iterable
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI
from fastapi.staticfiles import StaticFiles

from .. import gallery
from ..app.bin import emptying_of_bin
from ..app.confined import make_ready
from ..app.cuts import OpenCuts
from ..app.job_kinds import job_kinds
from ..app.jobs import JobRunner
from ..app.lens import Lens
from ..app.made_environments import MadeEnvironments
from ..app.posters import Posters
from ..app.posts import OwnGallery
from ..app.puppets import Puppets
from ..app.shared_work import SharedWork
from ..app.take_log import TakeLog
from ..app.uploads import sweep_incoming
from ..app.wall import Wall
from ..gallery.site import create_site
from ..shoot.finish.masters import Masters
from ..shoot.run.watch import Watch, mark_interrupted
from ..store import Studio
from ..store.backup import daily_backup
from ..store.garbage import garbage_collection
from ..version import PROGRAM_VERSION
from .api import (
    bin,
    bundles,
    checks,
    colours,
    cuts,
    deliveries,
    environments,
    grades,
    jobs,
    light_bench,
    looks,
    marks,
    moves,
    notes,
    parts,
    posts,
    projects,
    proofs,
    ready_stock,
    rigs,
    schema,
    screening,
    standins,
    stock,
    take_views,
    takes,
    tokens,
    touch,
    tray,
)
from .changed_answers import ChangedAnswers
from .context import Context
from .description import describe, operation_id, tag
from .guard import COOKIE, Guard
from .live import lens as lens_socket
from .live import news
from .pages import routes as pages
from .problems import answer_problems

HERE = Path(__file__).parent
MODULES = (
    pages,
    projects,
    moves,
    proofs,
    jobs,
    standins,
    screening,
    notes,
    take_views,
    grades,
    checks,
    takes,
    news,
    lens_socket,
    touch,
    tray,
    parts,
    bin,
    tokens,
    rigs,
    schema,
    light_bench,
    looks,
    marks,
    environments,
    colours,
    ready_stock,
    stock,
    bundles,
    cuts,
    deliveries,
    posts,
)
"""Pages and requests, in the order in which the description shows them."""


def create_app(
    folder: Path,
    hosts: Iterable[str] = (),
    key: str | None = None,
    gallery_origin: str | None = None,
    lens_samples: int | None = None,
    building: Callable[[], dict[str, Path]] = dict,
) -> FastAPI:
    """The application over one data folder; see `Guard` for hosts and key.

    gallery_origin: where the studio reaches itself, to show the gallery there; None: without it
    lens_samples: samples at which a picture of the lens is done; None: all
    building: posters of projects that are being built by now, by their names
    """
    cookies = {} if key is None else {COOKIE: key}
    own_gallery = None if gallery_origin is None else OwnGallery(gallery_origin, cookies)

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        studio = Studio(folder)
        mark_interrupted(studio)
        sweep_incoming(studio)
        make_ready()
        watch, wall = Watch(studio), Wall(studio)
        tidying = daily_backup(folder), garbage_collection(studio), emptying_of_bin(studio)
        housekeeping = (*tidying, wall.verification())
        watch.start()
        for task in housekeeping:
            task.start()
        lens = Lens(studio, lens_samples)
        forecasts, eyes = SharedWork("forecasts", 1), SharedWork("eyes", 4, 256)
        work = JobRunner(studio, job_kinds(studio, lens, own_gallery))
        work.start()
        masters = Masters(studio)
        app.state.context = Context(
            studio,
            lens,
            work,
            Puppets(studio),
            Posters(studio, lens, work),
            MadeEnvironments(studio),
            masters,
            OpenCuts(studio, masters),
            TakeLog(studio),
            wall,
            forecasts,
            eyes,
            ChangedAnswers(),
            own_gallery,
            building,
        )
        yield
        watch.close()
        for service in (forecasts, eyes, *housekeeping):
            service.close()
        work.close()
        lens.close()

    # no pages about the interface: they would load scripts from elsewhere
    app = FastAPI(
        title="Cyclorama",
        version=PROGRAM_VERSION,
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        generate_unique_id_function=operation_id,
    )
    answer_problems(app)
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    for module in MODULES:
        app.include_router(module.router, tags=[tag(module)["name"]])
    describe(app, MODULES)
    if own_gallery is not None:
        app.mount(gallery.PATH, create_site(folder / "gallery"))

    def admits(secret: str) -> bool:
        studio: Studio = app.state.context.studio
        return studio.tokens.admits(secret)

    app.add_middleware(Guard, hosts=tuple(hosts), key=key, admits=admits)
    return app
