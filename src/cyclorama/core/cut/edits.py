"""Edits of a cut: typed changes, each giving another cut by the one writer of documents."""

from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import Field

from ..errors import ChangeError
from ..scene.base import AssetRef, Doc, new_id
from ..scene.property import place_of, value_at
from ..scene.writing import insert_item, move_item, put_all, remove_item, revise
from .document import MOST_FRAMES, Clip, Cut, Marker, Sound, Title
from .rates import with_rate
from .timeline import Footage, Laid, lay_out_cut, length_of, total

Films = Mapping[str, Footage]
SECONDS_OF_STILL = 3
Path = Annotated[str, Field(min_length=1, max_length=200)]


class SetValues(Doc):
    """Other values at some places."""

    do: Literal["set"] = "set"
    values: dict[str, Any] = Field(min_length=1, max_length=400)


class SetCutRate(Doc):
    """Another frame rate; things keep their place in seconds, or their number of frames."""

    do: Literal["rate"] = "rate"
    rate_num: Annotated[int, Field(ge=1)]
    rate_den: Annotated[int, Field(ge=1)] = 1
    keep: Literal["seconds", "frames"] = "seconds"


class AddClip(Doc):
    """A whole take, a picture, or a plain card, before the clip of a number or at the end."""

    do: Literal["add clip"] = "add clip"
    take_id: Annotated[str, Field(max_length=200)] = ""
    picture: AssetRef | None = None
    name: Annotated[str, Field(max_length=80)] = ""
    at: Annotated[int, Field(ge=0)] | None = None


class ReplaceTake(Doc):
    """Another take in place of that of a clip, which keeps its trims, framings and grade."""

    do: Literal["replace take"] = "replace take"
    clip: str
    take_id: Annotated[str, Field(min_length=1, max_length=200)]
    name: Annotated[str, Field(max_length=80)] = ""
    """name of the new take; clips that have the name of the old one get it"""
    old_name: Annotated[str, Field(max_length=80)] = ""
    """name of the old take"""
    every: bool = False
    """in all clips that show the old take"""


class Split(Doc):
    """Two clips where one is shown in a frame; the second begins with it."""

    do: Literal["split"] = "split"
    frame: Annotated[int, Field(ge=0)]


class Join(Doc):
    """One clip of this and the next, where one goes on where the other ends."""

    do: Literal["join"] = "join"
    clip: str


class Trim(Doc):
    """An edge of a clip moved by so many frames, later or (negative) earlier."""

    do: Literal["trim"] = "trim"
    clip: str
    edge: Literal["begin", "end"]
    by: Annotated[int, Field(ge=-MOST_FRAMES, le=MOST_FRAMES)]
    ripple: bool = True
    """what follows moves along; else gaps grow and shrink"""


class Pace(Doc):
    """A clip as quick as this, showing the same stretch of its take."""

    do: Literal["pace"] = "pace"
    clip: str
    speed: Annotated[float, Field(ge=0.05, le=20)]


class Freeze(Doc):
    """A frame of the cut held for so many more."""

    do: Literal["freeze"] = "freeze"
    frame: Annotated[int, Field(ge=0)]
    frames: Annotated[int, Field(ge=1, le=MOST_FRAMES)]


class TakeOut(Doc):
    """Something taken out of the cut."""

    do: Literal["take out"] = "take out"
    path: Path
    ripple: bool = True


class Carry(Doc):
    """A clip at another place of the order."""

    do: Literal["carry"] = "carry"
    clip: str
    to: Annotated[int, Field(ge=0)]


class Put(Doc):
    """A title, a sound or a marker more."""

    do: Literal["put"] = "put"
    what: Title | Sound | Marker


Edit = Annotated[
    SetValues | SetCutRate | AddClip | ReplaceTake | Split | Join | Trim | Pace | Freeze | TakeOut | Carry | Put,
    Field(discriminator="do"),
]


