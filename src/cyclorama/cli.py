"""The command line: demo, run, shoot, bench, check, test."""

import errno
import os
import secrets
import socket
import subprocess
import sys
import threading
import time
import webbrowser
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Annotated

import typer

ROOT = Path(__file__).resolve().parents[2]
LOCAL = "127.0.0.1"
HOME = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "cyclorama"

app = typer.Typer(
    add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False, rich_markup_mode="markdown",
    help="**Cyclorama**: a photo studio in a browser. Bring a model, set it, light it, give the camera a move, "
    "shoot, screen, deliver.",
)  # fmt: skip

Port = Annotated[int, typer.Option(min=0, max=65535, help="The next free port is taken if it is in use; 0 takes any.")]
Host = Annotated[
    str, typer.Option(help="Address to listen at. Beyond this machine, 0.0.0.0 say, the studio asks for a key.")
]
AllowHost = Annotated[list[str], typer.Option(help="Another name under which the studio may be opened.")]
Cluster = Annotated[
    str | None, typer.Option(envvar="CYC_CLUSTER", help="Scheduler of a cluster that shoots, tcp://name:8786 say.")
]
NoOpen = Annotated[bool, typer.Option("--no-open", help="Do not open a browser window.")]


Data = Annotated[Path, typer.Option(help="Data folder.")]


@app.command()
def demo(
    port: Port = 8765,
    data: Annotated[Path, typer.Option(help="Folder for the demo's data.")] = HOME / "demo",
    no_open: NoOpen = False,
    host: Host = LOCAL,
    allow_host: AllowHost = [],  # noqa: B006  (typer reads it, nobody changes it)
    cluster: Cluster = None,
) -> None:
    """Start with the made-up studio's two projects. The data is written on first use."""
    from .demo.write import write_demo

    with _told():
        _shoot_on(cluster)
        write_demo(data, lambda what: typer.echo(f"{what} …"))
    _serve(data, host, port, no_open, allow_host, gallery=True)


@app.command()
def run(
    port: Port = 8765,
    data: Annotated[Path, typer.Option(help="Folder for your projects.")] = HOME / "studio",
    no_open: NoOpen = False,
    host: Host = LOCAL,
    allow_host: AllowHost = [],  # noqa: B006
    cluster: Cluster = None,
    gallery: Annotated[bool, typer.Option("--gallery", help="Show a made-up portfolio service to post to.")] = False,
) -> None:
    """Start with your own projects."""
    with _told():
        _shoot_on(cluster)
    _serve(data, host, port, no_open, allow_host, gallery)


@app.command()
def tidy(data: Data = HOME / "studio") -> None:
    """Move files that no project, undo, take or daily copy needs into the bin, where they lie for 30 days."""
    from .core.review.phrases import data_size
    from .store import open_studio
    from .store.garbage import collect_garbage

    with _told():
        collected = collect_garbage(open_studio(data))
    count, size = collected.files, data_size(collected.bytes)
    typer.echo(f"Moved {count} files, {size}, into {collected.bin.folder}." if count else "Every file is needed.")
    for day in collected.bin.days():
        typer.echo(f"  {day.day}: {day.files} files, {data_size(day.bytes)}, deleted on {day.deleted_on}")


@app.command()
def restore(
    day: Annotated[datetime | None, typer.Option(formats=["%Y-%m-%d"], help="The copy of this day.")] = None,
    data: Data = HOME / "studio",
) -> None:
    """Go back to the newest sound daily copy of the database; the present one is kept beside it."""
    from .store.backup import day_of
    from .store.backup import restore as restore_copy

    with _told():
        restored = restore_copy(data, day.date() if day else None)
    aside = f"; the one before is kept as {restored.replaced}" if restored.replaced else ""
    typer.echo(f"The database is that of {day_of(restored.copy)} again{aside}.")
    for note in restored.notes:
        typer.echo(f"  {note}")


