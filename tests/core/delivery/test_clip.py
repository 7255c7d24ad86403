"""Encoded clips are what they say, and the seam check tells loops from jumps."""

import weakref
from fractions import Fraction
from functools import partial
from pathlib import Path

import av
import numpy as np
import pytest
from PIL import Image

from cyclorama.core.delivery.encode import Frame, encode_mp4
from cyclorama.core.delivery.segments import PIECE, pictures_in
from cyclorama.core.errors import ShootError
from cyclorama.core.sequence.seam import check_seam


def frames(folder: Path, count: int, size: tuple[int, int] = (64, 48)) -> list[Path]:
    """Pictures on disk."""
    paths = []
    for i in range(count):
        pixels = np.full((size[1], size[0], 3), [200, 20 + 12 * i, 40], np.uint8)
        path = folder / f"{i:04d}.png"
        Image.fromarray(pixels).save(path)
        paths.append(path)
    return paths


def files(paths: list[Path]) -> list[Frame]:
    return [(p.name, p.read_bytes) for p in paths]


@pytest.mark.parametrize("rate", [Fraction(24), Fraction(30000, 1001)])
def test_mp4(tmp_path: Path, rate: Fraction) -> None:
    target = tmp_path / "clip.mp4"
    encode_mp4(files(frames(tmp_path, 9, (65, 49))), rate, target, loops=2)
    with av.open(str(target)) as container:
        video = container.streams.video[0]
        assert (video.width, video.height) == (64, 48)
        assert video.average_rate == rate
        assert video.codec_context.name == "h264"
        assert video.codec_context.pix_fmt == "yuv420p"
        decoded = list(container.decode(video))
    assert len(decoded) == 18
    assert decoded[8].to_ndarray(format="rgb24")[20, 20] == pytest.approx([200, 116, 40], abs=6)  # BT.709 both ways
    data = target.read_bytes()
    assert data.index(b"moov") < data.index(b"mdat")  # the index is at the front


def test_a_clip_that_was_stopped_goes_on_where_it_was(tmp_path: Path) -> None:
    """Whole pieces are used again; the finished clip has every picture, and leaves none of them."""
    paths = frames(tmp_path, 2 * PIECE + 10, (32, 32))
    target, pieces, read = tmp_path / "clip.mp4", tmp_path / "pieces", list[str]()

    def counted(path: Path) -> bytes:
        read.append(path.name)
        return path.read_bytes()

    def stop(share: float) -> None:
        if len(read) > 1.5 * PIECE:
            raise KeyboardInterrupt

    asked: list[Frame] = [(p.name, partial(counted, p)) for p in paths]
    with pytest.raises(KeyboardInterrupt):
        encode_mp4(asked, Fraction(24), target, 1, stop, pieces)
    assert not target.exists()
    read.clear()
    encode_mp4(asked, Fraction(24), target, 1, pieces=pieces)
    assert paths[5].name not in read
    assert pictures_in(target) == len(paths)
    assert not pieces.exists()


def test_encoding_refuses_what_it_cannot_read(tmp_path: Path) -> None:
    target = tmp_path / "clip.mp4"
    target.write_bytes(b"before")
    paths = frames(tmp_path, 3)
    paths[1].write_bytes(b"broken")
    with pytest.raises(ShootError, match=r"0001\.png"):
        encode_mp4(files(paths), Fraction(24), target)
    with pytest.raises(ShootError, match="no frames"):
        encode_mp4([], Fraction(24), target)
    Image.new("RGB", (32, 32)).save(paths[1])
    with pytest.raises(ShootError, match="another size"):
        encode_mp4(files(paths), Fraction(24), target)
    assert target.read_bytes() == b"before"
    assert not list(tmp_path.glob(".*.part"))


def turning(count: int, total: int) -> list[np.ndarray]:
    """A bright bar that travels round a picture once in `total` steps."""
    pictures = []
    for i in range(count):
        row = np.exp(-(((np.arange(240) - i * 240 / total + 120) % 240 - 120) ** 2) / 200)
        pictures.append(np.tile(row[None, :, None], (8, 1, 3)).astype(np.float32))
    return pictures


def test_the_seam_check_holds_few_pictures_at_a_time() -> None:
    alive: set[int] = set()
    most = 0

    def one_by_one():  # type: ignore[no-untyped-def]
        nonlocal most
        for i, picture in enumerate(turning(24, 24)):
            single = picture.copy()
            alive.add(i)
            weakref.finalize(single, alive.discard, i)
            yield single
            del single
            most = max(most, len(alive))

    assert check_seam(one_by_one()).steps == check_seam(turning(24, 24)).steps
    assert most <= 4


def test_seam() -> None:
    assert check_seam(turning(24, 24)).ratio == pytest.approx(1, abs=0.05)
    assert check_seam([*turning(24, 24), turning(1, 24)[0]]).ratio < 0.05  # doubled last frame
    assert check_seam(turning(16, 24)).ratio > 2  # a third is missing
    assert "closes" in check_seam(turning(24, 24)).sentence
    assert "hesitate" in check_seam([*turning(24, 24), turning(1, 24)[0]]).sentence
    assert "jumps" in check_seam(turning(16, 24)).sentence
    assert "Nothing moves" in check_seam([turning(1, 24)[0]] * 4).sentence
