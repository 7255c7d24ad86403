"""Documents by chance, ends of all ranges included: whatever can be set can be shot, with every pass, as numbers."""

import io
import typing
from pathlib import Path

import numpy as np
import OpenEXR
import pytest
import tifffile
from PIL import Image
from tests.conftest import edited, item_of, png_of, sphere
from tests.documents import by_chance

from cyclorama.core.geometry.cache_keys import content_hash
from cyclorama.core.geometry.mesh import join
from cyclorama.core.motion import moment
from cyclorama.core.picture.files import encode_frame
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.film.beauty import beauty
from cyclorama.core.render.film.denoise import denoise
from cyclorama.core.render.film.film import Film
from cyclorama.core.render.film.frame import expose_frame
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.render.passes.outputs import pass_files
from cyclorama.core.render.trace.arrays import KINDS_OF_LIGHT
from cyclorama.core.scene import (
    Aim,
    Background,
    Camera,
    Environment,
    Light,
    Material,
    MaterialMaps,
    Passes,
    Project,
    ShootSettings,
    Stage,
    TextureRef,
    Tone,
    new_project,
)
from cyclorama.core.scene.shoot import PassName

WIDTH, HEIGHT = 24, 16


def maps_by_chance(rng: np.random.Generator) -> MaterialMaps:
    chosen = [name for name in MaterialMaps.model_fields if rng.random() < 0.15]
    patterns = [None, "noise", "brushed", "flakes", "weave", "gradient", "grain"]
    kinds = [patterns[rng.integers(len(patterns))] for _ in chosen]
    return MaterialMaps(
        **{
            name: by_chance(TextureRef, rng, 0.4, asset="" if kind else "picture", pattern=kind)
            for name, kind in zip(chosen, kinds, strict=True)
        }
    )


def studio_by_chance(seed: int) -> tuple[Project, dict[str, bytes]]:
    """Two balls, one within the other's surface, with everything about them by chance."""
    rng = np.random.default_rng(seed)
    large, small = sphere(0.4, 24), sphere(0.2, 16).transformed(np.eye(4) + 0.3 * np.eye(4, k=3))
    mesh = join([large, small])
    data = mesh.to_bytes()
    key = content_hash(data)
    picture = png_of(rng.integers(0, 256, (8, 16, 4)))
    base = new_project("Chance")
    materials = tuple(by_chance(Material, rng, 0.4, id=f"m{i}", name="M", maps=maps_by_chance(rng)) for i in range(2))
    item = item_of(key, ("P0", "m0"), ("P1", "m1"))
    lights = tuple(
        by_chance(Light, rng, 0.4, id=f"l{i}", name="L", solo=False, excluded_parts=("p0",) * (rng.random() < 0.2))
        for i in range(rng.integers(0, 4))
    )
    camera = by_chance(
        Camera,
        rng,
        0.3,
        id=base.camera.id,
        name="C",
        distance_m=rng.uniform(0.1, 3),
        aim=Aim(y_m=rng.uniform(-0.3, 0.5)),
        focus_item=None,
    )
    passes = by_chance(Passes, rng, 0.5, wanted=typing.get_args(PassName))
    shoot = by_chance(
        ShootSettings,
        rng,
        0.5,
        passes=passes,
        width=WIDTH,
        height=HEIGHT,
        samples=4,
        min_samples=4,
        from_frame=None,
        to_frame=None,
        denoise_neighbours=False,
    )
    project = edited(
        base,
        {
            "materials": materials,
            "items": (item,),
            "subject_id": item.id,
            f"cameras/{camera.id}": camera,
            "look/lights": lights,
            "look/background": by_chance(Background, rng),
            "look/tone": by_chance(Tone, rng),
            "look/environment": by_chance(Environment, rng, 0.4, kind="sky" if rng.random() < 0.5 else "picture"),
            "set": by_chance(Stage, rng, 0.3),
            "move": ("orbit", "spin", "hold")[seed % 3],
            "shot/frames": 1 + seed,
            "shot/shoot": shoot,
        },
    )
    return project, {key: data, "picture": picture}


def check_film(film: Film) -> None:
    """Finite, not negative, and the sum of its lights as well as of its components."""
    assert np.isfinite(film.sums).all()
    assert np.isfinite(film.places).all()
    assert film.sums[:, :3].min() >= 0.0
    assert np.linalg.norm(film.normal, axis=-1).max() < 1.001
    kinds = [name for name in film.layers if name in KINDS_OF_LIGHT]
    for names in (kinds, [name for name in film.layers if name not in kinds]):
        together = sum((film.layer(name) for name in names), np.zeros_like(film.radiance))
        assert np.allclose(together, film.radiance, rtol=1e-4, atol=1e-5 * max(float(film.radiance.max()), 1e-6))


def check_file(data: bytes, folder: Path) -> None:
    """It can be read again, has the size of the frame, and holds numbers only."""
    if not data.startswith(b"v/1\x01"):
        pixels = tifffile.imread(io.BytesIO(data)) if data[:2] in (b"II", b"MM") else Image.open(io.BytesIO(data))
        assert np.asarray(pixels).shape[:2] == (HEIGHT, WIDTH)
        return
    path = folder / "pass.exr"
    path.write_bytes(data)
    with OpenEXR.File(str(path), separate_channels=True) as exr:
        for part in exr.parts:
            for channel in part.channels.values():
                assert channel.pixels.shape == (HEIGHT, WIDTH)
                assert np.isfinite(np.asarray(channel.pixels, np.float64)).all()


@pytest.mark.filterwarnings("error")
@pytest.mark.parametrize("seed", range(20))
def test_any_allowed_settings_can_be_shot(tracer: Tracer, tmp_path: Path, seed: int) -> None:
    project, assets = studio_by_chance(seed)
    compiler = SceneCompiler(assets.__getitem__)
    frame = project.shot.first_frame
    film = expose_frame(moment(project, frame), compiler, tracer)
    check_film(film)
    clean = denoise(film) if project.shot.shoot.denoise else film.radiance
    radiance, alpha = beauty(film, moment(project, frame), clean, compiler, tracer)
    assert np.isfinite(radiance).all()
    shoot = project.shot.shoot
    check_file(encode_frame(radiance, alpha, project.look.tone, shoot.file_format, shoot.bits), tmp_path)
    seen = set()
    for file in pass_files(moment(project, frame), film, clean, compiler, tracer):
        seen.add(file.name)
        check_file(file.data, tmp_path)
    assert seen == set(typing.get_args(PassName))


@pytest.mark.parametrize("seed", range(20, 44))
def test_documents_by_chance_come_back_as_they_were(seed: int) -> None:
    project, _ = studio_by_chance(seed)
    again = Project.model_validate_json(project.model_dump_json())
    assert again == project
    assert again.model_dump_json() == project.model_dump_json()


def test_chance_reaches_the_ends_of_ranges() -> None:
    """Or the tests above would prove little."""
    rng = np.random.default_rng(0)
    materials = [by_chance(Material, rng, id="m", name="M") for _ in range(200)]
    for name in ("specular_roughness", "transmission_weight", "opacity", "subsurface_weight"):
        values = {getattr(m, name) for m in materials}
        assert {0.0, 1.0} <= values, name
        assert len(values) > 50
    assert {m.thin_walled for m in materials} == {True, False}
    assert max(m.emission_luminance for m in materials) == 1e7
    assert min(m.specular_ior for m in materials) == 1.0
