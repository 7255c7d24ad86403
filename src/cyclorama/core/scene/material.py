"""A surface: the parameters of OpenPBR Surface 1.1 under their own names, and the maps that vary them.

https://academysoftwarefoundation.github.io/OpenPBR; lengths are in metres instead of scene units, and the film's
thickness in nanometres. Map values multiply their parameter.
"""

from typing import Annotated, Literal

from pydantic import Field

from .base import AssetRef, Choices, Colour, Doc, Id, Name, Unit01, affecting, quantity
from .surface_layer import MOST_LAYERS, SurfaceLayer

Wrap = Literal["repeat", "mirror", "clamp"]
Channel = Literal["colour", "r", "g", "b", "a"]
PatternKind = Literal["noise", "brushed", "flakes", "weave", "gradient", "grain"]


class TextureRef(Doc):
    """A picture used as a map, and how it lies on the surface."""

    AFFECTS = "surface"

    asset: AssetRef = ""
    """Content hash of the picture; empty when a pattern is used."""
    pattern: PatternKind | None = None
    """A pattern made by the program in place of a picture."""
    name: Annotated[str, affecting("nothing")] = ""
    wrap: Annotated[Wrap, Choices({"repeat": "repeats", "mirror": "mirrors", "clamp": "keeps the edge"})] = "repeat"
    wrap_down: Wrap | None = None
    """Another way to go on above and below; None is as to the sides."""
    uv_set: Annotated[Literal[0, 1], Field(title="Coordinates")] = 0
    """Which of the mesh's sets of texture coordinates it lies on."""
    channel: Annotated[Channel, Choices({"colour": "colour", "r": "red", "g": "green", "b": "blue", "a": "alpha"})] = (
        "colour"
    )
    """Which channel drives a single number; `colour` reads all three (numbers take their mean)."""
    scale_u: Annotated[float, quantity("Repeats across", "", ge=-1000, le=1000)] = 1.0
    scale_v: Annotated[float, quantity("Repeats down", "", ge=-1000, le=1000)] = 1.0
    offset_u: Annotated[float, quantity("Shift across", "", ge=-1000, le=1000)] = 0.0
    offset_v: Annotated[float, quantity("Shift down", "", ge=-1000, le=1000)] = 0.0
    rotation_deg: Annotated[float, quantity("Map rotation", "°", ge=-3600, le=3600)] = 0.0
    """Counter-clockwise as glTF's KHR_texture_transform: offset · rotation · scale."""
    projection: Annotated[
        Literal["uv", "triplanar", "planar", "box", "cylinder", "sphere"],
        Field(title="Projection"),
        Choices(
            {
                "uv": "by its coordinates",
                "triplanar": "from three sides, blended",
                "box": "from six sides",
                "planar": "from one side",
                "cylinder": "round a cylinder",
                "sphere": "round a ball",
            }
        ),
    ] = "uv"
    size_m: Annotated[float, quantity("Size", "m", ge=1e-7, le=10_000)] = 0.1
    """Side of one repeat when projected from three sides; width of the picture on a plane or a box, its height on a
    cylinder."""
    at_x_m: Annotated[float, quantity("Projected from: across", "m", ge=-5000, le=5000)] = 0.0
    """Middle of the projection, from where the item stands that wears it."""
    at_y_m: Annotated[float, quantity("Projected from: height", "m", ge=-5000, le=5000)] = 0.0
    at_z_m: Annotated[float, quantity("Projected from: to the front", "m", ge=-5000, le=5000)] = 0.0
    turn_deg: Annotated[float, quantity("Projection turn", "°", ge=-3600, le=3600)] = 0.0
    tip_deg: Annotated[float, quantity("Projection tip", "°", ge=-3600, le=3600)] = 0.0
    hue_deg: Annotated[float, quantity("Hue", "°", ge=-180, le=180)] = 0.0
    saturation: Annotated[float, quantity("Saturation", "×", ge=0, le=4)] = 1.0
    brightness_stops: Annotated[float, quantity("Brightness", "stops", ge=-8, le=8)] = 0.0
    contrast: Annotated[float, quantity("Contrast", "×", ge=0, le=4)] = 1.0


class MaterialMaps(Doc):
    """One optional map for each parameter that can vary over the surface."""

    AFFECTS = "surface"

    base_weight: TextureRef | None = None
    base_color: TextureRef | None = None
    base_diffuse_roughness: TextureRef | None = None
    base_metalness: TextureRef | None = None
    specular_weight: TextureRef | None = None
    specular_color: TextureRef | None = None
    specular_roughness: TextureRef | None = None
    specular_roughness_anisotropy: TextureRef | None = None
    transmission_weight: TextureRef | None = None
    subsurface_weight: TextureRef | None = None
    subsurface_color: TextureRef | None = None
    coat_weight: TextureRef | None = None
    coat_color: TextureRef | None = None
    coat_roughness: TextureRef | None = None
    fuzz_weight: TextureRef | None = None
    fuzz_color: TextureRef | None = None
    fuzz_roughness: TextureRef | None = None
    thin_film_weight: TextureRef | None = None
    thin_film_thickness_nm: TextureRef | None = None
    emission_color: TextureRef | None = None
    opacity: TextureRef | None = None
    normal: TextureRef | None = None
    """Tangent-space normals, green towards the top of the picture, as in glTF."""
    coat_normal: TextureRef | None = None
    """The coat's own normals; without one the coat lies smoothly over the mapped base."""
    height: TextureRef | None = None
    """Grey relief, white is high; depth in `height_m`."""