@contextmanager
def _told() -> Iterator[None]:
    """Errors that can occur before the studio is open, as a sentence in the terminal."""
    from .core.errors import CycloramaError

    try:
        yield
    except CycloramaError as error:
        typer.echo(error.sentence, err=True)
        raise typer.Exit(1) from error


def _listening(host: str, wanted: int) -> socket.socket:
    """A socket that listens at a port, or at the next that is free. Raises typer.Exit with a sentence."""
    try:
        family, *_ = socket.getaddrinfo(host, None, type=socket.SOCK_STREAM)[0]
    except OSError as error:
        typer.echo(f"There is no address ‘{host}’ on this machine. Leave --host away, or give 0.0.0.0.", err=True)
        raise typer.Exit(1) from error
    last = min(wanted + 50, 65536)
    for port in range(wanted, last):
        listener = socket.socket(family, socket.SOCK_STREAM)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, port))
            return listener
        except OSError as error:
            listener.close()
            if error.errno != errno.EADDRINUSE:
                typer.echo(f"Nothing can listen at {host}:{port}: {error.strerror}. Try another --port.", err=True)
                raise typer.Exit(1) from error
    typer.echo(f"No port between {wanted} and {last - 1} is free. Try another --port.", err=True)
    raise typer.Exit(1)


def _serve(data: Path, host: str, wanted: int, no_open: bool, allowed: list[str], gallery: bool) -> None:
    import psutil

    from .store import open_studio
    from .web.app import create_app
    from .web.guard import LOOPBACK
    from .web.serve import server_for

    with _told():
        studio = open_studio(data)
        for sentence in studio.findings:
            typer.echo(sentence)
        studio.close()
    listener = _listening(host, wanted)
    port = listener.getsockname()[1]
    local = host in {name.strip("[]") for name in LOOPBACK}
    key = None if local else secrets.token_urlsafe(16)
    name = "127.0.0.1" if host in ("0.0.0.0", "::", "localhost") else f"[{host}]" if ":" in host else host
    address = f"http://{name}:{port}/{f'?key={key}' if key else ''}"
    hosts = [*allowed, *([] if local else [name, socket.gethostname(), *_own_addresses()])]
    server = server_for(create_app(data, hosts, key, f"http://{name}:{port}" if gallery else None))

    def announce() -> None:
        while not server.started and not server.should_exit:
            time.sleep(0.02)
        if server.started:
            took = time.time() - float(os.environ.get("CYC_STARTED", psutil.Process().create_time()))
            typer.echo(f"Cyclorama is open at {address}  (started in {took:.1f} s, data in {data}, Ctrl+C to close)")
            if key:
                typer.echo("It is open to the network: whoever has this address with its key can see and change all.")
            if not no_open:
                webbrowser.open(address)

    threading.Thread(target=announce, daemon=True).start()
    server.run(sockets=[listener])


def _own_addresses() -> set[str]:
    """Numbers under which this machine can be reached."""
    import psutil

    addresses = [a for interface in psutil.net_if_addrs().values() for a in interface]
    return {a.address for a in addresses if a.family == socket.AF_INET} | {
        f"[{a.address.split('%')[0]}]" for a in addresses if a.family == socket.AF_INET6
    }


@app.command()
def shoot(
    project: Annotated[str, typer.Argument(help="Project name or id.")],
    shot: Annotated[str | None, typer.Option(help="Name of the move; only to make sure it is the right one.")] = None,
    frames: Annotated[str | None, typer.Option(help="Frames to shoot, e.g. 1-48 or 7.")] = None,
    samples: Annotated[int | None, typer.Option(help="Samples per pixel instead of the project's.")] = None,
    data: Data = HOME / "studio",
    resume: Annotated[str | None, typer.Option(help="Id of a take to go on with.")] = None,
    cluster: Cluster = None,
) -> None:
    """Shoot without a browser. Ctrl+C stops; `--resume` goes on with what is missing."""
    from .shoot.command import shoot_in_terminal

    with _told():
        _shoot_on(cluster)
    sys.exit(shoot_in_terminal(data, project, shot, frames, samples, resume))


