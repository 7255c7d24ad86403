"""Handing a cut over: making the files of a delivery, opening them again, keeping what was found."""

import json
import shutil
from collections.abc import Callable, Iterable, Iterator
from dataclasses import asdict
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ...core.cut.compose import Compositor, enlargements, shape_of
from ...core.cut.document import Cut
from ...core.cut.edits import whole_cut
from ...core.cut.sound import Mix
from ...core.cut.title_faults import title_faults
from ...core.delivery.contact_sheets import sheet, sheet_file
from ...core.delivery.containers import encode
from ...core.delivery.presets import Coding, Delivery
from ...core.delivery.program_source import ProgramSource, in_order
from ...core.delivery.segments import pieces_folder
from ...core.delivery.size_forecast import Forecast, forecast
from ...core.delivery.spin import spin_page
from ...core.delivery.stills import file_of, picture_of
from ...core.delivery.verify import Opened, compare_delivery, size_of, verify_delivery
from ...core.delivery.video_frames import WHITE
from ...core.errors import ShootError, telling_of_space
from ...core.motion.timecode import timecode
from ...core.picture.files import encode_display
from ...core.picture.view_transform import over
from ...core.scene.shoot import PICTURE_EXTENSIONS
from ...core.sequence.names import name_by_pattern, slug
from ...store import Studio
from ...store.assets import write_whole
from ...store.cuts import Handed
from .masters import Masters
from .sheets import pictures_beside
from .take_frames import TakeReel, sizes_of

F32 = NDArray[np.float32]
Tell = Callable[[str, float], None]
FOLDER = "deliveries"


def folder_of(studio: Studio, project_id: str) -> Path:
    """Where what is handed over of a project lies."""
    return studio.folder / FOLDER / project_id


def file_name(name: str, delivery: Delivery) -> str:
    """File name of a delivery. Raises ChangeError for a pattern with a field that does not exist."""
    coding = delivery.coding
    if delivery.name_pattern:
        values = {
            "project": slug(name),
            "shape": shape_of(delivery.width, delivery.height).replace(":", "x"),
            "size": f"{delivery.width}x{delivery.height}",
            "codec": coding.short or coding.ending,
            "preset": slug(delivery.preset),
        }
        stem = name_by_pattern(delivery.name_pattern, values) or slug(name)
    else:
        kinds = {
            "moving": f"_{coding.short}" if coding.short else "",
            "frames": "",
            "still": f"_{delivery.poster or 0}",
            "sheet": "_sheet",
            "spin": "_spin",
            "package": f"_{coding.short or 'hand-over'}",
        }
        stem = f"{slug(name)}_{delivery.width}x{delivery.height}{kinds[coding.kind]}"
    return stem if coding.kind == "frames" else f"{stem}.{coding.ending}"


def _pieces_of(studio: Studio, handed: Handed, reel: TakeReel | None = None) -> Path:
    """Where what is ready of a delivery lies until all of it is. What was made of pictures that have changed since is
    removed, where it is said what they are now."""
    folder = folder_of(studio, handed.project_id) / f".{handed.id}.pieces"
    return folder if reel is None else pieces_folder(folder, reel.stamp)


def hand_over(studio: Studio, handed: Handed, tell: Tell) -> list[Opened]:
    """Make the files of a delivery and look at them; what was found is kept.

    What was ready when it was ended before is used, as long as the pictures are the same.
    Raises ShootError, IntakeError, SpaceError with a sentence; nothing half made stays under its name.
    """
    cut, delivery = handed.cut, handed.delivery
    reel = _whole_reel(studio, cut)
    programme, mix, numbers = programme_of(studio, handed.project_id, cut, delivery, reel)
    film = _in_its_rate(programme, delivery)
    target = folder_of(studio, handed.project_id) / handed.name
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        with telling_of_space():
            match delivery.coding.kind:
                case "moving":
                    pieces = _pieces_of(studio, handed, reel)
                    encode(film, delivery, target, lambda what, share: tell(what, 0.95 * share), pieces)
                    wanted = None if mix is None or cut.loudness == "as it is" else float(cut.loudness.split()[0])
                    tell("Opening it again", 0.95)
                    found = verify_delivery(target, film, delivery, wanted)
                    target = _named_by_size(studio, handed, target)
                case "frames":
                    first = round(numbers.start * film.rate / programme.rate)
                    found = _frames(film, delivery, target, _pieces_of(studio, handed, reel), first, tell)
                case "package":
                    from .package import write_package  # its library of timelines takes a while to load

                    found = write_package(studio, handed, reel, programme.name, target, tell)
                case "sheet" if delivery.sheet_of != "frames":
                    found = _sheet_beside(studio, handed, reel, programme.name, numbers, target)
                case _:
                    found = _one_file(programme, handed, target, numbers, goes_round(cut, reel), tell)
            if delivery.poster is not None and delivery.coding.kind == "moving":
                at = min(max(delivery.poster, numbers.start), numbers.stop - 1) - numbers.start
                poster = encode_display(over(programme.frame(at), WHITE), "jpeg")
                write_whole(target.with_name(f"{target.stem}_poster.jpg"), poster)
    except OSError as error:
        raise ShootError(f"It could not be written: {error.strerror or error}.") from error
    if delivery.coding.kind not in ("package", "sheet"):
        faults = title_faults(cut, delivery.width, delivery.height, studio.assets.get)
        found += [Opened("titles", False, fault) for fault in faults]
        told = enlargements(cut, sizes_of(reel.takes), delivery.width, delivery.height)
        found += [Opened("enlarged", True, sentence) for sentence in told]
    shutil.rmtree(_pieces_of(studio, handed), ignore_errors=True)
    studio.cuts.opened(handed.id, json.dumps([asdict(x) for x in found]), _size(target))
    return found


