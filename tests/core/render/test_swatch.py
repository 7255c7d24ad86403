"""Swatches: the body they are shown on, and what they are kept under."""

import io

import numpy as np
import trimesh
from PIL import Image

from cyclorama.core.geometry.swatch_body import DEPTH_M, THIN_M, WIDE_M, build_swatch_body
from cyclorama.core.render.film.swatch import SIZE_PX, swatch_compiler, swatch_key, swatch_of
from cyclorama.core.render.film.tracer import Tracer
from cyclorama.core.scene import Material


def test_the_body_is_closed_and_stands_on_the_floor() -> None:
    mesh = build_swatch_body()
    solid = trimesh.Trimesh(mesh.vertices, mesh.triangles)
    solid.merge_vertices(merge_norm=True, merge_tex=True)
    assert solid.is_watertight
    assert solid.is_winding_consistent
    assert (mesh.part == 0).all()
    low, high = solid.bounds
    assert low[1] == 0.0
    assert high[2] - low[2] == np.float32(DEPTH_M)
    # a face at mid-depth cut across: as thick as it says at its flat end and at its tip
    area = solid.volume / DEPTH_M
    length = 0.058 + 0.026 * np.radians(215.0)
    assert 0.058 * WIDE_M < area < length * WIDE_M
    assert THIN_M < WIDE_M / 5


def test_a_swatch_shows_its_material_and_is_kept_under_what_it_shows(tracer: Tracer) -> None:
    compiler = swatch_compiler(lambda key: b"")
    red, green = (
        Material(id="a", name="A", base_color=c, specular_weight=0.0) for c in ((0.6, 0.02, 0.02), (0.02, 0.6, 0.02))
    )

    def body(material: Material) -> np.ndarray:
        picture = Image.open(io.BytesIO(swatch_of(material, compiler, tracer))).convert("RGB")
        assert picture.size == (SIZE_PX, SIZE_PX)
        shown = np.asarray(picture, float)
        return shown[70:90, 35:80].mean(axis=(0, 1))  # on its level face

    (r1, g1, _), (r2, g2, _) = body(red), body(green)
    assert r1 > 2 * g1
    assert g2 > 2 * r2
    assert swatch_key(red) == swatch_key(red.model_copy(update={"id": "b", "name": "B"}))
    assert swatch_key(red) != swatch_key(green)
    assert swatch_key(red) != swatch_key(red.model_copy(update={"specular_roughness": 0.31}))