Preset = Annotated[str, typer.Option(help="web, fine, small, gif-loop, clear-loop, master, png, spin, sheet …")]
Size = Annotated[str | None, typer.Option(help="Width and height, 1080x1920 say; else that of the cut.")]
Fits = Annotated[float | None, typer.Option(help="Million bytes it must fit in; the quality is found.")]
Rounds = Annotated[int, typer.Option(help="How often all of it is shown.")]


@app.command()
def cut(
    project: Annotated[str, typer.Argument(help="Project name or id.")],
    preset: Preset = "web",
    size: Size = None,
    fits: Fits = None,
    rounds: Rounds = 1,
    data: Data = HOME / "studio",
) -> None:
    """Hand over the cut of a project without a browser; the file is opened again and what is found is told."""
    from .shoot.deliver_command import deliver_in_terminal

    sys.exit(deliver_in_terminal(data, project, None, preset, size, fits, rounds))


@app.command()
def deliver(
    take: Annotated[str, typer.Argument(help="Id of a take, as in its address.")],
    preset: Preset = "web",
    size: Size = None,
    fits: Fits = None,
    rounds: Rounds = 1,
    data: Data = HOME / "studio",
) -> None:
    """Hand over a take alone without a browser."""
    from .shoot.deliver_command import deliver_in_terminal

    sys.exit(deliver_in_terminal(data, None, take, preset, size, fits, rounds))


@app.command()
def bundle(
    project: Annotated[str, typer.Argument(help="Project name or id.")],
    target: Annotated[Path, typer.Argument(help="The file to write, ball.zip say.")],
    data: Data = HOME / "studio",
) -> None:
    """Pack a project with its cut and all files they need into one zip, for another machine. Takes are not in it."""
    from rich.console import Console

    from .core.review.phrases import data_size
    from .shoot.bar import bar
    from .shoot.command import find_project
    from .store import open_studio
    from .store.bundle import pack_bundle

    with _told(), bar(Console(stderr=True)) as tell:
        studio = open_studio(data)
        project_id = find_project(studio, project).project.id
        manifest = pack_bundle(studio, project_id, target, lambda share: tell("Packing", share))
    typer.echo(f"{target}: {len(manifest.files)} files, {data_size(target.stat().st_size)}.")
    if manifest.missing:
        typer.echo(f"{len(manifest.missing)} files it refers to were not there.", err=True)


@app.command("open")
def open_(
    path: Annotated[Path, typer.Argument(help="A bundle.", exists=True, dir_okay=False)],
    data: Data = HOME / "studio",
) -> None:
    """Take a project out of a bundle. Every file is compared with its sum before anything is kept."""
    from rich.console import Console

    from .shoot.bar import bar
    from .store import open_studio
    from .store.bundle import open_bundle

    with _told(), bar(Console(stderr=True)) as tell:
        opened = open_bundle(open_studio(data), path, lambda share: tell("Comparing sums", share))
    typer.echo(f"‘{opened.name}’ is here, as {opened.id}.")
    for sentence in opened.says:
        typer.echo(f"  {sentence}")


@app.command()
def worker(
    cluster: Annotated[str, typer.Argument(help="Address that the scheduler told, tcp://name:8786 say.")],
    name: Annotated[str | None, typer.Option(help="What the shoot log calls this machine.")] = None,
    cores: Annotated[int | None, typer.Option(help="Work with so many cores and leave the others alone.")] = None,
) -> None:
    """Let this machine shoot for every studio on a cluster. Needs nothing but the program; files come by themselves."""
    from .shoot.farm.machine import work_for

    with _told():
        work_for(cluster, name or f"{socket.gethostname()} {os.getpid()}", typer.echo, cores)


