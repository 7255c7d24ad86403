"""Map tiles (UDIM): from files beside a model to what a ray sees."""

import io

import numpy as np
import pytest
from PIL import Image
from tests.conftest import edited, png_of, project_of
from tests.core.geometry.test_usd_step import bind, files_of, preview, square, stage_at
from tests.core.material.test_laid_on import _value

from cyclorama.core.geometry.build import grid_mesh
from cyclorama.core.geometry.cache_keys import content_hash, standin_key
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.mesh import Mesh
from cyclorama.core.motion import moment
from cyclorama.core.render.compile.compiler import SceneCompiler
from cyclorama.core.render.trace import parameters
from cyclorama.core.render.trace.parameters import TextureSet
from cyclorama.core.scene import Material, MaterialMaps, Placement, TextureRef, assets_of
from cyclorama.core.textures import MOST_TILES, tile_numbers

OBJ = b"""mtllib head.mtl
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
v 2 0 0
v 2 1 0
vt 0 1
vt 1 1
vt 1 2
vt 0 2
vt 1 0
vt 2 0
vt 2 1
usemtl Skin
f 1/1 2/2 3/3 4/4
f 2/5 5/6 6/7 3/2
"""
"""One square lies in tile 1011, the next in 1002."""


def plain(*colour: int, side: int = 4) -> bytes:
    return png_of(np.full((side, side, 3), colour, np.uint8))


GREEN, BLUE = (0, 255, 0), (0, 0, 255)


def seen(
    ref: TextureRef, files: dict[str, bytes], *at: float, colour: bool = True, single: bool = False
) -> list[float]:
    textures = TextureSet(files.__getitem__)
    index = textures.index_of(ref, colour, single)
    u, v = at
    found = _value(textures.shelf.arrays(), index, (u, v, 0.0) + (0.0,) * 8, (0.0,) * 3, (0.0, 0.0, 1.0))
    return [round(x, 3) for x in found]


def test_each_place_looks_into_its_tile_and_not_beyond() -> None:
    """Rows count upwards, v from the top; at the edge of a tile nothing of the other side comes in."""
    files = {"r": plain(255, 0, 0), "g": plain(*GREEN), "b": plain(*BLUE)}
    ref = TextureRef(asset="r", name="skin", tiles=("r", "g", *[""] * 8, "b"))
    assert seen(ref, files, 0.5, 0.5) == [1, 0, 0]
    assert seen(ref, files, 1.5, 0.5) == seen(ref, files, 1.001, 0.999) == seen(ref, files, 1.999, 0.001) == [0, 1, 0]
    assert seen(ref, files, 0.5, -0.5) == seen(ref, files, 0.999, -0.999) == [0, 0, 1]
    for nowhere in ((2.5, 0.5), (-0.5, 0.5), (0.5, 1.5), (10.5, 0.5), (0.5, -9.5), (np.nan, 0.5)):
        if not np.isnan(nowhere[0]):
            assert seen(ref, files, *nowhere) == [1, 1, 1]
        assert np.isfinite(seen(ref, files, *nowhere)).all()
    assert seen(ref, files, 2.5, 0.5, colour=False, single=True) == [1, 1, 1]
    flat = seen(ref, files, 2.5, 0.5, colour=False)
    assert flat == pytest.approx([0.5, 0.5, 1.0], abs=0.01)
    numbers = tile_numbers(np.array([[0.5, 0.5], [1.5, 0.5], [0.5, -0.5], [9.5, -8.5], [9.5, -9.5], [-0.1, 0.5]]))
    assert numbers.tolist() == [0, 1, 10, 99 - 0, MOST_TILES, MOST_TILES]


@pytest.mark.parametrize("named", ["skin_1011.png", "skin_<UDIM>.png"])
def test_obj_finds_its_tiles_by_name(named: str) -> None:
    files = {
        "head.obj": OBJ,
        "head.mtl": f"newmtl Skin\nmap_Kd {named}\n".encode(),
        "maps/skin_1002.png": plain(*GREEN),
        "maps/skin_1011.png": plain(*BLUE),
        "maps/skin_10020.png": plain(9, 9, 9),
        "other_1003.png": plain(9, 9, 9),
    }
    intake = take_in(files)
    ref = intake.materials[0].maps.base_color
    assert ref is not None
    assert [k for k, asset in enumerate(ref.tiles) if asset] == [1, 10]
    assert [intake.assets[ref.tiles[k]] for k in (1, 10)] == [plain(*GREEN), plain(*BLUE)]
    assert ref.asset == ref.tiles[1]
    assert intake.report.pictures == 2
    assert any("2 map tiles, 1002 to 1011" in f.what + f.done for f in intake.report.findings)
    standin = intake.assets[standin_key(intake.item.asset)]
    assert bytes((*GREEN, 255)) in standin
    assert bytes((*BLUE, 255)) in standin


