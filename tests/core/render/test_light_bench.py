"""The light bench: every light by itself, whether it is on or not."""

import math

import pytest
from tests.conftest import edited
from tests.core.render.test_picking import studio

from cyclorama.core.motion import moment
from cyclorama.core.picture.exposure import MIDDLE_GREY
from cyclorama.core.render.film.light_bench import contributions, ratio
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Light


def test_each_light_tells_what_it_gives_to_the_subject(tracer: Tracer) -> None:
    """Two lamps of a kind, one three stops weaker and off, one that is turned away: 8 : 1, and nothing."""
    project, compiler = studio("orbit")
    lamp = Light(id="key", name="Key", role="key", azimuth_deg=10, elevation_deg=60, distance_m=3)
    weak = lamp.model_copy(update={"id": "fill", "name": "Fill", "role": "fill", "strength_stops": -3.0, "on": False})
    away = lamp.model_copy(update={"id": "away", "name": "Away", "aim_above_m": 500.0})
    lit = edited(project, {"look/lights": (lamp, weak, away)})
    found = {c.id: c for c in contributions(moment(lit, 1), compiler, tracer)}
    assert list(found) == ["key", "fill", "away"]
    assert found["away"].stops is None
    assert found["key"].stops == pytest.approx((found["fill"].stops or 0.0) + 3.0, abs=0.15)
    assert ratio([found["key"].nit], [found["fill"].nit]) == pytest.approx(8.0, rel=0.1)
    assert ratio([found["key"].nit], [found["away"].nit]) is None
    assert all(c.jpeg[:2] == b"\xff\xd8" for c in found.values())
    # two more stops of exposure are two more stops of each; nit are as they were
    brighter = edited(lit, {"look/tone/offset_stops": 2.0})
    again = {c.id: c for c in contributions(moment(brighter, 1), compiler, tracer)}
    assert again["key"].stops == pytest.approx((found["key"].stops or 0.0) + 2.0, abs=0.02)
    assert again["key"].nit == pytest.approx(found["key"].nit, rel=0.02)
    # by its definition: the mean on the subject against middle grey
    ev = lit.look.tone.ev100
    exposed = found["key"].nit / (1.2 * 2.0**ev)
    assert found["key"].stops == pytest.approx(math.log2(exposed / MIDDLE_GREY), abs=0.2)
