"""More looks and colourways of the ready projects, beside those that they open with."""

import numpy as np

from ..core.geometry.cache_keys import Intake
from ..core.geometry.measure import placed_hull
from ..core.light.rigs import rig_lights
from ..core.material.presets import with_preset
from ..core.motion import aim_point
from ..core.scene import Aim, Background, Environment, Gobo, Light, Look, Material, Project, Tone, Variant, put_all
from ..core.scene.saved_rig import ReadyRig
from ..core.scene.writing import revise

BLACK = Environment(on=False)


def with_more(
    project: Project, intake: Intake, looks: tuple[Look, ...], worn: dict[str, Material], name: str
) -> Project:
    """The project with more looks and a second colourway, in which parts that wear the materials of some names wear
    others."""
    item = project.items[0]
    names = {m.name: m.id for m in project.materials}
    new = {names[old]: material for old, material in worn.items()}
    first = item.variants[0]
    parts = tuple(revise(w, material=new[w.material].id) if w.material in new else w for w in first.parts)
    second = Variant(id="colourway-2", name=name, parts=parts)
    added = {material.id: material for material in new.values()}
    return put_all(
        project,
        {
            "materials": (*project.materials, *added.values()),
            f"items/{item.id}/variants": (first, second),
            "looks": (*project.looks, *looks),
        },
    )


def _size_and_aim(project: Project, intake: Intake) -> tuple[float, Aim]:
    hull = placed_hull(intake.measures, project.items[0].placement)
    x, y, z = (float(c) for c in aim_point(project.camera.aim, project))
    return float(np.ptp(hull, axis=0).max()), Aim(x_m=x, y_m=y, z_m=z)


def _rig(project: Project, intake: Intake, rig: ReadyRig, **stops: float) -> tuple[Light, ...]:
    """A ready rig round the subject, some of its lights (by their ids) stronger or weaker."""
    lights = rig_lights(rig, *_size_and_aim(project, intake))
    return tuple(revise(x, strength_stops=x.strength_stops + stops.get(x.id.replace("-", "_"), 0.0)) for x in lights)


def storm_glass_looks(project: Project, intake: Intake) -> Project:
    """Storm Glass: edges of light out of the dark, and an evening by a low window; in silver and ebony."""
    _, aim = _size_and_aim(project, intake)
    dark = Look(
        id="look-2",
        name="Dark field",
        lights=_rig(project, intake, "dark field", top=0.5),
        environment=BLACK,
        background=Background(colour=(0.004, 0.004, 0.005)),
        tone=Tone(ev100=9.0),
    )
    evening = Look(
        id="look-3", name="Evening window",
        environment=revise(project.look.environment, strength_stops=-4.4, rotation_deg=40.0),
        background=Background(colour=(0.05, 0.06, 0.09)), tone=Tone(ev100=7.6, white_k=4800),
        lights=(
            Light(id="low-sun", name="Low sun", shape="spot", role="key", azimuth_deg=-62, elevation_deg=17,
                  distance_m=1.5,
                  width_m=0.035, cone_deg=46, edge=0.3, strength_stops=-0.9, temperature_k=2900, aim=aim,
                  gobo=Gobo(pattern="window", softness=0.1, rotation_deg=4)),
            Light(id="sky", name="Blue hour", role="fill", azimuth_deg=84, elevation_deg=24, distance_m=1.2,
                  width_m=0.6,
                  height_m=1.3, strength_stops=-3.4, temperature_k=11000, aim=aim),
            Light(id="edge", name="Edge", role="rim", azimuth_deg=158, elevation_deg=24, distance_m=1.0, width_m=0.14,
                  height_m=1.0, strength_stops=-2.4, temperature_k=9000, aim=aim),
        ),
    )  # fmt: skip
    silver = revise(with_preset(Material(id="silver", name="Silver"), "Polished silver"), specular_roughness=0.16)
    ebony = Material(
        id="ebony",
        name="Ebony",
        base_color=(0.013, 0.011, 0.01),
        specular_roughness=0.42,
        coat_weight=0.6,
        coat_roughness=0.1,
    )
    worn = {"Brass": silver, "Polished brass": silver, "Walnut": ebony}
    return with_more(project, intake, (dark, evening), worn, "Silver and ebony")


def lantern_looks(project: Project, intake: Intake) -> Project:
    """Harbour Lantern: two strips in a dark studio, and its own light in the fog; in signal red."""
    _, aim = _size_and_aim(project, intake)
    strips = Look(
        id="look-2",
        name="Two strips",
        lights=_rig(project, intake, "two strips", left_strip=0.3),
        environment=BLACK,
        background=Background(colour=(0.012, 0.013, 0.016)),
        tone=Tone(ev100=9.4),
    )
    own = Look(
        id="look-3", name="By its own light", environment=revise(project.look.environment, strength_stops=-4.6),
        background=Background(colour=(0.01, 0.016, 0.026)), tone=Tone(ev100=7.2, white_k=4600),
        lights=(
            Light(id="moon", name="Moon", role="rim", azimuth_deg=-148, elevation_deg=38, distance_m=1.5, width_m=0.3,
                  height_m=0.9, strength_stops=-3.2, temperature_k=12000, aim=aim),
            Light(id="quay", name="Quay", role="fill", azimuth_deg=64, elevation_deg=10, distance_m=1.7, width_m=0.9,
                  height_m=0.5, strength_stops=-6.4, temperature_k=6500, aim=aim),
        ),
    )  # fmt: skip
    worn = {m.name: _reddened(m) for m in project.materials if m.name.startswith("Painted iron")}
    return with_more(project, intake, (strips, own), worn, "Signal red")


def _reddened(material: Material) -> Material:
    """The same paint in red: the map's hues turned, its wear and rust kept where they are."""
    ref = material.maps.base_color
    maps = material.maps
    if ref is not None:
        turned = revise(ref, hue_deg=-150.0, saturation=1.6, brightness_stops=0.5)
        maps = revise(maps, base_color=turned)
    return revise(material, id=f"{material.id}-red", name=f"Red {material.name.lower()}", maps=maps)
