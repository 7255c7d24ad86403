"""Perform a typed change: the one way a project is edited."""

from collections.abc import Callable

from ..errors import ChangeError
from ..framing import fit_subject
from ..geometry.measure import Measures, centre_m, centred, grounded, placed_hull
from ..scene import Change, Placement, Project, SetValue, apply_set
from ..scene.changes import Centre, CorrectUnit, FitSubject, MeterSubject, StandOnFloor

Meter = Callable[[Project], float | None]
"""Measures EV100 over the move; None when the subject is black or absent."""


def perform(project: Project, change: Change, measures: Measures | None, meter: Meter) -> tuple[Project, str]:
    """The changed project and the label under which it can be undone.

    Raises ChangeError with a sentence when the change is not allowed.
    """
    if isinstance(change, SetValue):
        changed = apply_set(project, change)
        return _keep_on_disc(project, changed, measures), _set_label(change)
    if isinstance(change, MeterSubject):
        return _metered(project, meter), "Meter the subject"
    if project.subject is None or measures is None:
        raise ChangeError("There is no subject yet. Bring a model in first.")
    placement = project.subject.placement
    if isinstance(change, FitSubject):
        return fit_subject(project, placed_hull(measures, placement)).project, "Fit subject"
    if isinstance(change, Centre):
        return _place(project, centred(measures, placement, change.method)), "Centre the subject"
    if isinstance(change, StandOnFloor):
        return _place(project, grounded(measures, placement, project.set.stand_height_m)), "Stand on floor"
    assert isinstance(change, CorrectUnit)
    placement = placement.model_copy(
        update={"unit_m": change.unit_m or placement.unit_m, "up": change.up or placement.up}
    )
    x, z = centre_m(measures, placement, placement.centre_method)
    placement = placement.model_copy(update={"centre_x_m": x, "centre_z_m": z})
    return _place(project, grounded(measures, placement, project.set.stand_height_m)), "Correct unit and axis"


def _keep_on_disc(before: Project, after: Project, measures: Measures | None) -> Project:
    """A subject that stood on the disc still stands when the disc's height changes or it is taken away."""
    rise = after.set.stand_height_m - before.set.stand_height_m
    if after.subject is None or measures is None or rise == 0 or after.subject != before.subject:
        return after
    stood = placed_hull(measures, before.subject.placement)[:, 1].min() - before.set.stand_height_m
    if abs(stood) > 1e-6:
        return after
    return _place(after, grounded(measures, after.subject.placement, after.set.stand_height_m))


def _place(project: Project, placement: Placement) -> Project:
    assert project.subject is not None
    return project.model_copy(update={"subject": project.subject.model_copy(update={"placement": placement})})


def _metered(project: Project, meter: Meter) -> Project:
    ev100 = meter(project)
    if ev100 is None:
        raise ChangeError("There is no light on the subject to meter. Turn a light on first.")
    return project.model_copy(update={"look": project.look.model_copy(update={"ev100": round(ev100, 2)})})


def _set_label(change: SetValue) -> str:
    last = change.path.split("/")[-1]
    for ending in ("_m", "_mm", "_deg", "_stops", "_k", "_num"):
        last = last.removesuffix(ending)
    return f"Set {last.replace('_', ' ')}"
