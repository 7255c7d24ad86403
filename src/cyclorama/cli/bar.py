"""A bar in the terminal: what is done, how much of it, and how long it will take."""

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn

from ..core.review.phrases import duration

SOON = 0.02
"""Before this share is done, how long it will take is a guess."""


@contextmanager
def bar(console: Console) -> Iterator[Callable[[str, float], None]]:
    """A bar that is moved by telling what is done and which share of all is."""
    began = time.monotonic()
    columns = (TextColumn("{task.description}"), BarColumn(None), TextColumn("{task.fields[left]}"))
    with Progress(*columns, console=console) as drawn:
        task = drawn.add_task("Begins", total=1.0, left="")

        def tell(what: str, share: float) -> None:
            spent = time.monotonic() - began
            left = f"{duration(spent * (1 - share) / share)} left" if share > SOON else ""
            drawn.update(task, completed=share, description=what, left=left)

        yield tell
        drawn.update(task, completed=1.0, left="")
