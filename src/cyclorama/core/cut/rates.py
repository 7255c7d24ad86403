"""A cut at another rate: everything stays where it was in seconds."""

from collections.abc import Mapping
from fractions import Fraction
from typing import Any

from ..scene import put_all
from ..scene.base import Doc
from .document import Clip, Cut
from .timeline import Footage


def with_rate(cut: Cut, rate_num: int, rate_den: int, films: Mapping[str, Footage]) -> Cut:
    """The cut at another rate. Clips last as long as before, to the nearest frame.

    A clip that plays its take in whole rounds goes on to do so, so that a loop still closes.
    """
    before, after = cut.rate.fraction, Fraction(rate_num, rate_den)
    ratio = after / before
    values: dict[str, Any] = {"rate_num": rate_num, "rate_den": rate_den}
    for name in ("clips", "titles", "sounds", "markers"):
        for thing in getattr(cut, name):
            scaled = _scaled(thing, ratio)
            if isinstance(thing, Clip):
                scaled["length"] = _length(thing, films.get(thing.take_id), before, after)
            values |= {f"{name}/{thing.id}/{field}": value for field, value in scaled.items()}
    return put_all(cut, values)


def _scaled(thing: Doc, ratio: Fraction) -> dict[str, int]:
    """All that is told in frames in a thing of the cut, at the new rate."""
    scaled = {}
    for name, field in type(thing).model_fields.items():
        extra = field.json_schema_extra
        if isinstance(extra, dict) and extra.get("unit") == "frames":
            value = getattr(thing, name)
            scaled[name] = max(1, round(value * ratio)) if value else 0
    return scaled


def _length(clip: Clip, film: Footage | None, before: Fraction, after: Fraction) -> int:
    if film is not None and not clip.begin:
        rounds, rest = divmod(clip.length, film.lasts(before, clip.speed))
        if rounds and not rest:
            return rounds * film.lasts(after, clip.speed)
    end = round((clip.begin + clip.length) * after / before)
    return max(1, end - round(clip.begin * after / before))
