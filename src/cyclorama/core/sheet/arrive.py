"""A model that came in takes its place: grounded, fitted, and with a set, lights and exposure of its size."""

import numpy as np

from ..errors import ChangeError
from ..framing import fit_subject
from ..geometry.kept import Intake
from ..geometry.measure import centred, grounded, placed_hull
from ..scene import Light, Project, put_all
from ..scene.changes import MeterSubject
from .perform import Eye, perform

USUAL_SIZE_M = 0.3
"""A subject of this size is lit by lights of the power that they are made with."""


def put_on_set(project: Project, intake: Intake, eye: Eye) -> Project:
    """The project with the model on the set; the first one also decides how large set and lights are."""
    measures, first = intake.room, project.subject is None
    placement = intake.subject.placement
    placement = centred(measures, placement, placement.centre_method)
    hull = placed_hull(measures, placement)
    size = float(np.ptp(hull, axis=0).max())
    if first:
        foot = float((hull[:, [0, 2]] ** 2).sum(axis=1).max() ** 0.5)
        values = {f"set/disc/{name}": value for name, value in _disc_for(size, foot).items()}
        for light in project.lights:
            values |= {f"lights/{light.id}/{name}": value for name, value in _light_for(light, size).items()}
        project = put_all(project, values)
    placement = grounded(measures, placement, project.set.stand_height_m)
    project = put_all(
        project, {"materials": intake.materials, "subject": intake.subject, "subject/placement": placement}
    )
    project = fit_subject(project, placed_hull(measures, placement)).project
    if not first:
        return project
    sweep = _sweep_for(size, project.camera.distance_m)
    project = put_all(project, {f"set/sweep/{name}": value for name, value in sweep.items()})
    try:
        return perform(project, MeterSubject(), measures, eye)[0]
    except ChangeError:  # nothing lights it yet: the exposure stays
        return project


def _disc_for(size: float, foot: float) -> dict[str, float]:
    """The disc for a subject of a size and a reach from the axis, m."""
    return {"radius_m": max(foot * 1.5, size * 0.05), "height_m": size * 0.03, "edge_m": size * 0.008}


def _sweep_for(size: float, camera_m: float) -> dict[str, float]:
    """The sweep round camera and lights, m; no wider than they need, so that its wall is lit too."""
    wide = max(size * 12, camera_m * 2.8)
    return {"width_m": wide, "depth_m": wide, "height_m": wide * 0.45, "fillet_m": wide * 0.2}


def _light_for(light: Light, size: float) -> dict[str, float]:
    """The light at a distance, in a size and with a power that suit a subject, m: as it would fall on one of the usual
    size, so that exposure, and what glows beside it, stay where they are."""
    update = {"distance_m": size * 3.2, "width_m": size * 1.3, "height_m": size * 1.3}
    if light.power_unit in ("lm", "cd") and light.shape != "sun":
        update["power"] = light.power * (size / USUAL_SIZE_M) ** 2
    return update
