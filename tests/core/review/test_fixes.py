"""Fixes beside hints mend what they stand beside; the next step follows the order of work."""

from dataclasses import replace

import pytest
from pydantic import TypeAdapter
from tests.conftest import always, edited
from tests.core.review.test_call_sheet import MEASURES, SomeEye, done, sheet, with_ball

from cyclorama.core.commands import Command, perform_all
from cyclorama.core.commands.camera import FitSubject
from cyclorama.core.commands.standing import Centre, StandOnFloor
from cyclorama.core.review.fixes import Fix, enlarge_disc
from cyclorama.core.review.next_step import Progress, next_step
from cyclorama.core.scene import Project, new_project

COMMAND: TypeAdapter[object] = TypeAdapter(Command)
NOTHING = Progress(proofed=False, tested=False, shooting=False, take_id=None, delivered=False)


def mended(project: Project, fix: Fix) -> Project:
    changes = [COMMAND.validate_python(change) for change in fix.changes]
    return perform_all(project, changes, always(MEASURES), SomeEye())[0]


def sound(**values: object) -> Project:
    """A ball that stands in the middle, seen whole."""
    project = done(done(with_ball(), Centre()), StandOnFloor())
    return done(edited(project, **values), FitSubject())


def off_centre() -> Project:
    return with_ball()


def floating() -> Project:
    return done(with_ball(), Centre())


def cut_off() -> Project:
    return edited(sound(), camera__distance_m=0.5)


def behind_the_wall() -> Project:
    return edited(sound(), set__sweep__width_m=1.0, set__sweep__depth_m=1.0)


def juddering() -> Project:
    return edited(with_ball(), shot__frames=24)


def on_solo() -> Project:
    project = sound()
    return edited(project, **{f"look__lights__{project.look.lights[0].id}__solo": True})


def dark() -> Project:
    off = {f"look__lights__{x.id}__on": False for x in sound().look.lights}
    return edited(sound(), look__environment__on=False, **off)


def low_light() -> Project:
    light = sound().look.lights[0].id
    return edited(
        sound(),
        **{f"look__lights__{light}__elevation_deg": 2.0, f"look__lights__{light}__azimuth_deg": 180.0},
        **{f"look__lights__{light}__height_m": 2.0, f"look__lights__{light}__distance_m": 1.5},
    )


def clear_jpeg() -> Project:
    return edited(sound(), shot__shoot__file_format="jpeg", shot__shoot__background="transparent")


def without_masters() -> Project:
    return edited(sound(), shot__shoot__masters=False)


@pytest.mark.parametrize(
    ("make", "station", "hint", "title"),
    [
        (off_centre, "subject", "it will wobble", "Centre it"),
        (floating, "subject", "It floats", "Drop to floor"),
        (cut_off, "camera", "is cut off", "Fit subject"),
        (behind_the_wall, "set", "stands behind the sweep", "Widen sweep"),
        (juddering, "camera", "it judders", "Lengthen to"),
        (on_solo, "light", "on solo", "End solo"),
        (dark, "light", "Nothing shines", "Light with three-point"),
        (low_light, "light", "reaches through the floor", "Raise it"),
        (clear_jpeg, "shoot", "JPEG cannot hold alpha", "Use PNG"),
        (without_masters, "shoot", "No masters are kept", "Keep masters"),
    ],
)
def test_a_fix_mends_its_hint(make, station: str, hint: str, title: str) -> None:  # type: ignore[no-untyped-def]
    project = make()
    found = sheet(project)[station]
    text, fix = next((text, fix) for text, fix in found.fixes.items() if hint in text)
    assert text in (*found.hints, found.sentence)
    assert fix.title.startswith(title)
    after = sheet(mended(project, fix))[station]
    assert not any(hint in text for text in (*after.hints, after.sentence))


def test_a_disc_is_enlarged_until_everything_stands_on_it() -> None:
    assert mended(sound(), enlarge_disc(0.3)).set.disc.radius_m == pytest.approx(0.315)


def test_the_next_step_follows_the_order_of_work() -> None:
    """A model, what is odd, a proof, a frame, the take, its screening; then silence."""
    empty = next_step(list(sheet(new_project("Test"), None).values()), NOTHING)
    assert empty is not None
    assert empty.action == "bring"
    project = off_centre()
    asked = []
    for _ in range(12):
        step = next_step(list(sheet(project).values()), NOTHING)
        assert step is not None
        asked.append(step.title)
        if step.action != "change":
            break
        project = mended(project, Fix(title=step.title, changes=step.changes))
    assert asked[:2] == ["Centre it", "Drop to floor"]
    assert asked[-1] == "Make a proof"
    ready = list(sheet(project).values())
    for done_so_far, action in (
        ({"proofed": True}, "test"),
        ({"proofed": True, "tested": True}, "shoot"),
        ({"proofed": True, "tested": True, "shooting": True}, "log"),
        ({"take_id": "take-1"}, "screen"),
    ):
        step = next_step(ready, replace(NOTHING, **done_so_far))  # type: ignore[arg-type]
        assert step is not None
        assert step.action == action
    assert next_step(ready, replace(NOTHING, delivered=True)) is None
