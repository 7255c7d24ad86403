"""A cut for other programs: as an edit decision list (CMX 3600), as an OpenTimelineIO timeline, and for people.

What one of them cannot tell (re-framing, grades, fades of titles) is in the list for people and in the files beside it.
"""

import html
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

import opentimelineio as otio

from ..cut.descriptions import clip_says, cut_says, seconds, sound_says
from ..cut.document import Clip, Cut
from ..cut.timeline import Footage, lay_out_cut, length_of, number_at, start_of, total
from ..motion.timecode import timecode

OPENTIME = otio.opentime.RationalTime
RANGE = otio.opentime.TimeRange


@dataclass(frozen=True, slots=True)
class SourceReel:
    """Where the frames of a take lie in what is handed over."""

    name: str
    first: int
    """number of its first frame"""
    folder: str
    """relative to the timeline"""
    stem: str
    """files are `stem.0001.png`"""
    ending: str
    digits: int


@dataclass(frozen=True, slots=True)
class Stretch:
    """A part of a clip in which its take plays on without going back, or is held."""

    held: bool
    first: int | None
    """the frame of its take that it begins with, 0 the first; None of pictures and cards"""
    length: int
    """frames of the cut"""


def stretches(clip: Clip, film: Footage | None, rate: Fraction, head: int = 0, tail: int = 0) -> list[Stretch]:
    """A clip taken apart, without so many frames at its head and its tail."""
    shown: list[tuple[bool, int | None]] = []
    for k in range(length_of(clip)):
        step = k - clip.hold_before
        held = film is not None and not 0 <= step < clip.length
        number = None if film is None else number_at(clip, film, rate, clip.begin + min(max(step, 0), clip.length - 1))
        shown.append((held, number))
    found: list[Stretch] = []
    way = 0
    for k in range(head, len(shown) - tail):
        held, number = shown[k]
        begins = k == head or held != shown[k - 1][0]
        step = 0 if begins or number is None else number - (shown[k - 1][1] or 0)
        if begins or (step and way and (step > 0) != (way > 0)):
            found.append(Stretch(held, number, 0))
            way = 0
        elif step:
            way = step
        found[-1] = Stretch(held, found[-1].first, found[-1].length + 1)
    return found


