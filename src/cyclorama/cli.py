"""The command line: demo, run, shoot, bench, check, test."""

import os
import socket
import subprocess
import sys
import threading
import time
import webbrowser
from pathlib import Path
from typing import Annotated

import typer

ROOT = Path(__file__).resolve().parents[2]
HOME = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "cyclorama"

app = typer.Typer(
    add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False, rich_markup_mode="markdown",
    help="**Cyclorama**: a photo studio in a browser. Bring a model, set it, light it, give the camera a move, "
    "shoot, screen, deliver.",
)  # fmt: skip

Port = Annotated[int, typer.Option(help="Port on 127.0.0.1; the next free one is taken if it is in use.")]
NoOpen = Annotated[bool, typer.Option("--no-open", help="Do not open a browser window.")]


@app.command()
def demo(
    port: Port = 8765,
    data: Annotated[Path, typer.Option(help="Folder for the demo's data.")] = HOME / "demo",
    no_open: NoOpen = False,
) -> None:
    """Start with the made-up studio's two projects. The data is written on first use."""
    from .demo.write import write_demo

    write_demo(data, lambda what: typer.echo(f"{what} …"))
    _serve(data, port, no_open)


@app.command()
def run(
    port: Port = 8765,
    data: Annotated[Path, typer.Option(help="Folder for your projects.")] = HOME / "studio",
    no_open: NoOpen = False,
) -> None:
    """Start with your own projects."""
    _serve(data, port, no_open)


def _free_port(wanted: int) -> int:
    for port in range(wanted, wanted + 50):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
                return port
            except OSError:
                continue
    raise typer.Exit(f"No free port between {wanted} and {wanted + 49}.")


def _serve(data: Path, wanted: int, no_open: bool) -> None:
    import uvicorn

    from .web.app import create_app

    port = _free_port(wanted)
    address = f"http://127.0.0.1:{port}/"
    server = uvicorn.Server(
        uvicorn.Config(create_app(data), host="127.0.0.1", port=port, log_level="warning", timeout_graceful_shutdown=2)
    )

    def announce() -> None:
        while not server.started and not server.should_exit:
            time.sleep(0.02)
        if server.started:
            took = time.time() - float(os.environ.get("CYC_STARTED", time.time()))
            typer.echo(f"Cyclorama is open at {address}  (started in {took:.1f} s, data in {data}, Ctrl+C to close)")
            if not no_open:
                webbrowser.open(address)

    threading.Thread(target=announce, daemon=True).start()
    server.run()


@app.command()
def shoot(
    project: Annotated[str, typer.Argument(help="Project name or id.")],
    shot: Annotated[str | None, typer.Option(help="Name of the move; only to make sure it is the right one.")] = None,
    frames: Annotated[str | None, typer.Option(help="Frames to shoot, e.g. 1-48 or 7.")] = None,
    samples: Annotated[int | None, typer.Option(help="Samples per pixel instead of the project's.")] = None,
    data: Annotated[Path, typer.Option(help="Data folder.")] = HOME / "studio",
    resume: Annotated[str | None, typer.Option(help="Id of a take to go on with.")] = None,
) -> None:
    """Shoot without a browser. Ctrl+C stops; `--resume` goes on with what is missing."""
    from .shoot.command import shoot_in_terminal

    sys.exit(shoot_in_terminal(data, project, shot, frames, samples, resume))


@app.command()
def bench(
    project: Annotated[str, typer.Option(help="storm-glass-no-4 or harbour-lantern.")] = "storm-glass-no-4",
    growth: Annotated[bool, typer.Option("--growth", help="How time grows with triangles, lights, pixels.")] = False,
    flicker: Annotated[bool, typer.Option("--flicker", help="What denoising with neighbours gains.")] = False,
) -> None:
    """Measure the renderer on a demo project; figures are ratios within this one run."""
    from .bench import run_bench
    from .bench_flicker import run_flicker
    from .bench_growth import run_growth

    if flicker:
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
    """Run all tests; further arguments go to pytest."""
    raise typer.Exit(subprocess.run([sys.executable, "-m", "pytest", *context.args], cwd=ROOT).returncode)
