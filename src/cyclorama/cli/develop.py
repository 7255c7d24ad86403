"""`./cyc check` and `./cyc test`, for developers."""

import os
import subprocess
import sys
from pathlib import Path
from typing import Annotated

import typer

ROOT = Path(__file__).resolve().parents[3]
CHECKS = (
    ("ruff", "check", "."),
    ("ruff", "format", "--check", "."),
    ("mypy",),
    ("pytest", "-q", "tests/test_arrows.py", "tests/test_vocabulary.py"),
)
MOST_CORES = 4
"""Each process of the tests takes about 2 GB, with the server and browser that it runs."""


def check() -> None:
    """Lint, types, order of the rooms, words, scripts, and whether the built CSS is up to date."""
    commands = [[sys.executable, "-m", *step] for step in CHECKS]
    commands.append([str(Path(sys.executable).with_name("lint-imports"))])
    commands.append([sys.executable, "tools/check_scripts.py"])
    commands.append([sys.executable, "tools/build_css.py", "--check"])
    failed = [command for command in commands if subprocess.run(command, cwd=ROOT).returncode]
    typer.echo("Failed: " + ", ".join(" ".join(c[1:] or c) for c in failed) if failed else "All checks passed.")
    raise typer.Exit(1 if failed else 0)


def test(
    context: typer.Context,
    quick: Annotated[
        bool, typer.Option("--quick", help="What to run after every edit: rules and interfaces, in about two minutes.")
    ] = False,  # noqa: PT028  (a command, no test)
) -> None:
    """Run all tests, in a process more than there are cores; further arguments go to pytest instead."""
    from ..core.render.film.tracer import Tracer
    from ..core.render.warm import warm_up

    with Tracer() as tracer:  # or all processes would compile the same kernels
        warm_up(tracer)
    # one more than cores: tests wait for workers and browsers about a third of the time
    processes = min(os.cpu_count() or 2, MOST_CORES) + 1
    arguments = context.args or f"-n {processes} --dist loadfile --no-loadscope-reorder --durations 25".split()
    arguments += ["--quick"] if quick else []
    raise typer.Exit(subprocess.run([sys.executable, "-m", "pytest", *arguments], cwd=ROOT).returncode)