def apply_edit(cut: Cut, edit: Edit, films: Films) -> Cut:
    """The cut after an edit. Raises ChangeError with a sentence when it cannot be made."""
    match edit:
        case SetValues():
            return put_all(cut, edit.values)
        case SetCutRate():
            if edit.keep == "seconds":
                return with_rate(cut, edit.rate_num, edit.rate_den, films)
            return put_all(cut, {"rate_num": edit.rate_num, "rate_den": edit.rate_den})
        case AddClip():
            return insert_item(cut, "clips", _new_clip(cut, edit, films), edit.at)
        case ReplaceTake():
            return _with_other_take(cut, edit, films)
        case Split():
            return _split(cut, edit.frame)
        case Join():
            return _joined(cut, edit.clip)
        case Trim():
            return _trimmed(cut, edit, films)
        case Pace():
            return _paced(cut, edit, films)
        case Freeze():
            return _frozen(cut, edit)
        case TakeOut():
            return _taken_out(cut, edit)
        case Carry():
            return move_item(cut, f"clips/{edit.clip}", edit.to)
        case Put():
            where = {Title: "titles", Sound: "sounds", Marker: "markers"}[type(edit.what)]
            return insert_item(cut, where, edit.what)


def edit_label(cut: Cut, edit: Edit) -> str:
    """Undo label of an edit."""
    match edit:
        case SetValues():
            path = next(iter(edit.values))
            return f"{place_of(path, Cut).title}{_of(cut, path)}"
        case SetCutRate():
            return f"Frame rate, {edit.keep} kept"
        case AddClip():
            return f"Add {edit.name or 'a clip'}"
        case TakeOut():
            return f"Take out{_of(cut, edit.path + '/', ' ')}"
        case Put():
            return f"Add a {type(edit.what).__name__.lower()}"
        case ReplaceTake():
            return f"Replace take{_of(cut, f'clips/{edit.clip}/')}"
        case Trim():
            return f"Trim{_of(cut, f'clips/{edit.clip}/', ' ')}"
        case Pace():
            return f"Speed{_of(cut, f'clips/{edit.clip}/')}"
        case Carry():
            return f"Move{_of(cut, f'clips/{edit.clip}/', ' ')}"
    return edit.do.capitalize()


def _of(cut: Cut, path: str, word: str = " of ") -> str:
    """‘ of ‘Spin’’ for what lies in a thing of the cut."""
    head, _, rest = path.partition("/")
    if not rest:
        return ""
    thing = value_at(cut, f"{head}/{rest.split('/')[0]}")
    name = getattr(thing, "name", "") or getattr(thing, "text", "").split("\n")[0][:24] or getattr(thing, "kind", "")
    return f"{word}‘{name}’"


def _film(films: Films, take_id: str) -> Footage:
    film = films.get(take_id)
    if film is None:
        raise ChangeError("There is no such take; it may have been removed.")
    return film


def _new_clip(cut: Cut, edit: AddClip, films: Films) -> Clip:
    film = _film(films, edit.take_id) if edit.take_id else None
    rate = cut.rate.fraction
    length = film.lasts(rate) if film else max(1, round(SECONDS_OF_STILL * rate))
    beyond: Literal["repeat", "hold"] = "repeat" if film and film.closes else "hold"
    name = edit.name or ("Picture" if edit.picture else "Card")
    return Clip(id=new_id("clip"), name=name, take_id=edit.take_id, picture=edit.picture, length=length, beyond=beyond)


def _with_other_take(cut: Cut, edit: ReplaceTake, films: Films) -> Cut:
    """A clip that shows all of its take shows all of the other one; trims of others stay."""
    _, chosen = _at(cut, edit.clip)
    new, old = _film(films, edit.take_id), films.get(chosen.take_id)
    if not chosen.take_id:
        raise ChangeError(f"‘{chosen.name}’ shows no take.")
    rate, values = cut.rate.fraction, dict[str, Any]()
    for clip in cut.clips if edit.every else (chosen,):
        if clip.take_id != chosen.take_id:
            continue
        values[f"clips/{clip.id}/take_id"] = edit.take_id
        if edit.name and clip.name == edit.old_name:
            values[f"clips/{clip.id}/name"] = edit.name
        if old is not None and clip.begin == 0 and clip.length == old.lasts(rate, clip.speed):
            values[f"clips/{clip.id}/length"] = new.lasts(rate, clip.speed)
    return put_all(cut, values)


def _at(cut: Cut, clip_id: str) -> tuple[int, Clip]:
    clip: Clip = value_at(cut, f"clips/{clip_id}")
    return cut.clips.index(clip), clip


