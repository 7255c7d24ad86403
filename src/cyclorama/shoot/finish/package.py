"""Package for another program: a zip of finished or layered frames, the cut, its grades, titles and sound."""

import secrets
import zipfile
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path

import numpy as np

from ...core.cut.compose import shape_of, with_title
from ...core.cut.document import Cut
from ...core.cut.sound import Mix, wav_of
from ...core.cut.timeline import lay_out_cut
from ...core.cut.titles import draw_title
from ...core.delivery.edit_lists import SourceReel, timeline_of, write_cut_list, write_edl, write_otio
from ...core.delivery.program_source import in_order
from ...core.delivery.verify import Opened
from ...core.picture.files import encode_display
from ...core.picture.grade.decisions import write_cdl
from ...core.scene.shoot import PICTURE_EXTENSIONS
from ...core.sequence.names import frame_name, sequence_stem, slug
from ...store import Studio, TakeRecord
from ...store.assets import put_in_place
from ...store.cuts import Handed
from .layered import layered_frame
from .masters import Masters, finished_file
from .take_frames import TakeReel

Tell = Callable[[str, float], None]


def write_package(studio: Studio, handed: Handed, reel: TakeReel, name: str, target: Path, tell: Tell) -> list[Opened]:
    """Write the zip and look into it. Raises ShootError for frames that are not there."""
    part = target.with_name(f".{secrets.token_hex(6)}.part")
    try:
        with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED) as box:
            count = _write(studio, handed, reel, name, box, tell)
        with zipfile.ZipFile(part) as box:
            damaged = box.testzip()
            says = "Every file in it is whole." if damaged is None else f"‘{damaged}’ is damaged."
            of = "one take" if len(reel.takes) == 1 else f"{len(reel.takes)} takes"
            found = [Opened("whole", damaged is None, says), Opened("frames", True, f"{count} frames of {of}.")]
        put_in_place(part, target)
        return found
    finally:
        part.unlink(missing_ok=True)


def _write(studio: Studio, handed: Handed, reel: TakeReel, name: str, box: zipfile.ZipFile, tell: Tell) -> int:
    cut, layered = handed.cut, handed.delivery.preset == "layers"
    reels = {take_id: _source(take_id, take, layered) for take_id, take in reel.takes.items()}
    files = dict(_titles(studio, cut, box)) | dict(_sounds(studio, cut, box))
    box.writestr("cut.otio", write_otio(timeline_of(cut, reel.films, reels, name, files)))
    box.writestr("cut.edl", write_edl(cut, reel.films, reels, name))
    box.writestr("cut.html", write_cut_list(cut, reel.films, reels, name))
    box.writestr("cut.json", cut.model_dump_json(indent=1))
    finishes = {take_id: studio.screening.finish(take).finishing for take_id, take in reel.takes.items()}
    for take_id, finishing in finishes.items():
        box.writestr(f"grades/{take_id}.cdl", write_cdl(finishing.grade, reel.takes[take_id].name))
        if finishing.grade.table.asset:
            box.writestr(f"grades/{take_id}.cube", studio.assets.get(finishing.grade.table.asset))
    clips = [x.clip for x in lay_out_cut(cut) if x.clip.take_id]
    wanted = sorted({(clip.take_id, reel.takes[clip.take_id].at(n)) for clip in clips for n in reel.numbers(clip)})
    masters = Masters(studio, 0)

    def made(k: int) -> bytes:
        take_id, frame = wanted[k]
        take = reel.takes[take_id]
        if layered:
            return layered_frame(take, frame)
        return finished_file(take, frame, finishes[take_id], masters, studio.assets.get)

    for k, data in enumerate(in_order(made, range(len(wanted)))):
        take_id, frame = wanted[k]
        file = Path(frame_name(reel.takes[take_id].project, frame)).with_suffix(f".{reels[take_id].ending}")
        box.writestr(f"{reels[take_id].folder}/{file}", data)
        tell("Packing frames", (k + 1) / len(wanted))
    return len(wanted)


def _source(take_id: str, take: TakeRecord, layered: bool) -> SourceReel:
    s = take.project.shot.shoot
    ending = "exr" if layered else PICTURE_EXTENSIONS[s.file_format]
    return SourceReel(take.name, take.numbers[0], f"frames/{take_id}", sequence_stem(take.project), ending, s.padding)


def _titles(studio: Studio, cut: Cut, box: zipfile.ZipFile) -> Iterator[tuple[str, str]]:
    """Titles as pictures with alpha, as large as the cut, when they have come; counters are in the list for people."""
    shape, nothing = shape_of(cut.width, cut.height), np.zeros((cut.height, cut.width, 4), np.float32)
    for number, title in enumerate(cut.titles, 1):
        if title.kind not in ("text", "picture"):
            continue
        drawn = draw_title(title, title.text, shape, cut.width, cut.height, studio.assets.get)
        if drawn is not None:
            url = f"titles/{number:02}-{slug(title.text or title.kind)[:40]}.png"
            box.writestr(url, encode_display(with_title(nothing, drawn), "png"))
            yield title.id, url


def _sounds(studio: Studio, cut: Cut, box: zipfile.ZipFile) -> Iterator[tuple[str, str]]:
    """The whole mix; and each sound as it is heard in it, before its loudness is set."""
    if not cut.sounds:
        return
    mix = Mix(cut, studio.assets.get)
    with box.open("sound.wav", "w", force_zip64=True) as file:
        for chunk in wav_of(mix.blocks, mix.samples):
            file.write(chunk)
    for number, sound in enumerate(cut.sounds, 1):
        url = f"sound/{number:02}-{slug(sound.name)[:40]}.wav"
        samples = mix.alone(sound)
        box.writestr(url, b"".join(wav_of(partial(iter, [samples]), len(samples))))
        yield sound.id, url
