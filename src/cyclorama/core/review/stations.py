"""The six stations: a true sentence each, and a mark."""

import math
from typing import Literal

import numpy as np
from pydantic import Field

from ..framing import Depth, Projection
from ..motion import FrameRate, box_corners, closes, moves_nothing, programme_of, rounds, rows_close
from ..scene import Doc, Project
from ..words import length
from . import fixes, phrases
from .fixes import Fix, Hints
from .light_stances import stance_sentences
from .measures import FOCUS_LIMIT_PX, LEAST_ROOM, LEAST_SHARE, MOST_HIDDEN, Review
from .phrases import stands_on
from .readiness import readiness

Mark = Literal["ready", "look", "missing"]
TOLERANCE = 1 / 6000
"""Share of the subject's size by which it may float or wobble: less than a fifth of a pixel shows of it."""
STATIONS = ("subject", "set", "camera", "light", "materials", "shoot")
"""Keys of the stations in the order of work."""
MOST_HAZE = 0.5
"""Share of the subject's light that haze may hide before it is said."""
MUCH_NEARER = 2.5
"""The camera may come so many times nearer than a subject was made for before it is said."""


class Station(Doc):
    """One line of the call sheet."""

    key: str
    title: str
    mark: Mark
    sentence: str
    hints: tuple[str, ...] = ()
    """what is odd, one sentence each"""
    fixes: dict[str, Fix] = Field(default_factory=dict)
    """ways to mend, by the hint that they belong to"""


def stations(r: Review) -> tuple[Station, ...]:
    """All six, in the order of work."""
    return _subject(r), _set(r), _camera(r), _light(r), _materials(r), _shoot(r)


def _station(key: str, title: str, sentence: str, hints: Hints | None = None, missing: bool = False) -> Station:
    found = Hints() if hints is None else hints
    mark: Mark = "missing" if missing else "look" if found else "ready"
    return Station(key=key, title=title, mark=mark, sentence=sentence, hints=tuple(found), fixes=found.fixes)


def _subject(r: Review) -> Station:
    subject, review = r.project.subject, r.subject
    if subject is not None and review is None:
        sentence = f"‘{subject.source_name}’ cannot be read any more: bring it in again."
        return _station("subject", "Subject", sentence, missing=True)
    if subject is None or review is None:
        return _station("subject", "Subject", "Nothing on the set yet: bring a model in.", missing=True)
    hints = Hints()
    method = subject.placement.centre_method
    wobble = review.wobble_mm[method]
    tolerance_mm = max(review.size_m) * 1000 * TOLERANCE
    if wobble > tolerance_mm:
        hints.add(
            f"Its centre lies {phrases.length(wobble / 1000)} off the axis of the turn: it will wobble.", fixes.CENTRE
        )
    where = stands_on(r.project, subject)
    if review.gap_mm > tolerance_mm:
        hints.add(f"It floats {phrases.length(review.gap_mm / 1000)} above {where}.", fixes.DROP)
    if review.gap_mm < -tolerance_mm:
        hints.add(f"It cuts {phrases.length(-review.gap_mm / 1000)} into {where}.", fixes.DROP)
    shot, rate = r.project.shot, FrameRate.of(r.project)
    if subject.playing and not closes(subject, shot, rate) and subject.play.repeat == "loop":
        times = rounds(subject, shot, rate)
        hints.add(
            f"What ‘{subject.name}’ does is played {times:.3g} times: its end does not lead into its "
            "beginning. Let it play whole times.",
            fixes.WHOLE_TIMES,
        )
    if (shows := off_px(r)) > MUCH_NEARER * subject.detail.error_px:
        hints.append(
            f"It was made for a camera farther away: it is up to {shows:.2g} px off its source now. "
            "Re-tessellate it, under Detail."
        )
    sentence = f"{subject.name}, {phrases.box_size(review.size_m)}"
    sentence += f", stands on {where}, turns about its own middle." if not hints else "."
    return _station("subject", "Subject", sentence, hints)


