"""Descriptions of a cut, in sentences."""

from collections.abc import Mapping

from ..motion.frames import FrameRate
from .document import Clip, Cut, Sound
from .timeline import Footage, Laid, number_at, total


def seconds(frames: int, rate: FrameRate) -> str:
    """A length of frames in seconds, `2 s`, `1.25 s`."""
    return f"{float(rate.seconds(frames)):.2f}".rstrip("0").rstrip(".") + " s"


def clip_says(place: Laid, film: Footage | None, first: int, cut: Cut) -> str:
    """A clip in a sentence; `first` is the number of its take's first frame."""
    clip, rate = place.clip, cut.rate
    parts = [_shows(clip, film, first, cut)]
    if clip.speed != 1:
        parts.append(f"at {clip.speed:g}×")
    if clip.reverse:
        parts.append("backwards")
    for held, where in ((clip.hold_before, "beginning"), (clip.hold_after, "end")):
        if held:
            parts.append(f"held {seconds(held, rate)} at the {where}")
    if clip.fade_in:
        parts.append(f"fades in over {seconds(clip.fade_in, rate)}")
    if place.cross_out:
        parts.append(f"crosses into the next over {seconds(place.cross_out, rate)}")
    elif clip.cross:
        parts.append("has no room for its cross-fade")
    if clip.fade_out:
        parts.append(f"fades out over {seconds(clip.fade_out, rate)}")
    return f"{clip.name}, {', '.join(parts)}."


def _shows(clip: Clip, film: Footage | None, first: int, cut: Cut) -> str:
    if film is None:
        what = "a take that is gone" if clip.take_id else "a picture" if clip.picture else "a plain card"
        return f"{what}, {seconds(clip.length, cut.rate)}"
    rate = cut.rate.fraction
    whole = film.lasts(rate, clip.speed)
    if clip.beyond != "hold" and clip.length > whole:
        rounds = f"{clip.length / whole:.2f}".rstrip("0").rstrip(".")
        return f"{rounds} rounds" if clip.beyond == "repeat" else f"{rounds} times to and fro"
    from_, to = (first + number_at(clip, film, rate, clip.begin + k) for k in (0, clip.length - 1))
    return f"frame {from_}" if from_ == to and clip.length == 1 else f"frames {from_}–{to}"


def sound_says(sound: Sound, cut: Cut) -> str:
    """A sound in a sentence."""
    parts = [f"{seconds(sound.length, cut.rate)} from {seconds(sound.start, cut.rate)}"]
    if sound.gain_db:
        parts.append(f"{sound.gain_db:+g} dB".replace("-", "−"))
    if sound.loop:
        parts.append("repeated")
    if sound.duck_db:
        parts.append(f"ducks by {sound.duck_db:g} dB")
    return f"{sound.name}, {', '.join(parts)}."


def cut_says(cut: Cut, films: Mapping[str, Footage]) -> str:
    """The whole in a sentence, with what is done about rates that differ."""
    if not cut.clips:
        return "Nothing is in the cut yet. Put a take into it."
    count = total(cut)
    clips = f"{len(cut.clips)} clip{'s' if len(cut.clips) > 1 else ''}"
    said = f"{clips}, {count} frames at {cut.rate}/s = {seconds(count, cut.rate)}, {cut.width}×{cut.height}."
    others = {f.rate for f in films.values()} - {cut.rate.fraction}
    if others:
        rates = ", ".join(f"{float(r):g}" for r in sorted(others))
        said += f" Takes of {rates}/s keep their pace: frames are shown longer or left out, never mixed."
    return said
