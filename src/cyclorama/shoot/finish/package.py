"""Package for another program: a zip of finished frames, the cut, its grades and its sound."""

import secrets
import zipfile
from collections.abc import Callable
from pathlib import Path

from ...core.cut.sound import Mix, wav_of
from ...core.cut.timeline import lay_out_cut
from ...core.delivery.edit_lists import SourceReel, timeline_of, write_cut_list, write_edl, write_otio
from ...core.delivery.verify import Opened
from ...core.picture.grade.decisions import write_cdl
from ...core.scene.shoot import PICTURE_EXTENSIONS
from ...core.sequence.names import frame_name, sequence_stem
from ...store import Studio
from ...store.assets import put_in_place
from ...store.cuts import Handed
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
    cut = handed.cut
    reels = {
        take_id: SourceReel(
            take.name,
            take.numbers[0],
            f"frames/{take_id}",
            sequence_stem(take.project),
            PICTURE_EXTENSIONS[take.project.shot.shoot.file_format],
            take.project.shot.shoot.padding,
        )
        for take_id, take in reel.takes.items()
    }
    box.writestr("cut.otio", write_otio(timeline_of(cut, reel.films, reels, name)))
    box.writestr("cut.edl", write_edl(cut, reel.films, reels, name))
    box.writestr("cut.html", write_cut_list(cut, reel.films, reels, name))
    box.writestr("cut.json", cut.model_dump_json(indent=1))
    clips = [x.clip for x in lay_out_cut(cut) if x.clip.take_id]
    wanted = sorted({(clip.take_id, reel.takes[clip.take_id].at(n)) for clip in clips for n in reel.numbers(clip)})
    finishes = {take_id: studio.screening.finish(take).finishing for take_id, take in reel.takes.items()}
    for take_id, finishing in finishes.items():
        box.writestr(f"grades/{take_id}.cdl", write_cdl(finishing.grade, reel.takes[take_id].name))
        if finishing.grade.table.asset:
            box.writestr(f"grades/{take_id}.cube", studio.assets.get(finishing.grade.table.asset))
    masters = Masters(studio, 0)
    for k, (take_id, frame) in enumerate(wanted):
        take = reel.takes[take_id]
        data = finished_file(take, frame, finishes[take_id], masters, studio.assets.get)
        box.writestr(f"{reels[take_id].folder}/{frame_name(take.project, frame)}", data)
        tell("Packing frames", (k + 1) / len(wanted))
    if cut.sounds:
        mix = Mix(cut, studio.assets.get)
        with box.open("sound.wav", "w", force_zip64=True) as file:
            for chunk in wav_of(mix.blocks, mix.samples):
                file.write(chunk)
    return len(wanted)
