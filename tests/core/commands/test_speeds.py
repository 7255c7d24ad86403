"""Values that go on evenly over a shot."""

import pytest
from tests.core.commands.test_moves_and_keys import done, measures_of, with_box
from tests.core.review.test_call_sheet import Blind

from cyclorama.core.commands.keys import SetKey
from cyclorama.core.commands.perform import perform
from cyclorama.core.commands.speeds import SetSpeed
from cyclorama.core.errors import ChangeError
from cyclorama.core.motion import moment
from cyclorama.core.scene import put_all

DRIFT = "look/environment/sky/cloud_drift_deg"


def test_clouds_go_on_at_their_speed() -> None:
    project = put_all(with_box(), {"rate_num": 30, "shot/frames": 90, "shot/first_frame": 11, DRIFT: 4.0})
    after, label = perform(project, SetSpeed(path=DRIFT, per_second=-2.5), measures_of, Blind())
    assert label == "Drift: -2.5 °/s"
    for frame in (11, 41, 100):
        gone = moment(after, frame).look.environment.sky.cloud_drift_deg
        assert gone == pytest.approx(4.0 - 2.5 * (frame - 11) / 30)
    again = done(after, SetSpeed(path=DRIFT, per_second=1.0))
    assert len(again.shot.channels) == 1
    rest = done(again, SetSpeed(path=DRIFT, per_second=0))
    assert rest == project


def test_a_speed_takes_the_place_of_other_keys_and_keeps_to_the_range() -> None:
    elevation = "look/environment/sky/sun_elevation_deg"
    keyed = done(with_box(), SetKey(path=elevation, frame=1, value=30.0), SetKey(path=elevation, frame=60, value=50.0))
    runs = done(keyed, SetSpeed(path=elevation, per_second=1.0))
    assert next(key.value[0] for key in runs.shot.channels[0].keys) == 30.0
    assert len(runs.shot.channels[0].keys) == 2
    with pytest.raises(ChangeError):
        done(keyed, SetSpeed(path=elevation, per_second=1000.0))
    with pytest.raises(ChangeError, match="cannot go on evenly"):
        done(keyed, SetSpeed(path="look/environment/on", per_second=1.0))
    with pytest.raises(ChangeError, match="cannot go on evenly"):
        done(keyed, SetSpeed(path="look/environment/sky/ground", per_second=1.0))
