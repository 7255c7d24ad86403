"""What compositing programs get: layered EXR, a timeline whose files are there, read back by other libraries."""

import io
import zipfile
from fractions import Fraction
from pathlib import Path

import numpy as np
import OpenEXR
import opentimelineio as otio
import pytest
from fastapi.testclient import TestClient
from PIL import Image
from tests.core.cut.test_sound import sine, wav
from tests.web.test_api import client  # noqa: F401  (a fixture)
from tests.web.test_cuts import Bench
from tests.web.test_takes_api import shot

from cyclorama.core.cut.sound import decode_sound
from cyclorama.core.cut.sound_synthesis import RATE
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.shoot.frames.files import master_path
from cyclorama.store import Studio

PASSES = ["lights", "normal", "position", "depth", "objects", "occlusion"]


@pytest.fixture
def take(client: TestClient, data_folder: Path, tracer: Tracer) -> tuple[Studio, str]:  # noqa: F811
    """Three frames with passes, so bright that much is above white."""
    over = {"shot__shoot__passes__wanted": PASSES, "look__tone__ev100": 6.0, "camera__f_number": 8.0}
    return shot(client, data_folder, tracer, **over, camera__blurs=False)


def read_exr(data: bytes, tmp_path: Path) -> tuple[dict, dict[str, np.ndarray]]:
    path = tmp_path / "frame.exr"
    path.write_bytes(data)
    with OpenEXR.File(str(path), separate_channels=True) as file:
        return dict(file.header()), {name: np.array(c.pixels) for name, c in file.channels().items()}


def test_a_frame_is_one_file_with_every_pass_and_its_camera(
    client: TestClient,  # noqa: F811
    take: tuple[Studio, str],
    tmp_path: Path,
) -> None:
    studio, key = take
    record = studio.takes.get(key)
    answer = client.get(f"/api/takes/{key}/layers.zip")
    with zipfile.ZipFile(io.BytesIO(answer.content)) as box:
        names = sorted(box.namelist())
        assert [name.split(".")[-2:] for name in names] == [["0001", "exr"], ["0002", "exr"], ["0003", "exr"]]
        header, channels = read_exr(box.read(names[1]), tmp_path)
    _, master = read_exr(master_path(record, 2).read_bytes(), tmp_path)
    assert all(np.array_equal(channels[c], master[c]) for c in "RGB")
    assert channels["R"].max() > 1  # light, not what a screen can show
    layers = {name.split(".")[0] for name in channels}
    assert {"light Key", "background", "normal", "position", "depth", "objects00", "occlusion"} <= layers
    halves = {name for name, plane in channels.items() if plane.dtype == np.float16}
    assert {"R", "normal.X", "light Key.R", "occlusion.R"} <= halves
    assert not halves & {"position.X", "depth.Z", "objects00.R"}
    lights = [name[:-2] for name in channels if name.endswith(".R") and name.startswith(("light ", "background"))]
    assert sum(channels[f"{x}.G"].astype(float) for x in lights) == pytest.approx(channels["G"], rel=3e-3, abs=2e-3)
    assert any(name.startswith("cryptomatte/") and name.endswith("manifest") for name in header)
    # where the camera was: what is seen of the world lies in the picture where it is
    told = (header["framesPerSecond"], header["imageCounter"], header["reelName"], header["colorInteropID"])
    assert told == (Fraction(24, 1), 2, record.name, "lin_rec709_scene")
    assert (header["timeCode"].seconds, header["timeCode"].frame) == (0, 2)
    assert header["aperture"] == 8
    h, w = channels["depth.Z"].shape
    at = np.argwhere(np.isfinite(channels["depth.Z"]) & (channels["depth.Z"] > 0))
    points = np.stack([channels[f"position.{c}"][tuple(at.T)] for c in "XYZ"] + [np.ones(len(at))], axis=1)
    seen = points @ np.asarray(header["worldToCamera"])
    assert np.linalg.norm(seen[:, :3], axis=1) == pytest.approx(channels["depth.Z"][tuple(at.T)], rel=0.02)
    assert seen[:, 2].max() < 0  # cameras look along −z
    placed = points @ np.asarray(header["worldToNDC"])
    placed = placed[:, :2] / placed[:, 3:]
    x, y = (placed[:, 0] + 1) / 2 * w - 0.5, (1 - placed[:, 1]) / 2 * h - 0.5
    assert np.median(np.hypot(x - at[:, 1], y - at[:, 0])) < 0.5


def test_the_files_of_a_timeline_are_beside_it(
    client: TestClient,  # noqa: F811
    take: tuple[Studio, str],
    tmp_path: Path,
) -> None:
    studio, key = take
    bench = Bench(client, studio.takes.get(key).project_id)
    bench.edit(do="add clip", take_id=key)
    bench.edit(do="put", what={"id": "t", "text": "Storm Glass", "start": 1, "length": 2, "size": 20})
    bench.edit(do="put", what={"id": "n", "kind": "timecode", "length": 3})
    tone = client.post(f"{bench.url}/sounds", files=[("files", ("tone.wav", wav(sine(1.0, -18.0))))]).json()
    for number, start in enumerate((0, 1)):  # one over the other, of one track
        sound = {"id": f"s{number}", "name": "Tone", "asset": tone["asset"], "seconds": 1.0}
        bench.edit(do="put", what=sound | {"start": start, "length": 2, "gain_db": -6.0})
    (done,) = bench.deliver({"preset": "layers", "width": 64, "height": 48})
    assert done["fine"], done
    data = client.get(f"/api/deliveries/{done['id']}/file").content
    with zipfile.ZipFile(io.BytesIO(data)) as box:
        box.extractall(tmp_path)
    timeline = otio.adapters.read_from_file(str(tmp_path / "cut.otio"))
    assert [(t.name, t.kind) for t in timeline.tracks] == [
        ("Picture", "Video"),
        ("Titles", "Video"),
        ("Sound 1", "Audio"),
        ("Sound 1", "Audio"),
    ]
    urls = []
    for clip in timeline.find_clips():
        reference = clip.media_reference
        if isinstance(reference, otio.schema.ImageSequenceReference):
            urls += [reference.target_url_for_image_number(i) for i in range(3)]
        else:
            urls.append(reference.target_url)
    assert len(urls) == 6
    assert all((tmp_path / url).is_file() for url in urls)
    (title,) = timeline.tracks[1].find_clips()
    assert (title.range_in_parent().start_time.value, title.duration().value) == (1, 2)
    with Image.open(tmp_path / title.media_reference.target_url) as image:
        assert image.size == (64, 48)  # that of the cut
        alpha = np.asarray(image)[..., 3]
    assert (alpha[0, 0], alpha.max()) == (0, 255)
    (sound, *_) = timeline.tracks[2].find_clips()
    heard = decode_sound((tmp_path / sound.media_reference.target_url).read_bytes(), "stem")
    assert len(heard) == 2 * RATE / 24
    # of −18 dBFS, 6 dB softer: a sine's RMS is 3 dB below its peak
    assert 20 * np.log10(np.sqrt(np.mean(heard**2))) == pytest.approx(-18 - 6, abs=3.2)
    _, channels = read_exr((tmp_path / urls[0]).read_bytes(), tmp_path)
    assert "normal.X" in channels
    cdl = (tmp_path / "grades" / f"{key}.cdl").read_text()
    assert "<InputDescription>Scene-linear light, Rec.709 primaries" in cdl
