"""Paint against its swatch: shading alone changes nothing, tinted light does and is said."""

import numpy as np
import pytest

from cyclorama.core.picture.view_transform import srgb_encode
from cyclorama.core.scene import Material
from cyclorama.core.scene.material import MaterialMaps, TextureRef
from cyclorama.core.sequence.paint import Paints, displayed_paint, is_paint

RED = (0.45, 0.05, 0.03)


def said(colour: tuple[float, float, float], light: tuple[float, float, float], mask: float = 1.0) -> list[str]:
    """What is found of a ball-like shading of a paint in a light, with highlights and dark rims."""
    shade = np.linspace(0.02, 0.9, 64)[:, None, None] * np.ones((1, 48, 1))
    shown = srgb_encode((shade * np.array(colour) * np.array(light)).astype(np.float32))
    shown[60:] = 1.0
    paints = Paints()
    for _ in range(3):
        paints.add(Material(id="m", name="Lacquer", base_color=colour), shown, np.full((64, 48), mask, np.float32))
    return [f.sentence for f in paints.findings([1, 2, 3])]


@pytest.mark.parametrize("colour", [RED, (0.05, 0.2, 0.5), (0.6, 0.6, 0.6), (0.7, 0.5, 0.04)])
def test_paint_in_white_light_is_as_its_swatch(colour: tuple[float, float, float]) -> None:
    assert said(colour, (1.0, 1.0, 1.0)) == []


def test_tinted_light_is_said_as_what_it_does() -> None:
    assert said((0.5, 0.5, 0.5), (1.0, 0.8, 0.5)) == [
        "‘Lacquer’ is grey and is shown tinted. Look at the white balance, at tinted lights and at the grade."
    ]
    (orange,) = said((0.6, 0.2, 0.05), (1.0, 1.4, 0.9))
    assert "nearer to yellow" in orange
    (other,) = said((0.6, 0.2, 0.05), (1.0, 0.7, 1.0))
    assert "nearer to red" in other
    (pale,) = [displayed_paint(RED, *np.array([0.5, 0.07, 0.03]))]
    assert pale is not None
    assert "paler" in pale
    assert said((0.5, 0.5, 0.5), (1.0, 0.8, 0.5), mask=0.5) == []  # nothing that it covers wholly


def test_mirrors_and_pictures_have_no_swatch() -> None:
    assert is_paint(Material(id="m", name="Lacquer"))
    picture = MaterialMaps(base_color=TextureRef(asset="0" * 32))
    for change in (
        {"base_metalness": 1.0},
        {"transmission_weight": 1.0},
        {"emission_luminance": 9.0},
        {"maps": picture},
    ):
        assert not is_paint(Material(id="m", name="Lacquer").model_copy(update=change))