def _replaced(cut: Cut, k: int, count: int, *clips: Clip) -> Cut:
    """Clips of numbers k … k + count − 1 replaced by others; titles of those that are gone go along with the first."""
    there = {c.id for c in clips}
    gone = {c.id for c in cut.clips[k : k + count]} - there
    anchors = {f"titles/{t.id}/clip_id": clips[0].id for t in cut.titles if t.clip_id in gone}
    values: dict[str, Any] = {"clips": (*cut.clips[:k], *clips, *cut.clips[k + count :]), **anchors}
    return put_all(cut, values)


def _shown(cut: Cut, frame: int) -> tuple[int, Laid, int]:
    """Number and place of the clip that a frame belongs to, and how many frames into it; the later where two cross."""
    places = lay_out_cut(cut)
    for k in range(len(places) - 1, -1, -1):
        if places[k].start <= frame < places[k].end:
            return k, places[k], frame - places[k].start
    raise ChangeError(f"No clip is shown in frame {frame} of the cut.")


def _split(cut: Cut, frame: int) -> Cut:
    k, place, i = _shown(cut, frame)
    if i == 0:
        raise ChangeError("A clip begins here already. Go to a frame inside of one.")
    clip, played = place.clip, i - place.clip.hold_before
    left: dict[str, Any] = {"fade_out": 0, "cross": 0, "hold_after": 0, "fade_in": min(clip.fade_in, i)}
    right: dict[str, Any] = {
        "id": new_id("clip"),
        "gap": 0,
        "fade_in": 0,
        "hold_before": 0,
        "fade_out": min(clip.fade_out, length_of(clip) - i),
    }
    last = clip.begin + clip.length - 1
    if played <= 0:  # in what is held before: the picture that is held is one that is played
        left |= {"hold_before": i - 1, "length": 1}
        right |= {"hold_before": -played}
    elif played < clip.length:
        left |= {"length": played}
        right |= {"begin": clip.begin + played, "length": clip.length - played}
    else:
        left |= {"hold_after": played - clip.length}
        right |= {"begin": last, "length": 1, "hold_after": clip.hold_after - (played - clip.length) - 1}
    return _replaced(cut, k, 1, revise(clip, **left), revise(clip, **right))


_ONE = ("take_id", "picture", "colour", "speed", "reverse", "beyond", "fade_colour", "fit", "framings", "grade")
"""What two clips share that are one."""


def _joined(cut: Cut, clip_id: str) -> Cut:
    k, a = _at(cut, clip_id)
    if k + 1 == len(cut.clips):
        raise ChangeError(f"‘{a.name}’ is the last clip: there is none to join it with.")
    b = cut.clips[k + 1]
    if any(getattr(a, name) != getattr(b, name) for name in _ONE) or b.gap:
        raise ChangeError(f"‘{a.name}’ and ‘{b.name}’ are not two pieces of one clip.")
    last = a.begin + a.length - 1
    ends: dict[str, Any] = {"fade_out": b.fade_out, "cross": b.cross, "hold_after": b.hold_after}
    if a.hold_after == b.hold_before == 0 and b.begin == last + 1:
        ends |= {"length": a.length + b.length}
    elif a.length == 1 and a.hold_after == 0 and b.begin == a.begin:
        ends |= {"hold_before": a.hold_before + 1 + b.hold_before, "length": b.length}
    elif b.length == 1 and b.hold_before == 0 and b.begin == last:
        ends |= {"hold_after": a.hold_after + 1 + b.hold_after}
    else:
        raise ChangeError(f"‘{b.name}’ does not go on where ‘{a.name}’ ends.")
    return _replaced(cut, k, 2, revise(a, **ends))


def _trimmed(cut: Cut, edit: Trim, films: Films) -> Cut:
    k, clip = _at(cut, edit.clip)
    film = films.get(clip.take_id)
    if edit.edge == "begin":
        new = _begun(cut, clip, min(edit.by, length_of(clip) - 1), film)
        gap = clip.gap if edit.ripple else clip.gap + length_of(clip) - length_of(new)
        if gap < 0:
            raise ChangeError(f"There is no room before ‘{clip.name}’. Let what follows move along, or trim less.")
        return _replaced(cut, k, 1, revise(new, gap=gap))
    new = _ended(cut, clip, max(edit.by, 1 - length_of(clip)), film)
    cut = _replaced(cut, k, 1, new)
    return cut if edit.ripple else _widened(cut, k + 1, length_of(clip) - length_of(new))