def off_px(r: Review) -> float:
    """Error of the subject against its source where the camera is nearest, px; 0: it is the source."""
    subject = r.project.subject
    if subject is None or r.margins is None or not subject.off or r.margins.pixel_m <= 0:
        return 0.0
    return subject.off * subject.placement.unit_m * subject.placement.scale / r.margins.pixel_m


def detail_sentence(r: Review) -> str:
    """‘As in its source.’, ‘Off its source by up to 0.24 px in this framing.’"""
    shows = off_px(r)
    return f"Off its source by up to {shows:.2g} px where the camera is nearest." if shows else "As in its source."


def _set(r: Review) -> Station:
    stage, hints = r.project.set, Hints()
    if r.edges.ends:
        hints.add(f"The sweep ends inside the picture in {phrases.frames(r.edges.ends)}.", fixes.WIDEN)
    if r.edges.outside:
        hints.add(
            f"The camera stands behind the sweep in {phrases.frames(r.edges.outside)}. Widen the sweep.", fixes.WIDEN
        )
    if r.hidden > MOST_HAZE:
        hints.add(
            f"Haze hides {r.hidden:.0%} of the subject's light. Make it thinner.", fixes.thinner_haze(r, MOST_HAZE / 2)
        )
    _add_hanging(hints, r.project)
    disc_reach = stage.disc.radius_m
    if r.subject is not None and stage.disc.on:
        foot = r.subject.hull[r.subject.hull[:, 1] < r.subject.hull[:, 1].min() + 1e-3 * r.subject.size_m[1]]
        reach = float((foot[:, [0, 2]] ** 2).sum(axis=1).max() ** 0.5)
        if reach > disc_reach * (1 + 1e-6):
            hints.add(
                f"The subject stands {phrases.length(reach - disc_reach)} over the edge of the disc.",
                fixes.enlarge_disc(reach),
            )
    pieces = []
    if stage.sweep.on:
        wide = min(stage.sweep.width_m, stage.sweep.depth_m) if stage.sweep.form == "round" else stage.sweep.width_m
        pieces.append(f"{stage.sweep.form.capitalize()} sweep, {phrases.length(wide)} wide")
    if stage.disc.on:
        pieces.append(f"disc Ø {phrases.length(2 * disc_reach)}")
    if stage.haze.on:
        pieces.append(f"{stage.haze.thickness(r.project.camera.distance_m)} haze")
    sentence = ", ".join(pieces) + "." if pieces else "No sweep and no disc: the subject stands in the open."
    return _station("set", "Set", sentence[0].upper() + sentence[1:], hints)


def background_hints(r: Review) -> Hints:
    """Hints that the Background section of the Set card gives, about what cannot be seen there."""
    hints = Hints()
    if r.edges.fills:
        hints.add("The sweep hides the background in every frame.", fixes.SWEEP_OFF)
    return hints


def _add_hanging(hints: Hints, project: Project) -> None:
    """A hint for each item that rides on another without standing on it; how the subject stands is told already."""
    for item in project.items:
        below = project.item(item.rides)
        corners = box_corners(item) if item.on else None
        under = None if below is None else box_corners(below)
        if below is None or corners is None or under is None:
            continue
        apart = (corners.min(axis=0) > under.max(axis=0)) | (corners.max(axis=0) < under.min(axis=0))
        gap = float(corners[:, 1].min() - under[:, 1].max())
        if apart[[0, 2]].any():
            hints.add(f"‘{item.name}’ hangs in the air beside ‘{below.name}’. Move it over ‘{below.name}’.")
        elif gap > TOLERANCE * float(np.ptp(corners, axis=0).max()) and item.id != project.subject_id:
            drop = Fix(title="Drop to floor", changes=(fixes.change("stand", item=item.id),))
            hints.add(
                f"‘{item.name}’ floats {length(gap)} above ‘{below.name}’. Choose it and press Drop to floor.", drop
            )