def _named_by_size(studio: Studio, handed: Handed, target: Path) -> Path:
    """Where a moving picture lies that was made smaller to fit: under a name that says so."""
    width, height = size_of(target)
    delivery = handed.delivery
    if (width, height) == (delivery.width, delivery.height):
        return target
    size = f"{delivery.width}x{delivery.height}"
    name = studio.cuts.rename_delivery(handed.id, handed.name.replace(size, f"{width}x{height}", 1))
    return target.rename(target.with_name(name))


def forecast_of(studio: Studio, project_id: str, cut: Cut, delivery: Delivery) -> Forecast | None:
    """About how large a delivery will be; None where that is not told before. Raises ShootError."""
    programme = programme_of(studio, project_id, cut, delivery, _whole_reel(studio, cut))[0]
    return forecast(_in_its_rate(programme, delivery), delivery)


def _in_its_rate(programme: ProgramSource, delivery: Delivery) -> ProgramSource:
    """The frames of a delivery in its own rate, where it has one."""
    return programme if delivery.own_rate is None else programme.at_rate(delivery.own_rate.fraction)


def _whole_reel(studio: Studio, cut: Cut) -> TakeReel:
    """Frame source for a cut whose takes are complete. Raises ShootError."""
    reel = TakeReel(studio, cut, Masters(studio, 0), complete=True)
    for fault in reel.faults():
        raise ShootError(fault)
    return reel


def programme_of(
    studio: Studio, project_id: str, cut: Cut, delivery: Delivery, reel: TakeReel
) -> tuple[ProgramSource, Mix | None, range]:
    """Source of a delivery: its frames from 0 on, its sound, and the frames of the cut that these are."""
    total = whole_cut(cut)
    first = min(delivery.first or 0, total - 1)
    last = min(total - 1 if delivery.last is None else delivery.last, total - 1)
    if last < first:
        raise ShootError(f"It would end in frame {last}, before it begins in frame {first}.")
    # of a cut that nothing can be seen through, fades and bars are to be seen
    clear = delivery.coding.clear and reel.transparent
    maker = Compositor(cut, reel.films, reel, studio.assets.get, delivery.width, delivery.height, clear)
    mix = Mix(cut, studio.assets.get) if cut.sounds and delivery.sound and delivery.coding.sound else None
    chapters = [
        (m.name, m.frame - first) for m in sorted(cut.markers, key=lambda m: m.frame) if first <= m.frame <= last
    ]
    if chapters and chapters[0][1] > 0:
        chapters.insert(0, ("Beginning", 0))
    programme = ProgramSource(
        lambda i: maker.frame(first + i),
        last - first + 1,
        cut.rate.fraction,
        partial(mix.between, first, last) if mix else None,
        studio.projects.get(project_id).project.name,
        chapters,
    )
    return programme, mix, range(first, last + 1)


def goes_round(cut: Cut, reel: TakeReel) -> bool:
    """True when the end of a cut leads into its beginning: one clip that plays whole rounds of a move that closes."""
    if len(cut.clips) != 1 or cut.clips[0].take_id not in reel.films:
        return False
    clip, film = cut.clips[0], reel.films[cut.clips[0].take_id]
    held = clip.hold_before or clip.hold_after or clip.gap
    return film.closes and not held and clip.length % film.lasts(cut.rate.fraction, clip.speed) == 0


