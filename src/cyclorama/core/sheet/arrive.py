"""A model that came in takes its place: grounded, fitted, and with a set, lights and exposure of its size."""

import numpy as np

from ..errors import ChangeError
from ..framing import fit_subject
from ..geometry.kept import Intake
from ..geometry.measure import centred, grounded, placed_hull
from ..scene import Light, Project, Stage
from ..scene.changes import MeterSubject
from ..scene.stage import Disc, Sweep
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
    stage, lights = project.set, project.lights
    if first:
        foot = float((hull[:, [0, 2]] ** 2).sum(axis=1).max() ** 0.5)
        stage = stage.model_copy(update={"disc": _disc_for(stage, size, foot)})
        lights = tuple(_light_for(light, size) for light in lights)
    placement = grounded(measures, placement, stage.stand_height_m)
    subject = intake.subject.model_copy(update={"placement": placement})
    project = project.model_copy(
        update={"subject": subject, "materials": intake.materials, "set": stage, "lights": lights}
    )
    project = fit_subject(project, placed_hull(measures, placement)).project
    if not first:
        return project
    stage = stage.model_copy(update={"sweep": _sweep_for(stage, size, project.camera.distance_m)})
    project = project.model_copy(update={"set": stage})
    try:
        return perform(project, MeterSubject(), measures, eye)[0]
    except ChangeError:  # nothing lights it yet: the exposure stays
        return project


def _disc_for(stage: Stage, size: float, foot: float) -> Disc:
    """The disc for a subject of a size and a reach from the axis, m."""
    return stage.disc.model_copy(
        update={"radius_m": max(foot * 1.5, size * 0.05), "height_m": size * 0.03, "edge_m": size * 0.008}
    )


def _sweep_for(stage: Stage, size: float, camera_m: float) -> Sweep:
    """The sweep round camera and lights, m; no wider than they need, so that its wall is lit too."""
    wide = max(size * 12, camera_m * 2.8)
    return stage.sweep.model_copy(
        update={"width_m": wide, "depth_m": wide, "height_m": wide * 0.45, "fillet_m": wide * 0.2}
    )


def _light_for(light: Light, size: float) -> Light:
    """The light at a distance, in a size and with a power that suit a subject, m: as it would fall on one of the usual
    size, so that exposure, and what glows beside it, stay where they are."""
    update = {"distance_m": size * 3.2, "width_m": size * 1.3, "height_m": size * 1.3}
    if light.power_unit in ("lm", "cd") and light.shape != "sun":
        update["power"] = light.power * (size / USUAL_SIZE_M) ** 2
    return light.model_copy(update=update)
