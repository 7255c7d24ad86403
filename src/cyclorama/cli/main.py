"""The command line: every command a module here."""

import typer

from .bench import bench
from .bundle import bundle, open_
from .cluster import scheduler, worker
from .deliver import cut, deliver
from .demo import demo
from .develop import check, test
from .restore import restore
from .run import run
from .shoot import shoot
from .tidy import tidy
from .turn import turn

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    rich_markup_mode="markdown",
    help="**Cyclorama**: a photo studio in a browser. Bring a model, set it, light it, give the camera a move, "
    "shoot, screen, deliver.",
)
for command in (demo, run, turn, tidy, restore, shoot, cut, deliver, bundle, worker, scheduler, bench, check):
    app.command()(command)
app.command("open")(open_)
app.command(context_settings={"allow_extra_args": True, "ignore_unknown_options": True})(test)