def _frames(
    programme: ProgramSource, delivery: Delivery, target: Path, part: Path, first: int, tell: Tell
) -> list[Opened]:
    """A folder of frames, numbered as the frames of the cut are; those that are in `part` already stay as they are."""
    coding = delivery.coding
    part.mkdir(parents=True, exist_ok=True)
    digits = max(4, len(str(first + programme.count)))
    ending = PICTURE_EXTENSIONS[coding.ending]
    paths = [part / f"{target.name}.{first + i:0{digits}d}.{ending}" for i in range(programme.count)]
    lacking = [i for i, path in enumerate(paths) if not path.exists()]
    ready = programme.count - len(lacking)
    for k, (i, picture) in enumerate(zip(lacking, in_order(programme.frame, lacking), strict=True)):
        write_whole(paths[i], file_of(picture, coding))
        tell("Writing frames", (ready + k + 1) / programme.count)
    if (written := len(list(part.iterdir()))) != programme.count:
        raise ShootError(f"{written} frames were written instead of {programme.count}. Try again.")
    found = [Opened("frames", True, f"{written} frames.")]
    for name, i in (("first", 0), ("last", programme.count - 1)):
        found.append(_compared(name, paths[i].read_bytes(), programme.frame(i), delivery))
    part.rename(target)
    return found


def _compared(name: str, data: bytes, source: F32, delivery: Delivery) -> Opened:
    picture = picture_of(data, delivery.coding, name)
    return compare_delivery(f"{name} frame".strip(), f"{name} frame".strip(), picture, source, delivery.coding)


def spread(count: int, pictures: int) -> list[int]:
    """Numbers of so many frames, evenly spread over `count` that go round."""
    return [k * count // min(pictures, count) for k in range(min(pictures, count))]


def _one_file(
    programme: ProgramSource, handed: Handed, target: Path, numbers: range, round_: bool, tell: Tell
) -> list[Opened]:
    """A still, a sheet or a spin page."""
    delivery = handed.delivery
    coding = delivery.coding
    if coding.kind == "still":
        at = min(max(delivery.poster or 0, numbers.start), numbers.stop - 1)
        picture = programme.frame(at - numbers.start)
        write_whole(target, file_of(picture, coding))
        return [_compared("", target.read_bytes(), picture, delivery)]
    chosen = spread(programme.count, delivery.pictures)

    def pictures() -> Iterator[F32]:
        for k, picture in enumerate(in_order(programme.frame, chosen)):
            tell("Making pictures", (k + 1) / len(chosen))
            yield picture

    if coding.kind == "spin":
        page = spin_page(pictures(), programme.name, round_)
        write_whole(target, page)
        return [Opened("pictures", True, f"{len(chosen)} pictures, {len(page) / 1e6:.1f} MB.")]
    rate = handed.cut.rate
    named = ((f"{numbers[i]}  {timecode(numbers[i], rate)}", p) for i, p in zip(chosen, pictures(), strict=True))
    below = f"{len(chosen)} of {programme.count} frames, {delivery.width}×{delivery.height}, {rate}/s"
    return _sheet(named, programme.name, below, coding, target)


def _sheet_beside(
    studio: Studio, handed: Handed, reel: TakeReel, title: str, numbers: range, target: Path
) -> list[Opened]:
    """A sheet of what belongs to the take that is shown in a frame."""
    delivery = handed.delivery
    at = min(max(delivery.poster or 0, numbers.start), numbers.stop - 1)
    named = pictures_beside(studio, handed.cut, reel, at, delivery.sheet_of)
    below = f"{len(named)} {delivery.sheet_of}, frame {at} of the cut"
    return _sheet(named, title, below, delivery.coding, target)


def _sheet(named: Iterable[tuple[str, F32]], title: str, below: str, coding: Coding, target: Path) -> list[Opened]:
    pictures = list(named)
    write_whole(target, sheet_file(sheet(pictures, title, below), coding.ending))
    return [Opened("pictures", True, f"{len(pictures)} pictures on a sheet.")]


def _size(target: Path) -> int:
    files = target.iterdir() if target.is_dir() else (target,)
    return sum(f.stat().st_size for f in files)


def remove_files(studio: Studio, handed: Handed) -> None:
    """Remove what a delivery has written."""
    shutil.rmtree(_pieces_of(studio, handed), ignore_errors=True)
    target = folder_of(studio, handed.project_id) / handed.name
    if target.is_dir():
        shutil.rmtree(target)
    else:
        target.unlink(missing_ok=True)
        target.with_name(f"{target.stem}_poster.jpg").unlink(missing_ok=True)