class Material(Doc):
    """OpenPBR Surface."""

    AFFECTS = "surface"

    id: Id
    name: Name
    base_weight: Annotated[Unit01, Field(title="Base weight")] = 1.0
    base_color: Colour = (0.8, 0.8, 0.8)
    base_diffuse_roughness: Annotated[Unit01, Field(title="Diffuse roughness")] = 0.0
    base_metalness: Annotated[Unit01, Field(title="Metalness")] = 0.0
    specular_weight: Annotated[Unit01, Field(title="Specular weight")] = 1.0
    specular_color: Colour = (1.0, 1.0, 1.0)
    specular_roughness: Annotated[Unit01, Field(title="Roughness")] = 0.4
    specular_roughness_anisotropy: Annotated[Unit01, Field(title="Anisotropy")] = 0.0
    specular_rotation_deg: Annotated[float, quantity("Grain direction", "°", ge=-3600, le=3600)] = 0.0
    specular_ior: Annotated[float, quantity("IOR", "", ge=1, le=3)] = 1.5
    transmission_weight: Annotated[Unit01, Field(title="Transmission")] = 0.0
    transmission_color: Colour = (1.0, 1.0, 1.0)
    transmission_depth_m: Annotated[float, quantity("Transmission depth", "m", ge=0, le=10_000)] = 0.0
    """Distance at which the medium has the transmission colour; 0 tints at the surface."""
    subsurface_weight: Annotated[Unit01, Field(title="Subsurface")] = 0.0
    subsurface_color: Colour = (0.8, 0.8, 0.8)
    subsurface_radius_m: Annotated[float, quantity("Subsurface radius", "m", ge=1e-9, le=1000)] = 0.01
    subsurface_radius_scale: Colour = (1.0, 0.5, 0.25)
    coat_weight: Annotated[Unit01, Field(title="Coat")] = 0.0
    coat_color: Colour = (1.0, 1.0, 1.0)
    coat_roughness: Annotated[Unit01, Field(title="Coat roughness")] = 0.0
    coat_ior: Annotated[float, quantity("Coat IOR", "", ge=1, le=3)] = 1.6
    coat_darkening: Annotated[Unit01, Field(title="Coat darkening")] = 1.0
    fuzz_weight: Annotated[Unit01, Field(title="Fuzz")] = 0.0
    fuzz_color: Colour = (1.0, 1.0, 1.0)
    fuzz_roughness: Annotated[Unit01, Field(title="Fuzz roughness")] = 0.5
    thin_film_weight: Annotated[Unit01, Field(title="Thin film")] = 0.0
    thin_film_thickness_nm: Annotated[float, quantity("Film thickness", "nm", ge=0, le=2000)] = 500.0
    thin_film_ior: Annotated[float, quantity("Film IOR", "", ge=1, le=3)] = 1.4
    emission_luminance: Annotated[float, quantity("Emission", "nit", ge=0, le=1e7)] = 0.0
    emission_color: Colour = (1.0, 1.0, 1.0)
    opacity: Annotated[Unit01, Field(title="Opacity")] = 1.0
    opacity_cutoff: Annotated[float | None, Field(ge=0, le=1)] = None
    """Maps below this opacity are holes, above it solid; None blends."""
    thin_walled: bool = False
    """A sheet without an inside: light passes straight on."""
    normal_scale: Annotated[float, quantity("Normal strength", "", ge=0, le=10)] = 1.0
    height_m: Annotated[float, quantity("Relief depth", "m", ge=-100, le=100)] = 0.0005
    edge_radius_m: Annotated[float, quantity("Edge rounding", "m", ge=0, le=10)] = 0.0
    """Hard edges are shaded as if rounded with this radius."""
    vertex_colours: Annotated[bool, Field(title="Vertex colours")] = False
    """Base colour and opacity are multiplied with the colours that the mesh brought for its vertices."""
    maps: MaterialMaps = MaterialMaps()
    layers: Annotated[tuple[SurfaceLayer, ...], Field(max_length=MOST_LAYERS)] = ()
    """What lies on it, in the order in which it is laid on."""

    @property
    def glows(self) -> bool:
        """True when it gives light of its own."""
        return self.emission_luminance > 0 and max(self.emission_color) > 0