def _begun(cut: Cut, clip: Clip, by: int, film: Footage | None) -> Clip:
    """A clip that begins later: less is held, then less is played; or earlier: more is played, as far as there is."""
    held = min(by, clip.hold_before) if by > 0 else 0
    begin, length, before, after = clip.begin, clip.length, clip.hold_before - held, clip.hold_after
    by -= held
    if by > 0:
        cut_off = min(by, length - 1)
        begin, length, after = begin + cut_off, length - cut_off, after - (by - cut_off)
    elif by < 0 and film is not None and not before:
        if clip.beyond == "repeat":
            whole = film.lasts(cut.rate.fraction, clip.speed)
            begin, length = (begin + by) % whole if begin + by < 0 else begin + by, length - by
        else:
            more = min(begin, -by)
            begin, length, before = begin - more, length + more, -by - more
    elif by < 0:
        before -= by
    return revise(clip, begin=begin, length=length, hold_before=before, hold_after=after)


def _ended(cut: Cut, clip: Clip, by: int, film: Footage | None) -> Clip:
    """A clip that ends later or earlier."""
    length, before, after = clip.length, clip.hold_before, clip.hold_after
    if by > 0 and film is not None and not after:
        whole = film.lasts(cut.rate.fraction, clip.speed)
        more = by if clip.beyond != "hold" else min(by, max(0, whole - clip.begin - length))
        length, after = length + more, by - more
    elif by > 0:
        after += by
    else:
        held = min(-by, after)
        cut_off = min(-by - held, length - 1)
        after, length, before = after - held, length - cut_off, before - (-by - held - cut_off)
    return revise(clip, length=length, hold_before=before, hold_after=after)


def _widened(cut: Cut, k: int, by: int) -> Cut:
    """A gap before the clip of a number wider by so much, if there is such a clip."""
    if k >= len(cut.clips) or by == 0:
        return cut
    clip = cut.clips[k]
    if clip.gap + by < 0:
        raise ChangeError(f"There is no room before ‘{clip.name}’. Let what follows move along, or trim less.")
    return put_all(cut, {f"clips/{clip.id}/gap": clip.gap + by})


def _paced(cut: Cut, edit: Pace, films: Films) -> Cut:
    k, clip = _at(cut, edit.clip)
    film = films.get(clip.take_id)
    if film is None:
        raise ChangeError(f"‘{clip.name}’ shows no take: it has no speed.")
    ratio = clip.speed / edit.speed
    whole = clip.begin == 0 and clip.length == film.lasts(cut.rate.fraction, clip.speed)
    length = film.lasts(cut.rate.fraction, edit.speed) if whole else max(1, round(clip.length * ratio))
    new = revise(clip, speed=edit.speed, begin=round(clip.begin * ratio), length=length)
    return _replaced(cut, k, 1, new)


def _frozen(cut: Cut, edit: Freeze) -> Cut:
    k, place, i = _shown(cut, edit.frame)
    clip, played = place.clip, i - place.clip.hold_before
    if played <= 0:
        return put_all(cut, {f"clips/{clip.id}/hold_before": clip.hold_before + edit.frames})
    if played >= clip.length - 1:
        return put_all(cut, {f"clips/{clip.id}/hold_after": clip.hold_after + edit.frames})
    cut = _split(cut, edit.frame + 1)
    return put_all(cut, {f"clips/{cut.clips[k].id}/hold_after": edit.frames})


def _taken_out(cut: Cut, edit: TakeOut) -> Cut:
    if not edit.path.startswith("clips/"):
        return remove_item(cut, edit.path)
    k, clip = _at(cut, edit.path.split("/", 1)[1])
    if not edit.ripple and k + 1 < len(cut.clips):
        before = lay_out_cut(cut)
        cut = _widened(cut, k + 1, clip.gap + length_of(clip) - before[k].cross_out - before[k].cross_in)
    titles = tuple(t for t in cut.titles if t.clip_id != clip.id)
    return put_all(cut, {"titles": titles, "clips": tuple(c for c in cut.clips if c.id != clip.id)})


def whole_cut(cut: Cut) -> int:
    """Frames of a cut. Raises ChangeError when there are none to be delivered."""
    if not (count := total(cut)):
        raise ChangeError("The cut is empty. Put a take into it first.")
    return count
