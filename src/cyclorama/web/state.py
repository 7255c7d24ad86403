"""What the studio floor needs to know about a project, as JSON."""

import math
from typing import Any

import numpy as np

from ..core.errors import DamagedError
from ..core.framing import Projection
from ..core.geometry.placement import placement_matrix
from ..core.light.rows import light_colour, light_row
from ..core.motion import Pose, aim_point, pose_project
from ..core.picture.exposure import shown_look
from ..core.scene import Project
from ..core.sheet import Review, review, stations
from ..core.sheet.stations import animation_sentence, detail_sentence, move_sentence
from ..core.words import box_size, offset
from ..store import Saved, Studio


def _rounded(values: Any, digits: int = 6) -> Any:
    return np.round(np.asarray(values, float), digits).tolist()


def _near(values: Any, digits: int = 6) -> Any:
    """Lengths rounded to so many digits of the longest: subjects may be small or large."""
    values = np.asarray(values, float)
    longest = float(np.abs(values).max(initial=0.0))
    return np.round(values, digits - math.ceil(math.log10(longest)) if longest > 0 else digits).tolist()


def _camera_rows(cameras: Any) -> Any:
    """Three rows of each camera's matrix (n, 12): turns to six places, its place to as many digits."""
    rows = np.round(cameras[:, :3, :], 6)
    rows[..., 3] = _near(cameras[:, :3, 3], 7)
    return rows.reshape(len(cameras), 12).tolist()


def project_state(studio: Studio, saved: Saved) -> dict[str, Any]:
    """Document, stations, poses, margins and plan of a project as it stands."""
    project = saved.project
    try:
        trouble, measures = None, studio.measures(project)
    except DamagedError as error:  # everything else of the project can still be seen and mended
        trouble, measures = error.sentence, None
    r = review(project, measures)
    report = studio.report(project)
    return {
        "version": saved.version,
        "trouble": trouble,
        "undo": saved.undo,
        "redo": saved.redo,
        "project": project.model_dump(mode="json"),
        "stations": [s.model_dump() for s in stations(r)],
        "move": _move(r),
        "margins": _margins(r),
        "subject": _subject(r),
        "report": None if report is None else report.model_dump(mode="json"),
        "lens": lens_state(project),
    }  # fmt: skip


def _margins(r: Review) -> dict[str, Any] | None:
    if r.margins is None:
        return None
    per_frame = _rounded(r.margins.per_frame, 5)
    return {"per_frame": per_frame, "worst": r.margins.worst, "worst_frame": r.margins.worst_frame}


def _move(r: Review) -> dict[str, Any]:
    move, poses = r.project.move, r.poses
    return {
        "sentence": move_sentence(r),
        "first": move.first_frame,
        "frames": move.frames,
        "rate": [move.rate_num, move.rate_den],
        "seconds": move.frames * move.rate_den / move.rate_num,
        "cameras": _camera_rows(poses.cameras),
        "subject_deg": _rounded(poses.subject_deg, 5),
        "lights_deg": _rounded(poses.lights_deg, 5),
        "animation_s": _rounded(poses.animation_s, 5),
    }


def _subject(r: Review) -> dict[str, Any] | None:
    if r.subject is None or r.project.subject is None:
        return None
    s, playing = r.subject, r.project.subject.playing
    return {
        "asset": r.project.subject.asset,
        "animation": playing[0] if playing else None,
        "animation_sentence": animation_sentence(r.project),
        "matrix": placement_matrix(r.project.subject.placement).tolist(),
        "size_m": s.size_m,
        "size": box_size(s.size_m),
        "gap": offset(s.gap_mm / 1000, max(s.size_m)),
        "wobble": {m: offset(mm / 1000, max(s.size_m)) for m, mm in s.wobble_mm.items()},
        "gap_mm": s.gap_mm,
        "wobble_mm": s.wobble_mm,
        "detail": detail_sentence(r),
        "axis_lean_deg": s.axis_lean_deg,
        "axis_residual": s.axis_residual,
        "hull": _near(s.hull, 5),
    }


def lens_state(project: Project) -> dict[str, Any]:
    """Exposure, frame, lens, aim and lights: what the stand-in and the plan draw besides the poses."""
    lens = Projection.of_project(project)
    field_w, field_h = lens.field
    aim = aim_point(project.camera)
    lit = {light.id for light in project.lit_lights}
    lights = []
    for light in project.lights:
        row = light_row(light, aim, 0.0)
        colour = light_colour(light)
        lights.append({
            "id": light.id, "name": light.name, "shape": light.shape, "lit": light.id in lit,
            "centre": _near(row[0:3]),
            "half_u": _near(row[3:6]), "half_v": _near(row[6:9]), "colour": _rounded(colour / colour.max(), 4),
        })  # fmt: skip
    look = shown_look(project)
    return {
        "ev100": look.ev100 - look.offset_stops,
        "half_width": lens.half_w,
        "half_height": lens.half_h,
        "field_width": field_w,
        "field_height": field_h,
        "bend": lens.k,
        "widest": lens.widest,
        "aim": _near(aim, 7),
        "lights": lights,
    }


def pose_state(project: Project, frame: int) -> dict[str, Any]:
    """One frame's pose, for drawing while something is dragged."""
    pose: Pose = pose_project(project).at(frame)
    return {
        "camera": _camera_rows(pose.camera[None])[0],
        "subject_deg": pose.subject_deg,
        "lights_deg": pose.lights_deg,
        "animation_s": pose.animation_s,
        "lens": lens_state(project),
        "camera_doc": project.camera.model_dump(mode="json"),
        "start_azimuth_deg": project.move.start_azimuth_deg,
    }
