"""`./cyc check` and `./cyc test`, for developers."""

import subprocess
import sys
from pathlib import Path

import typer

ROOT = Path(__file__).resolve().parents[3]


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


def test(context: typer.Context) -> None:
    """Run all tests, a file of them at a time in each of two processes; further arguments go to pytest instead."""
    from ..core.render.film.tracer import Tracer
    from ..core.render.warm import warm_up

    with Tracer() as tracer:  # or all processes would compile the same kernels
        warm_up(tracer)
    arguments = context.args or ["-n", "2", "--dist", "loadfile", "--no-loadscope-reorder", "--durations", "25"]
    raise typer.Exit(subprocess.run([sys.executable, "-m", "pytest", *arguments], cwd=ROOT).returncode)