def animation_sentence(project: Project) -> str:
    """‘Plays 5 times in the shot, at 0.96 × its speed, and closes.’ Empty without an animation."""
    subject = project.subject
    if subject is None or subject.playing is None:
        return ""
    shot, rate = project.shot, FrameRate.of(project)
    programme, times = programme_of(subject), rounds(subject, shot, rate)
    if programme is None or not times:
        return "It is a single pose."
    length = programme.length_s
    if subject.play.repeat == "once":
        return f"Lasts {length / subject.play.speed:.2f} s, then stands."
    seconds = float(rate.seconds(shot.frames))
    count = "once" if times == 1 else f"{times:.3g} times"
    closing = ", and closes" * closes(subject, shot, rate)
    return f"Plays {count} in the shot, at {times * length / seconds:.3g} × its speed{closing}."


def move_sentence(project: Project) -> str:
    """‘Orbit, 240 frames at 24/s = 10 s, closes exactly.’"""
    shot, rate = project.shot, FrameRate.of(project)
    closing = (
        "stands still" if moves_nothing(shot) else "closes exactly" if rows_close(project, shot) else "does not close"
    )
    if not closes(project.subject, shot, rate):
        closing = "the animation does not close"
    if shot.frames == 1:
        return f"{shot.name}, a single frame."
    return (
        f"{shot.name}, {shot.frames} frames at {rate}/s = {phrases.clip_length(rate.seconds(shot.frames))}, {closing}."
    )


def lens_figures(lens: Projection, depth: Depth | None, focus_m: float) -> str:
    """Field of view of a lens, and what is in focus."""
    left, right, lower, upper = (math.degrees(math.atan(t)) for t in lens.field)
    text = f"Sees {right - left:.1f}° × {upper - lower:.1f}°. "
    if depth is None:
        return text + "Everything is in focus."
    far = f"to {length(depth.far_m)}" if math.isfinite(depth.far_m) else "on"
    return text + (
        f"Focused at {length(focus_m)}: sharp from {length(depth.near_m)} {far}; hyperfocal distance "
        f"{length(depth.hyperfocal_m)}."
    )


def _camera(r: Review) -> Station:
    hints = Hints()
    if r.margins is not None:
        worst = r.margins.worst
        if worst < 0:
            hints.add(f"The subject is cut off in {phrases.frames(r.margins.cut_frames)}.", fixes.FIT)
        elif worst < 0.02:
            hints.add(f"Only {worst:.1%} to the edge in frame {r.margins.worst_frame}.", fixes.FIT)
    if r.travel is not None and 0 < r.travel.largest < LEAST_SHARE:
        hints.add(
            f"The subject is small: at most {r.travel.largest:.0%} of the picture high or wide. Fit it.", fixes.FIT
        )
    if r.travel is not None and (top := float(r.travel.px.max())) > r.travel.most_px:
        digits = 0 if round(top) > round(r.travel.most_px) else 1
        hints.add(
            f"The subject moves by {top:.{digits}f} px a frame through the picture; above "
            f"{r.travel.most_px:.{digits}f} px it judders. Let the move take longer.",
            fixes.lengthen(r, top, r.travel.most_px),
        )
    if r.subject is not None and r.subject.camera_inside:
        hints.add(
            f"The camera stands inside the subject in {phrases.frames(r.subject.camera_inside)}; move it away.",
            fixes.FIT,
        )
    hints.extend(_in_the_way(r))
    sentence = move_sentence(r.project)
    if r.margins is not None and r.margins.worst >= 0:
        sentence += f" Margin {r.margins.worst:.1%}, tightest in frame {r.margins.worst_frame}."
    return _station("camera", "Camera", sentence, hints)


