"""`./cyc bench`."""

from typing import Annotated

import typer


def bench(
    project: Annotated[str, typer.Option(help="storm-glass-no-4 or harbour-lantern.")] = "storm-glass-no-4",
    growth: Annotated[bool, typer.Option("--growth", help="How time grows with triangles, lights, pixels.")] = False,
    flicker: Annotated[bool, typer.Option("--flicker", help="What denoising with neighbours gains.")] = False,
    intake: Annotated[bool, typer.Option("--intake", help="How long models take to come in.")] = False,
    forecast: Annotated[bool, typer.Option("--forecast", help="How far forecasts are off.")] = False,
    farm: Annotated[bool, typer.Option("--farm", help="What many machines gain, simulated.")] = False,
    grading: Annotated[bool, typer.Option("--grading", help="How long a frame takes to be graded.")] = False,
    cutting: Annotated[bool, typer.Option("--cutting", help="How long a cut takes to be delivered.")] = False,
    drag: Annotated[bool, typer.Option("--drag", help="How soon edits and drags are answered.")] = False,
    matter: Annotated[bool, typer.Option("--matter", help="What haze costs.")] = False,
    start: Annotated[bool, typer.Option("--start", help="How soon the program is there.")] = False,
    against: Annotated[str | None, typer.Option(help="Another revision whose pictures and times to compare.")] = None,
) -> None:
    """Measure the renderer on a demo project; figures are ratios within this one run."""
    from ..bench.against import run_against
    from ..bench.cutting import run_cutting
    from ..bench.drag import run_drag
    from ..bench.farm import run_farm
    from ..bench.flicker import run_flicker
    from ..bench.forecast import run_forecast
    from ..bench.grading import run_grading
    from ..bench.growth import run_growth
    from ..bench.intake import run_intake
    from ..bench.matter import run_matter
    from ..bench.renderer import run_bench
    from ..bench.start import run_start

    if against:
        run_against(against, typer.echo)
    elif matter:
        run_matter(typer.echo)
    elif start:
        run_start(typer.echo)
    elif drag:
        run_drag(typer.echo)
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
