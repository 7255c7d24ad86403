"""Every preset is written, read back by an independent decoder, and what is wrong with a file is found."""

import os
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from types import SimpleNamespace

import av
import numpy as np
import pytest
from PIL import Image
from tests.core.cut.test_sound import sine

from cyclorama.core.cut.sound_synthesis import RATE
from cyclorama.core.delivery import segments
from cyclorama.core.delivery.containers import encode
from cyclorama.core.delivery.presets import PRESETS, Delivery
from cyclorama.core.delivery.program_source import ProgramSource
from cyclorama.core.delivery.size_forecast import forecast
from cyclorama.core.delivery.stills import file_of, picture_of
from cyclorama.core.delivery.verify import pictures_of, psnr, verify_delivery
from cyclorama.core.delivery.video_frames import Pictures
from cyclorama.core.errors import ShootError
from cyclorama.core.picture.exr import read_layers

W, H, COUNT = 128, 72, 10
MOVING = [name for name, coding in PRESETS.items() if coding.kind == "moving"]


def programme(
    clear: bool = False, rate: Fraction = Fraction(24), chapters: tuple[tuple[str, int], ...] = ()
) -> ProgramSource:
    """A gradient with a disc that moves over it; with sound."""
    y, x = np.mgrid[:H, :W]

    def frame(i: int) -> np.ndarray:
        disc = np.clip((16 - np.hypot(x - 20 - 8 * i, y - H / 2)) / 6, 0, 1).astype(np.float32)
        rgb = np.stack([x / W, y / H, disc], -1).astype(np.float32)
        return np.dstack([rgb, np.maximum(disc, 0.25)]).astype(np.float32) if clear else rgb

    return ProgramSource(frame, COUNT, rate, lambda: iter([sine(COUNT / float(rate), -20.0)]), "Lantern", chapters)


def quiet(what: str, share: float) -> None:
    """Nobody wants to know."""


def real_time_threads() -> set[int]:
    """Threads of this process that would let nothing else run, as an encoder makes them where it may."""
    threads = map(int, os.listdir("/proc/self/task"))
    return {t for t in threads if os.sched_getscheduler(t) != os.SCHED_OTHER}