def _in_the_way(r: Review) -> list[str]:
    """Hints about obstacles, blur and closeness, each with the worst frame."""
    hints, frames = [], r.poses.frames + r.project.shot.first_frame
    if r.blur_px is not None and (worst := float(r.blur_px.max())) > FOCUS_LIMIT_PX:
        hints.append(f"The subject is out of focus, by {worst:.0f} px in frame {frames[r.blur_px.argmax()]:.0f}.")
    if r.obstacles is None or r.subject is None:
        return hints
    hidden, room = r.obstacles.hidden, r.obstacles.room_m
    if hidden is not None and (worst := float(hidden.max())) > MOST_HIDDEN:
        hints.append(f"Something hides {worst:.0%} of the subject in frame {frames[hidden.argmax()]:.0f}.")
    near, told = float(room.min()), bool(r.subject.camera_inside or r.edges.outside)
    if not told and near < LEAST_ROOM * max(r.subject.size_m):
        what, frame = r.obstacles.nearest[int(room.argmin())], frames[room.argmin()]
        where = f"is inside {what}" if near <= 0 else f"comes within {length(near)} of {what}"
        hints.append(f"The camera {where} in frame {frame:.0f}.")
    return hints


def _light(r: Review) -> Station:
    p, look = r.project, r.project.look
    shining = [light.name for light in look.lit_lights]
    if look.environment_lit:
        shining.append("environment")
    glowing = any(m.glows for m in p.materials)
    if not shining and not glowing:
        hints = Hints()
        hints.fixes["Nothing shines: the picture will be black."] = fixes.THREE_LIGHTS
        return _station("light", "Light", "Nothing shines: the picture will be black.", hints, missing=True)
    hints = Hints()
    if any(x.solo for x in look.lights):
        hints.add("A light is on solo; the others are held back.", fixes.end_solo(p))
    if look.environment_lit and look.environment.kind == "picture" and look.environment.broken_pixels:
        count = look.environment.broken_pixels
        broken = "is" if count == 1 else "are"
        hints.append(
            f"{phrases.count(count, 'pixel')} of the environment {broken} broken: infinite ones are held at 65 504, "
            f"others are black."
        )
    raised = fixes.raise_lights(p, r.stances)
    for (_, how), sentence in zip(r.stances, stance_sentences(r.stances), strict=True):
        hints.add(sentence, raised if how == "floor" else None)
    if not shining:
        return _station("light", "Light", "Only the subject itself glows.", hints)
    sentence = phrases.join_words(shining)
    travel = {"camera": "is attached to the camera", "subject": "is attached to the disc", "set": "stays on the set"}
    if look.lit_lights and not moves_nothing(p.shot):
        sentence += f"; the rig {travel[look.lights_travel_with]}"
    return _station("light", "Light", sentence[0].upper() + sentence[1:] + ".", hints)


def _materials(r: Review) -> Station:
    p = r.project
    if not p.materials:
        return _station("materials", "Materials", "They come with the model.", missing=p.subject is None)
    maps = {ref.asset or ref.pattern for m in p.materials for _, ref in m.maps if ref}
    liquids = {v.parts[-1].material for item in p.items if item.filling is not None for v in item.variants}
    kinds = {
        "metal": sum(m.base_metalness > 0.5 for m in p.materials),
        "glass": sum(m.transmission_weight > 0.5 and m.id not in liquids for m in p.materials),
        "liquid": len(liquids),
        "glowing": sum(m.glows for m in p.materials),
    }
    named = [f"{n} {kind}" for kind, n in kinds.items() if n]
    text = f"{len(p.materials)} material{'s' if len(p.materials) != 1 else ''}"
    text += f", {len(maps)} map{'s' if len(maps) != 1 else ''}" if maps else ""
    return _station("materials", "Materials", f"{text}{': ' + phrases.join_words(named) if named else ''}.")


def _shoot(r: Review) -> Station:
    ready = readiness(r)
    hints = Hints(ready.odd)
    hints.fixes = ready.fixes
    return _station("shoot", "Shoot", ready.sentence, hints, missing=bool(ready.blocking))
