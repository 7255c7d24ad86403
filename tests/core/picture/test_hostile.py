"""Pictures that are not what they say: other formats, sizes that would fill the memory, damage anywhere."""

import io
import struct
import subprocess
import sys
import zlib
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from tests.conftest import png_of

from cyclorama.core.errors import IntakeError
from cyclorama.core.picture.exr import check_size, encode_channels, encode_exr
from cyclorama.core.picture.linear import read_linear
from cyclorama.core.picture_files import decode_picture, open_picture

SMALL = np.random.default_rng(1).random((16, 32, 3)).astype(np.float32)


def in_format(kind: str, **more: object) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray((SMALL * 255).astype(np.uint8)).save(buffer, kind, **more)
    return buffer.getvalue()


EPS = b"""%!PS-Adobe-3.0 EPSF-3.0
%%BoundingBox: 0 0 8 8
%%EndComments
(hostile) print
%%EOF
"""
OTHERS = {
    "eps": EPS, "eps as png": EPS, "bmp": in_format("BMP"), "gif": in_format("GIF"), "pcx": in_format("PCX"),
    "ico": in_format("ICO"), "tga": in_format("TGA"), "ppm": in_format("PPM"), "pdf": in_format("PDF"),
    "sgi": in_format("SGI"), "jp2": b"\0\0\0\x0cjP  \r\n\x87\n" + bytes(64), "fli": struct.pack("<IH", 128, 0xAF11),
    "svg": b"<svg xmlns='http://www.w3.org/2000/svg' width='8' height='8'/>", "html": b"<html></html>",
    "xbm": b"#define a_width 8\n#define a_height 8\nstatic char a_bits[] = {0x00};", "msp": b"DanM" + bytes(60),
    "empty": b"", "one byte": b"\x89", "text": b"not a picture", "zip": b"PK\x03\x04" + bytes(40),
}  # fmt: skip


@pytest.mark.parametrize("data", OTHERS.values(), ids=OTHERS.keys())
def test_only_named_formats_are_opened(data: bytes) -> None:
    with pytest.raises(IntakeError, match="damaged or of another kind"):
        decode_picture(data, "map.png")


def chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def png_that_claims(width: int, height: int) -> bytes:
    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", zlib.compress(bytes(1000)))


@pytest.mark.parametrize("size", [(8193, 8192), (16385, 1), (1, 16385), (2**31 - 1, 2**31 - 1), (60000, 60000)])
def test_the_size_is_looked_at_before_a_pixel_is(size: tuple[int, int]) -> None:
    with pytest.raises(IntakeError):
        decode_picture(png_that_claims(*size), "map.png")


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "TIFF", "WEBP"])
def test_cut_pictures_are_refused(kind: str) -> None:
    data = in_format(kind)
    with open_picture(data, "map") as image:
        assert image.size == (32, 16)
    for share in (0.1, 0.5, 0.9):
        with pytest.raises(IntakeError):
            decode_picture(data[: int(len(data) * share)], "map")


def exr_that_claims(width: int, height: int, channels: int = 3) -> bytes:
    """A sound EXR whose header is made to claim another size."""
    data = encode_channels({f"layer{i}": SMALL[..., 0] for i in range(channels)}, {})
    for window in (b"dataWindow\0box2i\0", b"displayWindow\0box2i\0"):
        at = data.index(window) + len(window) + 4
        data = data[:at] + struct.pack("<4i", 0, 0, width - 1, height - 1) + data[at + 16 :]
    return data


def test_an_exr_of_ordinary_size_passes() -> None:
    check_size(encode_exr(SMALL), "a.exr")
    assert read_linear(encode_exr(SMALL, bits=32), "a.exr") == pytest.approx(SMALL)


@pytest.mark.parametrize(("width", "height", "channels"), [(40_000, 20_000, 3), (16_384, 8_192, 5), (2**31 - 1, 2, 1)])
def test_an_exr_that_would_fill_the_memory_is_refused_by_its_header(width: int, height: int, channels: int) -> None:
    with pytest.raises(IntakeError, match="at most 16384×8192"):
        read_linear(exr_that_claims(width, height, channels), "sky.exr")


@pytest.mark.parametrize("cut", [5, 9, 40, 120, 300])
def test_an_exr_without_a_whole_header_is_refused(cut: int) -> None:
    with pytest.raises(IntakeError, match="damaged"):
        read_linear(encode_exr(SMALL)[:cut], "sky.exr")


def test_headers_that_lead_astray_are_refused() -> None:
    data = bytearray(encode_exr(SMALL))
    at = data.index(b"dataWindow\0box2i\0") + 17
    for length in (-1, 0x7FFFFFFF):
        data[at : at + 4] = struct.pack("<i", length)
        with pytest.raises(IntakeError, match="damaged"):
            read_linear(bytes(data), "sky.exr")


def test_no_hostile_picture_takes_memory(tmp_path: Path) -> None:
    """All of them in a process that may use 1.5 GB: each ends in a sentence."""
    hostile = {
        "claims.exr": exr_that_claims(30_000, 15_000),
        "many.exr": exr_that_claims(8_192, 4_096, 40),
        "claims.png": png_that_claims(50_000, 50_000),
        "flat.hdr": b"#?RADIANCE\n\n-Y 60000 +X 120000\n",
    }
    for name, data in hostile.items():
        (tmp_path / name).write_bytes(data)
    (tmp_path / "sound.png").write_bytes(png_of(SMALL * 255))
    code = f"""
from pathlib import Path
import resource
resource.setrlimit(resource.RLIMIT_AS, (1_500_000_000, resource.RLIM_INFINITY))
from cyclorama.core.errors import IntakeError
from cyclorama.core.picture.inspect_upload import examine_environment, examine_picture
for path in sorted(Path({str(tmp_path)!r}).iterdir()):
    examine = examine_environment if path.suffix in (".exr", ".hdr") else examine_picture
    try:
        examine(path, path.name)
        print("taken", path.name)
    except IntakeError as error:
        print("refused", path.name)
"""
    told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split("\n")
    assert sorted(told)[1:] == [*(f"refused {name}" for name in sorted(hostile)), "taken sound.png"]