@pytest.mark.parametrize("name", MOVING)
def test_written_decisions_read_back_the_same(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Joined of three pieces."""
    monkeypatch.setattr(segments, "PIECE", 4)
    delivery = Delivery(preset=name, width=W, height=H)  # type: ignore[arg-type]
    source = programme(delivery.coding.clear)
    path = tmp_path / f"clip.{delivery.coding.ending}"
    hurried: set[int] = set()
    encode(source, delivery, path, lambda what, share: hurried.update(real_time_threads()))
    assert hurried | real_time_threads() == set()
    assert [x for x in verify_delivery(path, source, delivery, None) if not x.fine] == []
    pictures = list(pictures_of(path, delivery.coding.clear))
    assert len(pictures) == COUNT
    scale = 4 if name == "gif loop" else 1  # dither is looked at from afar
    far = [psnr(p[::scale, ::scale], source.frame(i)[::scale, ::scale]) for i, p in enumerate(pictures) if scale == 1]
    assert min(far, default=99) > 27
    assert list(tmp_path.iterdir()) == [path]  # nothing is left beside it


def test_colours_tags_and_faststart_of_a_web_clip(tmp_path: Path) -> None:
    path = tmp_path / "clip.mp4"
    encode(
        programme(rate=Fraction(30000, 1001), chapters=(("Glass", 0), ("Brass", 4))),
        Delivery(width=W, height=H),
        path,
        quiet,
    )
    data = path.read_bytes()
    assert data.index(b"moov") < data.index(b"mdat")
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        assert stream.average_rate == Fraction(30000, 1001)
        assert (stream.codec_context.pix_fmt, stream.codec_context.color_range) == ("yuv420p", 1)
        assert [c["metadata"]["title"] for c in container.chapters()] == ["Glass", "Brass"]
        assert container.metadata["title"] == "Lantern"
        frame = next(container.decode(video=0)).to_ndarray()
    # BT.709 luma of the upper right corner, in video range (ITU-R BT.709, 3)
    red, green = (W - 4) / W, 2 / H
    assert frame[2, W - 4] == pytest.approx(16 + 219 * (0.2126 * red + 0.7152 * green), abs=2)


def test_alpha_is_kept_where_it_can_be_and_lies_over_white_where_not(tmp_path: Path) -> None:
    source = programme(clear=True)
    for name in ("clear loop", "webp loop", "clear master"):
        delivery = Delivery(preset=name, width=W, height=H)  # type: ignore[arg-type]
        path = tmp_path / f"{name}.{delivery.coding.ending}"
        encode(source, delivery, path, quiet)
        first = next(pictures_of(path, True))
        assert np.abs(first[..., 3] - source.frame(0)[..., 3]).mean() < 0.03
    path = tmp_path / "plain.mp4"
    encode(source, Delivery(width=W, height=H, quality=100), path, quiet)
    first, meant = next(pictures_of(path, False)), source.frame(0)
    assert psnr(first, meant[..., :3] * meant[..., 3:] + 1 - meant[..., 3:]) > 30


def test_it_fits_where_it_must_or_says_that_it_cannot(tmp_path: Path) -> None:
    source = ProgramSource(programme().frame, COUNT, Fraction(24))
    path = tmp_path / "clip.mp4"
    encode(source, Delivery(width=W, height=H, quality=100), path, quiet)
    finest = path.stat().st_size
    told = encode(source, Delivery(width=W, height=H, fits_mb=0.6 * finest / 1e6), path, quiet)
    assert path.stat().st_size <= 0.6 * finest
    # a step finer would not have fitted
    finer = Delivery(width=W, height=H).coding.ladder
    at = [o["crf"] for o in finer].index(told["crf"])
    steps = len(finer) - 1
    encode(
        source, Delivery(width=W, height=H, quality=round(100 * (1 - (at - 1) / steps))), tmp_path / "finer.mp4", quiet
    )
    assert (tmp_path / "finer.mp4").stat().st_size > 0.6 * finest
    before = path.read_bytes()
    with pytest.raises(ShootError, match="Even at its coarsest"):
        encode(source, Delivery(width=W, height=H, fits_mb=0.0004), path, quiet)
    assert path.read_bytes() == before


def test_rounds_repeat_picture_and_sound(tmp_path: Path) -> None:
    delivery, path = Delivery(width=W, height=H, rounds=3), tmp_path / "clip.mp4"
    source = programme()
    encode(source, delivery, path, quiet)
    assert all(x.fine for x in verify_delivery(path, source, delivery, None))
    assert len(list(pictures_of(path, False))) == 3 * COUNT
    with av.open(str(path)) as container:
        heard = sum(f.samples for f in container.decode(audio=0))
    assert heard == pytest.approx(3 * COUNT * RATE / 24, abs=2400)


def test_faults_of_a_file_are_found(tmp_path: Path) -> None:
    delivery, path = Delivery(width=W, height=H), tmp_path / "clip.mp4"
    source = programme()
    encode(source, delivery, path, quiet)

    def odd(meant: ProgramSource, how: Delivery = delivery, loudness: float | None = None) -> set[str]:
        return {x.what for x in verify_delivery(path, meant, how, loudness) if not x.fine}

    assert odd(source, loudness=-20.0) == set()
    assert odd(source, loudness=-14.0) == {"loudness"}
    longer = ProgramSource(source.frame, COUNT + 5, source.rate, source.sound)
    assert {"frames", "length", "last frame"} <= odd(longer)
    other = ProgramSource(lambda i: 1 - source.frame(i), COUNT, source.rate, source.sound)
    assert {"first frame", "last frame"} <= odd(other)
    assert "rate" in odd(ProgramSource(source.frame, COUNT, Fraction(25), source.sound))
    large = ProgramSource(lambda i: np.repeat(np.repeat(source.frame(i), 2, 0), 2, 1), COUNT, source.rate, source.sound)
    assert "size" in odd(large)
    path.write_bytes(path.read_bytes()[:900])
    with pytest.raises(ShootError, match="opened again"):
        verify_delivery(path, source, delivery, None)


def test_a_stopped_delivery_leaves_nothing(tmp_path: Path) -> None:
    class Stopped(Exception):
        pass

    def stop(what: str, share: float) -> None:
        if share > 0.3:
            raise Stopped

    for delivery in (Delivery(width=W, height=H), Delivery(preset="gif loop", width=W, height=H)):
        with pytest.raises(Stopped):
            encode(programme(), delivery, tmp_path / "clip.mp4", stop)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("name", MOVING)
@pytest.mark.parametrize("count", [1, 2, 3])
def test_the_shortest_clips_are_whole(name: str, count: int, tmp_path: Path) -> None:
    """Also where an encoder would look farther ahead than there is anything."""
    short = replace(programme(), count=count)
    encode(short, Delivery(preset=name, width=W, height=H), tmp_path / "clip", quiet)  # type: ignore[arg-type]
    assert segments.pictures_in(tmp_path / "clip") == count


class Packet:
    """What comes of an encoder, with whatever time lay in memory."""

    def __init__(self, dts: int):
        self.dts = dts


@pytest.mark.parametrize("count", [1, 2])
def test_times_that_lay_in_memory_are_not_written(count: int) -> None:
    written: list[Packet] = []
    made = Pictures(SimpleNamespace(mux=written.append), PRESETS["fine"], Fraction(24), {})
    made._number = count
    made._stream = SimpleNamespace(encode=lambda: [Packet(-93_848_543_742_528) for _ in range(count)])
    made.end()
    assert [packet.dts for packet in written] == list(range(count))


@pytest.mark.parametrize("name", ["web", "fine", "gif loop"])
def test_dead_deliveries_go_on_where_they_were(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(segments, "PIECE", 4)
    delivery = Delivery(preset=name, width=W, height=H)  # type: ignore[arg-type]
    source, folder, asked = programme(), tmp_path / "pieces", list[int]()
    encode(source, delivery, tmp_path / "whole", quiet)

    def dying(i: int) -> np.ndarray:
        if i == 9:
            raise MemoryError
        return source.frame(i)

    with pytest.raises(MemoryError):
        encode(replace(source, frame=dying), delivery, tmp_path / "clip", quiet, folder)
    torn = folder / f"0000004.{segments.LOSSLESS.ending if name == 'gif loop' else delivery.coding.ending}"
    torn.write_bytes(torn.read_bytes()[:-200])  # the disk did not get all of it
    (folder / "0000008.part").write_bytes(b"half")

    def counted(i: int) -> np.ndarray:
        asked.append(i)
        return source.frame(i)

    encode(replace(source, frame=counted), delivery, tmp_path / "clip", quiet, folder)
    assert sorted(asked) == [4, 5, 6, 7, 8, 9]
    assert (tmp_path / "clip").read_bytes() == (tmp_path / "whole").read_bytes()
    assert sorted(p.name for p in tmp_path.iterdir()) == ["clip", "whole"]


@pytest.mark.parametrize("name", ["web", "fine", "small", "webp loop", "gif loop", "master", "png", "exr"])
def test_sizes_are_foretold(name: str, tmp_path: Path) -> None:
    y, x = np.mgrid[:H, :W]

    def frame(i: int) -> np.ndarray:
        """A disc that goes to and fro."""
        far = np.hypot(x - W / 2 - 40 * np.cos(i / 60 * 2 * np.pi), y - H / 2)
        return np.stack([x / W, y / H, np.clip((16 - far) / 6, 0, 1)], -1).astype(np.float32)

    source = replace(programme(), frame=frame, count=60, sound=lambda: iter([sine(2.5, -20.0)]))
    delivery = Delivery(preset=name, width=W, height=H, rounds=1 if name == "exr" else 2)  # type: ignore[arg-type]
    found = forecast(source, delivery)
    assert found is not None
    if delivery.coding.kind == "frames":
        real = sum(len(file_of(source.frame(i), delivery.coding)) for i in range(60))
    else:
        path = tmp_path / f"clip.{delivery.coding.ending}"
        encode(source, delivery, path, quiet)
        real = path.stat().st_size
        assert found.seconds == pytest.approx(5.0)
    assert found.bytes == pytest.approx(real, rel=0.4)
    assert forecast(source, Delivery(preset="sheet")) is None


@pytest.mark.parametrize(
    ("name", "plays", "says"),
    [("gif loop", 0, 0), ("gif loop", 1, None), ("gif loop", 3, 2), ("webp loop", 0, 0), ("webp loop", 3, 3)],
)
def test_loops_stop_when_they_are_asked_to(name: str, plays: int, says: int | None, tmp_path: Path) -> None:
    """GIF's extension counts what comes after the first round and is left out where there is none; WebP counts all."""
    delivery = Delivery(preset=name, width=W, height=H, plays=plays)  # type: ignore[arg-type]
    path = tmp_path / f"loop.{delivery.coding.ending}"
    encode(programme(), delivery, path, quiet)
    with Image.open(path) as image:
        assert image.info.get("loop") == says


def test_exr_frames_hold_the_light_of_what_is_shown() -> None:
    coding = PRESETS["exr"]
    picture = programme(clear=True).frame(3)
    channels = read_layers(file_of(picture, coding), "frame")
    red, alpha = picture[20, 100, 0], picture[20, 100, 3]
    assert channels["R"][20, 100] == pytest.approx(((red + 0.055) / 1.055) ** 2.4 * alpha, rel=1e-3)  # IEC 61966-2-1
    back = picture_of(file_of(picture, coding), coding, "frame")
    np.testing.assert_allclose(back[picture[..., 3] > 0.01], picture[picture[..., 3] > 0.01], atol=2e-3)


FOURCC = {"web": b"avc1", "fine": b"hvc1", "small": b"av01", "master": b"apch", "clear master": b"ap4h"}
OTHERS = {b"avc1", b"avc3", b"hvc1", b"hev1", b"av01", b"apch", b"apcn", b"ap4h"}


@pytest.mark.parametrize("name", sorted(FOURCC))
def test_players_are_told_what_is_in_the_file(name: str, tmp_path: Path) -> None:
    """The four letters of the sample entry (ISO 14496-12, 8.5.2), read from the bytes."""
    delivery = Delivery(preset=name, width=W, height=H)  # type: ignore[arg-type]
    path = tmp_path / f"clip.{delivery.coding.ending}"
    source = programme(delivery.coding.clear)
    encode(source, delivery, path, quiet)
    data = path.read_bytes()
    at = data.index(b"stsd")
    assert {tag for tag in OTHERS if tag in data[at : at + 64]} == {FOURCC[name]}
    assert {x.what for x in verify_delivery(path, source, delivery, None)} >= {"tag", "profile", "length", "size"}


def test_a_wrong_tag_profile_size_and_length_are_found(tmp_path: Path) -> None:
    """A file of one kind that is looked at as another."""
    source = programme()
    path = tmp_path / "clip.mov"
    encode(source, Delivery(preset="master", width=W, height=H), path, quiet)
    odd = verify_delivery(
        path, replace(source, count=COUNT + 1), Delivery(preset="clear master", width=W, height=H + 2), None
    )
    wrong = {x.what: x.sentence for x in odd if not x.fine}
    assert {"tag", "profile", "size", "length", "frames"} <= wrong.keys()
    assert wrong["tag"] == "Tagged apch instead of ap4h."
    assert wrong["length"] == "0.417 s instead of 0.458 s."


@pytest.mark.parametrize("name", ["old", "web", "fine", "clear loop", "gif loop", "master"])
@pytest.mark.parametrize("rate", [Fraction(25), Fraction(24000, 1001), Fraction(60)])
def test_a_file_lasts_as_long_as_its_frames(name: str, rate: Fraction, tmp_path: Path) -> None:
    """Also with sound that begins before its time: by the moments of its pictures, and none is put between."""
    delivery = Delivery(preset=name, width=W, height=H)  # type: ignore[arg-type]
    path = tmp_path / f"clip.{delivery.coding.ending}"
    encode(programme(delivery.coding.clear, rate), delivery, path, quiet)
    with av.open(str(path)) as container:
        base = container.streams.video[0].time_base
        moments = sorted(float(f.pts * base) for f in container.decode(video=0) if f.pts is not None)
    steps = np.diff(moments)
    assert len(moments) == COUNT
    slack = 0.0101 if name == "gif loop" else 0.0011  # hundredths of a second, thousandths in WebM
    assert np.abs(steps - 1 / float(rate)).max() < slack
    assert moments[0] == pytest.approx(0, abs=0.04)