@app.command()
def scheduler(
    host: Annotated[
        str, typer.Option(help="Address to listen at; 0.0.0.0 for the network. Mind who reaches it.")
    ] = LOCAL,
    port: Annotated[int, typer.Option(min=1, max=65535)] = 8786,
) -> None:
    """Bring studios and machines together: who reaches it can run programs on all of them, so keep it among friends."""
    from .shoot.farm.machine import schedule

    with _told():
        schedule(host, port, typer.echo)


def _shoot_on(cluster: str | None) -> None:
    """Shoot on a cluster from now on. Raises ShootError for what is no address."""
    if cluster:
        from .shoot.farm.machine import checked

        os.environ["CYC_CLUSTER"] = checked(cluster)


@app.command()
def bench(
    project: Annotated[str, typer.Option(help="storm-glass-no-4 or harbour-lantern.")] = "storm-glass-no-4",
    growth: Annotated[bool, typer.Option("--growth", help="How time grows with triangles, lights, pixels.")] = False,
    flicker: Annotated[bool, typer.Option("--flicker", help="What denoising with neighbours gains.")] = False,
    intake: Annotated[bool, typer.Option("--intake", help="How long models take to come in.")] = False,
    forecast: Annotated[bool, typer.Option("--forecast", help="How far forecasts are off.")] = False,
    farm: Annotated[bool, typer.Option("--farm", help="What many machines gain, simulated.")] = False,
    grading: Annotated[bool, typer.Option("--grading", help="How long a frame takes to be graded.")] = False,
    cutting: Annotated[bool, typer.Option("--cutting", help="How long a cut takes to be delivered.")] = False,
    against: Annotated[str | None, typer.Option(help="Another revision whose pictures and times to compare.")] = None,
) -> None:
    """Measure the renderer on a demo project; figures are ratios within this one run."""
    from .bench.against import run_against
    from .bench.cutting import run_cutting
    from .bench.farm import run_farm
    from .bench.flicker import run_flicker
    from .bench.forecast import run_forecast
    from .bench.grading import run_grading
    from .bench.growth import run_growth
    from .bench.intake import run_intake
    from .bench.renderer import run_bench

    if against:
        run_against(against, typer.echo)
    elif forecast:
        run_forecast(typer.echo)
    elif cutting:
        run_cutting(typer.echo)
    elif grading:
        run_grading(typer.echo)
    elif farm:
        run_farm(typer.echo)
    elif intake:
        run_intake(typer.echo)
    elif flicker:
        run_flicker(typer.echo)
    elif growth:
        run_growth(typer.echo)
    else:
        run_bench(project, typer.echo)


@app.command()
def check() -> None:
    """Lint, types of core, import arrows, and whether the built CSS is up to date."""
    steps = [
        ["ruff", "check", "."],
        ["ruff", "format", "--check", "."],
        ["mypy"],
        ["pytest", "-q", "tests/test_arrows.py"],
    ]
    failed = [s for s in steps if subprocess.run([sys.executable, "-m", *s], cwd=ROOT).returncode]
    css = subprocess.run([sys.executable, str(ROOT / "tools" / "build_css.py"), "--check"], cwd=ROOT)
    if css.returncode:
        failed.append(["tools/build_css.py"])
    typer.echo("Failed: " + ", ".join(" ".join(s) for s in failed) if failed else "All checks passed.")
    raise typer.Exit(1 if failed else 0)


@app.command(context_settings={"allow_extra_args": True, "ignore_unknown_options": True})
def test(context: typer.Context) -> None:
    """Run all tests, a file of them at a time in each of two processes; further arguments go to pytest instead."""
    from .core.render.film.tracer import Tracer
    from .core.render.warm import warm_up

    with Tracer() as tracer:  # or all processes would compile the same kernels
        warm_up(tracer)
    arguments = context.args or ["-n", "2", "--dist", "loadfile", "--no-loadscope-reorder", "--durations", "25"]
    raise typer.Exit(subprocess.run([sys.executable, "-m", "pytest", *arguments], cwd=ROOT).returncode)