def timeline_of(
    cut: Cut,
    films: Mapping[str, Footage],
    reels: Mapping[str, SourceReel],
    name: str,
    files: Mapping[str, str] | None = None,
) -> "otio.schema.Timeline":
    """The cut as an OpenTimelineIO timeline: clips with their speeds, holds, gaps, cross-fades, titles, sounds and
    markers.

    files: addresses of the titles and sounds that lie beside it, by id; others are told by name alone. Where two clips
    cross they are cut in the middle of it; the rest of each is there for the transition.
    """
    files = files or {}
    rate = float(cut.rate.fraction)
    timeline = otio.schema.Timeline(name=name, global_start_time=OPENTIME(0, rate))
    pictures = otio.schema.Track("Picture", kind=otio.schema.TrackKind.Video)
    places = lay_out_cut(cut)
    for place in places:
        clip, film = place.clip, films.get(place.clip.take_id)
        if clip.gap:
            pictures.append(_gap(clip.gap, rate))
        before, after = place.cross_out // 2, place.cross_out - place.cross_out // 2
        parts = stretches(clip, film, cut.rate.fraction, place.cross_in // 2, after)
        pictures.extend([_item(clip, part, film, reels.get(clip.take_id), rate) for part in parts])
        if place.cross_out:
            pictures.append(
                otio.schema.Transition(
                    name="Cross-fade",
                    transition_type=otio.schema.TransitionTypes.SMPTE_Dissolve,
                    in_offset=OPENTIME(before, rate),
                    out_offset=OPENTIME(after, rate),
                )
            )
    timeline.tracks.append(pictures)
    titles = [Beside(start_of(t, places), t.length, t.text or t.kind, files[t.id]) for t in cut.titles if t.id in files]
    for lane in _lanes(titles):
        timeline.tracks.append(_track("Titles", otio.schema.TrackKind.Video, lane, rate))
    for number in sorted({x.track for x in cut.sounds}):
        sounds = [Beside(s.start, s.length, s.name, files.get(s.id)) for s in cut.sounds if s.track == number]
        for lane in _lanes(sounds):
            timeline.tracks.append(_track(f"Sound {number}", otio.schema.TrackKind.Audio, lane, rate))
    for marker in cut.markers:
        span = RANGE(OPENTIME(marker.frame, rate), OPENTIME(1, rate))
        timeline.tracks.markers.append(otio.schema.Marker(name=marker.name, marked_range=span))
    return timeline


def _gap(frames: int, rate: float) -> "otio.schema.Gap":
    return otio.schema.Gap(source_range=RANGE(OPENTIME(0, rate), OPENTIME(frames, rate)))


def _item(clip: Clip, part: Stretch, film: Footage | None, reel: SourceReel | None, rate: float) -> "otio.schema.Clip":
    """A part of a clip; what a picture or a card shows is in the list for people."""
    if film is None or reel is None or part.first is None:
        nothing, span = otio.schema.MissingReference(), RANGE(OPENTIME(0, rate), OPENTIME(part.length, rate))
        return otio.schema.Clip(name=clip.name, media_reference=nothing, source_range=span)
    own = float(film.rate)
    reference = otio.schema.ImageSequenceReference(
        target_url_base=f"{reel.folder}/",
        name_prefix=f"{reel.stem}.",
        name_suffix=f".{reel.ending}",
        start_frame=reel.first,
        frame_step=1,
        rate=own,
        frame_zero_padding=reel.digits,
        missing_frame_policy=otio.schema.ImageSequenceReference.MissingFramePolicy.hold,
        available_range=RANGE(OPENTIME(reel.first, own), OPENTIME(film.frames, own)),
    )
    span = RANGE(OPENTIME(reel.first + part.first, own).rescaled_to(rate), OPENTIME(part.length, rate))
    name = f"{clip.name}, held" if part.held else clip.name
    item = otio.schema.Clip(name=name, media_reference=reference, source_range=span)
    speed = -clip.speed if clip.reverse else clip.speed
    if part.held:
        item.effects.append(otio.schema.FreezeFrame())
    elif speed != 1:
        item.effects.append(otio.schema.LinearTimeWarp(time_scalar=speed))
    return item


@dataclass(frozen=True, slots=True)
class Beside:
    """A title or a sound in frames of the cut, and the file that holds it from there on."""

    start: int
    length: int
    name: str
    url: str | None


def _lanes(things: Sequence[Beside]) -> list[list[Beside]]:
    """Things in order, in as few lanes as hold them without one over another."""
    lanes: list[list[Beside]] = []
    for thing in sorted(things, key=lambda x: x.start):
        free = next((lane for lane in lanes if lane[-1].start + lane[-1].length <= thing.start), None)
        if free is None:
            lanes.append([thing])
        else:
            free.append(thing)
    return lanes


def _track(name: str, kind: str, lane: Sequence[Beside], rate: float) -> "otio.schema.Track":
    track, at = otio.schema.Track(name, kind=kind), 0
    for thing in lane:
        if thing.start > at:
            track.append(_gap(thing.start - at, rate))
        span = RANGE(OPENTIME(0, rate), OPENTIME(thing.length, rate))
        reference = otio.schema.MissingReference()
        if thing.url is not None:
            reference = otio.schema.ExternalReference(target_url=thing.url, available_range=span)
        track.append(otio.schema.Clip(name=thing.name, media_reference=reference, source_range=span))
        at = thing.start + thing.length
    return track


def write_otio(timeline: "otio.schema.Timeline") -> str:
    """The timeline as OpenTimelineIO's own JSON."""
    return str(otio.adapters.write_to_string(timeline, "otio_json"))


def write_edl(cut: Cut, films: Mapping[str, Footage], reels: Mapping[str, SourceReel], name: str) -> str:
    """The picture as an edit decision list (CMX 3600): cuts, dissolves, speeds and holds of one track.

    Reels are named by what fits in eight letters; source timecode is the number of the frame. A clip that crosses into
    the next ends where that begins, as the format has it, and stands once more, with no length, before the dissolve.
    """
    rate = cut.rate
    dropping = "DROP FRAME" if ";" in timecode(0, rate) else "NON-DROP FRAME"
    lines = [f"TITLE: {name.upper()[:60]}", f"FCM: {dropping}", ""]
    number, outgoing = 0, ""
    for place in lay_out_cut(cut):
        clip, film, reel = place.clip, films.get(place.clip.take_id), reels.get(place.clip.take_id)
        at = place.start
        tape = "BL" if film is None or reel is None else reel_name(reel.name)
        dissolve, source, taken = place.cross_in, 0, 0
        for part in stretches(clip, film, rate.fraction, 0, place.cross_out):
            number += 1
            source = (reel.first if reel else 0) + (part.first or 0)
            taken = part.length if part.held or film is None else _taken(clip, film, part.length, rate.fraction)
            here = timecode(at, rate)
            if dissolve:
                lines.append(f"{number:03d}  {outgoing} {here} {here}")
            edit = f"D    {dissolve:03d}" if dissolve else "C       "
            codes = (
                f"{timecode(source, rate)} {timecode(source + taken, rate)} {here} {timecode(at + part.length, rate)}"
            )
            lines += [f"{number:03d}  {tape:<8} V     {edit} {codes}", f"* FROM CLIP NAME: {clip.name}"]
            if film is not None and (part.held or clip.speed != 1 or clip.reverse or film.rate != rate.fraction):
                pace = 0.0 if part.held else float(film.rate) * clip.speed * (-1 if clip.reverse else 1)
                lines.append(f"M2   {tape:<8}      {pace:06.1f}                {timecode(source, rate)}")
            at, dissolve = at + part.length, 0
        left = timecode(source + taken, rate)
        outgoing = f"{tape:<8} V     C        {left} {left}"
    return "\n".join([*lines, ""])


def _taken(clip: Clip, film: Footage, length: int, rate: Fraction) -> int:
    """Frames of its take that a stretch uses."""
    return max(1, round(length * film.rate * Fraction(str(clip.speed)) / rate))


def reel_name(name: str) -> str:
    """A name as an edit decision list can have it: eight capitals or digits."""
    plain = "".join(c for c in name.upper() if c.isascii() and c.isalnum())
    return (plain[:4] + plain[-4:] if len(plain) > 8 else plain) or "TAKE"


def write_cut_list(cut: Cut, films: Mapping[str, Footage], reels: Mapping[str, SourceReel], name: str) -> str:
    """The cut to be read by people: one HTML page that needs nothing else."""

    def rows(cells: Sequence[tuple[str, ...]]) -> str:
        return "".join("<tr>" + "".join(f"<td>{html.escape(c)}</td>" for c in row) + "</tr>" for row in cells)

    places, rate = lay_out_cut(cut), cut.rate
    clips = [
        (
            str(k + 1),
            timecode(p.start, rate),
            timecode(p.end, rate),
            seconds(p.end - p.start, rate),
            clip_says(p, films.get(p.clip.take_id), reels[p.clip.take_id].first if p.clip.take_id in reels else 0, cut),
            reels[p.clip.take_id].folder if p.clip.take_id in reels else "",
        )
        for k, p in enumerate(places)
    ]
    titles = [
        (timecode(start_of(t, places), rate), seconds(t.length, rate), t.text or t.kind, t.sub) for t in cut.titles
    ]
    sounds = [(timecode(s.start, rate), sound_says(s, cut)) for s in cut.sounds]
    markers = [(timecode(m.frame, rate), m.name) for m in cut.markers]
    parts: tuple[tuple[str, Sequence[tuple[str, ...]]], ...]
    parts = (("Clips", clips), ("Titles", titles), ("Sounds", sounds), ("Markers", markers))
    tables = "".join(f"<h2>{what}</h2><table>{rows(cells)}</table>" for what, cells in parts if cells)
    style = (
        "body{font:15px/1.5 system-ui;margin:40px;color:#201e1b;background:#f4f1eb}"
        "td{padding:3px 14px 3px 0;vertical-align:top}"
    )
    title = html.escape(name)
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{title}, cut</title><style>{style}</style>'
        f"<h1>{title}</h1><p>{html.escape(cut_says(cut, films))} {timecode(total(cut), rate)}.</p>{tables}</html>"
    )
