"""`./cyc tidy`."""

import typer

from .options import HOME, Data, sentences


def tidy(data: Data = HOME / "studio") -> None:
    """Move files that no project, undo, take or daily copy needs into the bin, where they lie for 30 days."""
    from ..core.review.phrases import data_size
    from ..store import open_studio
    from ..store.garbage import collect_garbage

    with sentences():
        collected = collect_garbage(open_studio(data))
    count, size = collected.files, data_size(collected.bytes)
    typer.echo(f"Moved {count} files, {size}, into {collected.bin.folder}." if count else "Every file is needed.")
    for day in collected.bin.days():
        typer.echo(f"  {day.day}: {day.files} files, {data_size(day.bytes)}, deleted on {day.deleted_on}")
