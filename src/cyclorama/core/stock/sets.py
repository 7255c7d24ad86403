"""Ready sets: a set, lights and surroundings that suit one kind of subject, made for one that is 1 m large."""

from collections.abc import Callable
from typing import TypeVar

from ..light.rigs import resize_rig, rig_lights
from ..scene import Aim, Background, Disc, Environment, Look, Stage, Sweep
from ..scene.saved_rig import ReadyRig
from ..scene.stocked import ReadySet, StockedSet
from ..scene.writing import revise

Part = TypeVar("Part", Sweep, Disc)
NO_ENVIRONMENT = Environment(on=False)
_SIZES = ("width_m", "depth_m", "height_m", "fillet_m", "radius_m", "edge_m")


def ready_set(ready: ReadySet) -> StockedSet:
    """A ready set around a subject that is 1 m large."""
    return _SETS[ready]()


def set_in_size(kept: StockedSet, by: float) -> StockedSet:
    """A set, its lights included, that is as much larger."""

    def grown(part: Part) -> Part:
        return revise(part, **({name: getattr(part, name) * by for name in _SIZES if hasattr(part, name)}))

    sweep, disc = grown(kept.set.sweep), grown(kept.set.disc)
    look = revise(kept.look, lights=resize_rig(kept.look.lights, by))
    return revise(kept, set=Stage(sweep=sweep, disc=disc), look=look)


def _look(rig: ReadyRig, background: Background, *, stops: dict[str, float] | None = None) -> Look:
    """A ready rig, some of its lights stronger or weaker by so many stops."""
    lights = tuple(
        revise(light, strength_stops=light.strength_stops + (stops or {}).get(light.name, 0.0))
        for light in rig_lights(rig, 1.0, Aim())
    )
    return Look(id="look", name="Look", lights=lights, environment=NO_ENVIRONMENT, background=background)


def _sweep(colour: tuple[float, float, float], roughness: float, *, wide: float = 14.0, on: bool = True) -> Sweep:
    return Sweep(
        on=on,
        form="round",
        width_m=wide,
        depth_m=wide,
        height_m=wide * 0.45,
        fillet_m=wide * 0.2,
        color=colour,
        roughness=roughness,
    )


def _disc(
    on: bool, colour: tuple[float, float, float] = (0.6, 0.59, 0.57), roughness: float = 0.4, radius: float = 0.55
) -> Disc:
    return Disc(on=on, radius_m=radius, height_m=0.03, edge_m=0.008, color=colour, roughness=roughness)


def _bare_sweep() -> StockedSet:
    return StockedSet(
        set=Stage(sweep=_sweep((0.62, 0.61, 0.59), 0.7), disc=_disc(False)),
        look=_look("three-point", Background(colour=(0.5, 0.5, 0.5))),
        azimuth_deg=20,
        elevation_deg=10,
        focal_mm=85,
    )


def _dark_gloss() -> StockedSet:
    """A black floor that mirrors: two strips draw the edges, the rest stays dark."""
    return StockedSet(
        set=Stage(sweep=_sweep((0.012, 0.012, 0.014), 0.08), disc=_disc(False)),
        look=_look("two strips", Background(colour=(0.01, 0.01, 0.012)), stops={"Top": -0.7}),
        azimuth_deg=0,
        elevation_deg=5,
        focal_mm=100,
    )


def _paper() -> StockedSet:
    """Warm paper, one soft large light and its shadow."""
    return StockedSet(
        set=Stage(sweep=_sweep((0.74, 0.66, 0.55), 0.9), disc=_disc(False)),
        look=_look("dish and cards", Background(colour=(0.6, 0.52, 0.42))),
        azimuth_deg=-32,
        elevation_deg=16,
        focal_mm=70,
    )


def _stone() -> StockedSet:
    """Dark stone close by, light from all round that polished faces mirror."""
    return StockedSet(
        set=Stage(sweep=_sweep((0.1, 0.1, 0.105), 0.45, wide=18.0), disc=_disc(False)),
        look=_look("tent", Background(colour=(0.12, 0.12, 0.13)), stops={"Left wall": 0.6, "Front": -1.0}),
        azimuth_deg=15,
        elevation_deg=24,
        focal_mm=105,
    )


def _figure() -> StockedSet:
    return StockedSet(
        set=Stage(sweep=_sweep((0.3, 0.32, 0.36), 0.8), disc=_disc(True, (0.08, 0.08, 0.09), 0.3)),
        look=_look("three-point", Background(colour=(0.3, 0.32, 0.36)), stops={"Rim": 0.6, "Fill": -0.4}),
        azimuth_deg=25,
        elevation_deg=6,
        focal_mm=85,
    )


_SETS: dict[ReadySet, Callable[[], StockedSet]] = {
    "bare sweep": _bare_sweep,
    "bottle on dark gloss": _dark_gloss,
    "shoe on paper": _paper,
    "jewel on stone": _stone,
    "figure on disc": _figure,
}