def test_loose_tiles_are_laid_on_by_the_first_of_them() -> None:
    """By their endings, as other pictures; the number comes after them, with whatever stands before it."""
    files = {
        "head.obj": OBJ.replace(b"mtllib head.mtl\n", b""),
        "head_basecolor.1002.png": plain(*GREEN),
        "head_basecolor.1011.png": plain(*BLUE),
        "head_rough_1002.png": plain(99, 99, 99),
    }
    maps = take_in(files).materials[0].maps
    assert maps.base_color is not None
    assert [bool(asset) for asset in maps.base_color.tiles].count(True) == 2
    assert maps.specular_roughness is not None
    assert maps.specular_roughness.tiles == ()


def test_usd_finds_tiles_and_a_bundle_takes_all(tmp_path) -> None:  # type: ignore[no-untyped-def]
    for number, colour in ((1001, (255, 0, 0)), (1002, GREEN)):
        (tmp_path / f"paint.{number}.png").write_bytes(plain(*colour))
    stage = stage_at(tmp_path / "plate.usda", "Y", 1.0)
    bind(square(stage, "/plate").GetPrim(), preview(stage, "/paint", picture="./paint.<UDIM>.png"))
    stage.GetRootLayer().Save()
    intake = take_in(files_of(tmp_path))
    ref = intake.materials[0].maps.base_color
    assert ref is not None
    assert len(ref.assets) == 2
    assert set(ref.assets) <= set(assets_of(intake.materials[0]))


def test_many_large_tiles_are_read_in_small_versions(monkeypatch: pytest.MonkeyPatch) -> None:
    """All 100 tiles have room: of each, the largest version with which they do."""
    side = 64
    monkeypatch.setattr(parameters, "MOST_TILE_TEXELS", 100 * side * side // 8)
    files = {f"tile{k}": plain(k, 255 - k, 7, side=side) for k in range(100)}
    ref = TextureRef(asset="tile0", name="skin", tiles=tuple(files))
    textures = TextureSet(files.__getitem__)
    textures.fit_tiles((Material(id="m", name="M", maps=MaterialMaps(base_color=ref)),))
    index = textures.index_of(ref, True)
    arrays = textures.shelf.arrays()
    assert textures.shelf.size(index) == (side // 4, side // 4)
    assert len(arrays.texels) < 100 * (side // 4) ** 2 * 4 / 3 + 200


def test_true_relief_goes_on_over_the_edge_of_a_tile() -> None:
    """Two halves of a sheet in tiles 1001 and 1002, each with a ramp: one slope, without a step or a gap between."""
    x = np.repeat(np.linspace(0, 1, 5), 3).reshape(5, 3).T
    z = np.repeat(np.linspace(0, 1, 3), 5).reshape(3, 5)
    points = np.stack([x * 0.4 - 0.2, np.zeros_like(x), z * 0.2 - 0.1], axis=-1)
    mesh = grid_mesh(points[::-1], np.stack([2 * x, z], axis=-1)[::-1], 180)

    def ramp(low: float, high: float) -> bytes:
        values = low + (high - low) * (np.arange(128) + 0.5) / 128
        buffer = io.BytesIO()
        Image.fromarray(np.tile(np.round(values * 65535).astype(np.uint16), (16, 1))).save(buffer, "PNG")
        return buffer.getvalue()

    files = {content_hash(data): data for data in (ramp(0.0, 0.5), ramp(0.5, 1.0))}
    ref = TextureRef(asset=next(iter(files)), name="ramp", tiles=tuple(files))
    material = Material(
        id="m",
        name="M",
        maps=MaterialMaps(height=ref),
        displaced=True,
        height_m=0.1,
        relief_level=0.0,
        relief_step_m=0.01,
    )
    project, assets = project_of(Mesh(*(getattr(mesh, n) for n in Mesh.__slots__)), material)
    project = edited(project, {f"items/{project.items[0].id}/placement": Placement()})
    scene = SceneCompiler((assets | files).__getitem__).compile(moment(project, 1), 16, 16)
    corners = scene.geometry.corners[:, :9].reshape(-1, 3)
    off = np.abs(corners[:, 1] - (corners[:, 0] + 0.2) / 0.4 * 0.1)
    assert len(corners) > 500
    # half a pixel at the edges of a picture is flat
    edge = (np.abs(corners[:, 0]) < 0.005) | (np.abs(corners[:, 0]) > 0.195)
    assert off[~edge].max() < 6e-4
    assert off.max() < 2e-3
