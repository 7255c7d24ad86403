"""A surface: the parameters of OpenPBR Surface 1.1 under their own names, and the maps that vary them.

https://academysoftwarefoundation.github.io/OpenPBR; lengths are in metres instead of scene units, and the film's
thickness in nanometres. Map values multiply their parameter.
"""

from typing import Annotated, Literal

from pydantic import Field

from .base import AssetRef, Choices, Colour, Doc, Id, Name, Unit01, affecting, quantity, read_only
from .surface_layer import MOST_LAYERS, SurfaceLayer

Wrap = Literal["repeat", "mirror", "clamp"]
Channel = Literal["colour", "r", "g", "b", "a"]
PatternKind = Literal["noise", "brushed", "flakes", "weave", "gradient", "grain"]


class TextureRef(Doc):
    """A picture used as a map, and how it lies on the surface."""

    AFFECTS = "surface"

    asset: AssetRef = ""
    tiles: Annotated[tuple[AssetRef, ...], read_only(max_length=100)] = ()
    """pictures of map tiles (UDIM), from tile 1001 on, empty where there is none; `asset` is the first"""
    """Content hash of the picture; empty when a pattern is used."""
    pattern: PatternKind | None = None
    """A pattern made by the program in place of a picture."""
    name: Annotated[str, affecting("nothing")] = ""
    wrap: Annotated[Wrap, Choices({"repeat": "repeats", "mirror": "mirrors", "clamp": "keeps the edge"})] = "repeat"
    """What lies beyond the edge of the picture."""
    wrap_down: Wrap | None = None
    """Another way to go on above and below; None is as to the sides."""
    uv_set: Annotated[Literal[0, 1], Field(title="Coordinates")] = 0
    """Which of the mesh's sets of texture coordinates it lies on."""
    channel: Annotated[Channel, Choices({"colour": "colour", "r": "red", "g": "green", "b": "blue", "a": "alpha"})] = (
        "colour"
    )
    """Which channel of the picture counts."""
    scale_u: Annotated[float, quantity("Repeats across", "", ge=-1000, le=1000)] = 1.0
    """How often the picture repeats across."""
    scale_v: Annotated[float, quantity("Repeats down", "", ge=-1000, le=1000)] = 1.0
    """How often the picture repeats down."""
    offset_u: Annotated[float, quantity("Shift across", "", ge=-1000, le=1000)] = 0.0
    """Moves the picture across."""
    offset_v: Annotated[float, quantity("Shift down", "", ge=-1000, le=1000)] = 0.0
    """Moves the picture down."""
    rotation_deg: Annotated[float, quantity("Map rotation", "°", ge=-3600, le=3600)] = 0.0
    """Turns the picture on the surface."""
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
    """How the picture is laid on: by the coordinates of the model (UV), or from outside, without any."""
    size_m: Annotated[float, quantity("Size", "m", ge=1e-7, le=10_000)] = 0.1
    """Side of one repeat when projected from three sides; width of the picture on a plane or a box, its height on a
    cylinder."""
    at_x_m: Annotated[float, quantity("Projected from: across", "m", ge=-5000, le=5000)] = 0.0
    """Where the middle of the picture lies on the model, across."""
    at_y_m: Annotated[float, quantity("Projected from: height", "m", ge=-5000, le=5000)] = 0.0
    """Where the middle of the picture lies on the model: its height."""
    at_z_m: Annotated[float, quantity("Projected from: to the front", "m", ge=-5000, le=5000)] = 0.0
    """Where the middle of the picture lies on the model, to the front."""
    turn_deg: Annotated[float, quantity("Projection turn", "°", ge=-3600, le=3600)] = 0.0
    """Turns the direction from which the picture is laid on, about the vertical."""
    tip_deg: Annotated[float, quantity("Projection tip", "°", ge=-3600, le=3600)] = 0.0
    """Tips the direction from which the picture is laid on."""
    hue_deg: Annotated[float, quantity("Hue", "°", ge=-180, le=180)] = 0.0
    """Turns all hues of the picture round the colour wheel."""
    saturation: Annotated[float, quantity("Saturation", "×", ge=0, le=4)] = 1.0
    """Strength of the picture's colours: 0 is grey."""
    brightness_stops: Annotated[float, quantity("Brightness", "stops", ge=-8, le=8)] = 0.0
    """Brightens or darkens the picture, in stops."""
    contrast: Annotated[float, quantity("Contrast", "×", ge=0, le=4)] = 1.0
    """Contrast of the picture about middle grey."""

    @property
    def assets(self) -> tuple[str, ...]:
        """All its pictures."""
        return tuple(dict.fromkeys(asset for asset in (self.asset, *self.tiles) if asset))


class MaterialMaps(Doc):
    """One optional map for each parameter that can vary over the surface."""

    AFFECTS = "surface"

    base_weight: Annotated[TextureRef | None, Field(title="Base weight map")] = None
    base_color: Annotated[TextureRef | None, Field(title="Colour map")] = None
    base_diffuse_roughness: Annotated[TextureRef | None, Field(title="Diffuse roughness map")] = None
    base_metalness: Annotated[TextureRef | None, Field(title="Metalness map")] = None
    specular_weight: Annotated[TextureRef | None, Field(title="Specular weight map")] = None
    specular_color: Annotated[TextureRef | None, Field(title="Specular colour map")] = None
    specular_roughness: Annotated[TextureRef | None, Field(title="Roughness map")] = None
    specular_roughness_anisotropy: Annotated[TextureRef | None, Field(title="Anisotropy map")] = None
    transmission_weight: Annotated[TextureRef | None, Field(title="Transmission map")] = None
    subsurface_weight: Annotated[TextureRef | None, Field(title="Subsurface map")] = None
    subsurface_color: Annotated[TextureRef | None, Field(title="Subsurface colour map")] = None
    coat_weight: Annotated[TextureRef | None, Field(title="Coat map")] = None
    coat_color: Annotated[TextureRef | None, Field(title="Coat colour map")] = None
    coat_roughness: Annotated[TextureRef | None, Field(title="Coat roughness map")] = None
    fuzz_weight: Annotated[TextureRef | None, Field(title="Fuzz map")] = None
    fuzz_color: Annotated[TextureRef | None, Field(title="Fuzz colour map")] = None
    fuzz_roughness: Annotated[TextureRef | None, Field(title="Fuzz roughness map")] = None
    thin_film_weight: Annotated[TextureRef | None, Field(title="Thin film map")] = None
    thin_film_thickness_nm: Annotated[TextureRef | None, Field(title="Film thickness map")] = None
    emission_color: Annotated[TextureRef | None, Field(title="Emission map")] = None
    opacity: Annotated[TextureRef | None, Field(title="Opacity map")] = None
    normal: Annotated[TextureRef | None, Field(title="Normal map")] = None
    """Tangent-space normals, green towards the top of the picture, as in glTF."""
    coat_normal: Annotated[TextureRef | None, Field(title="Coat normal map")] = None
    """The coat's own normals; without one the coat lies smoothly over the mapped base."""
    height: Annotated[TextureRef | None, affecting("geometry", title="Relief map")] = None
    """Grey relief, white is high; depth in `height_m`."""


USUAL_MAPS = ("base_color", "specular_roughness", "base_metalness", "normal", "height", "opacity")
"""Those that most materials have, in the order in which they are offered, before all others."""


class Material(Doc):
    """OpenPBR Surface."""

    AFFECTS = "surface"

    id: Id
    name: Name
    base_weight: Annotated[Unit01, Field(title="Base weight")] = 1.0
    """Darkens the base colour."""
    base_color: Colour = (0.8, 0.8, 0.8)
    """Colour of the surface itself; of a metal, its reflection straight on."""
    base_diffuse_roughness: Annotated[Unit01, Field(title="Diffuse roughness")] = 0.0
    """Flattens matt surfaces, as clay, plaster and paper are."""
    base_metalness: Annotated[Unit01, Field(title="Metalness")] = 0.0
    """1 is metal, 0 is everything else. Little lies between."""
    specular_weight: Annotated[Unit01, Field(title="Specular weight")] = 1.0
    """Strength of reflections."""
    specular_color: Colour = (1.0, 1.0, 1.0)
    """Tint of reflections; of a metal, at grazing angles."""
    specular_roughness: Annotated[Unit01, Field(title="Roughness")] = 0.4
    """0 is a mirror, 0.3 satin, 0.6 matt."""
    specular_roughness_anisotropy: Annotated[Unit01, Field(title="Anisotropy")] = 0.0
    """Stretches highlights along the grain, as brushed metal does."""
    specular_rotation_deg: Annotated[float, quantity("Grain direction", "°", ge=-3600, le=3600)] = 0.0
    """Direction of the grain."""
    specular_ior: Annotated[float, quantity("IOR", "", ge=1, le=3)] = 1.5
    """Index of refraction: 1.33 is water, 1.5 plastic and glass, 2.4 diamond."""
    transmission_weight: Annotated[Unit01, Field(title="Transmission")] = 0.0
    """Share of light that passes through: 1 is clear glass."""
    transmission_color: Colour = (1.0, 1.0, 1.0)
    """Colour of the light that passes."""
    transmission_depth_m: Annotated[float, quantity("Transmission depth", "m", ge=0, le=10_000)] = 0.0
    """Distance at which the inside has that colour; 0 tints at the surface."""
    transmission_scatter: Annotated[Colour, Field(title="Cloudiness")] = (0.0, 0.0, 0.0)
    """Light that is scattered on its way through, over the transmission depth: milk, smoke, murky water."""
    transmission_scatter_anisotropy: Annotated[float, quantity("Cloud's direction", "", ge=-0.99, le=0.99)] = 0.0
    """Where the cloud scatters light: 0 evenly, towards 1 onwards, as liquids do."""
    priority: Annotated[int, Field(title="Priority", ge=-100, le=100)] = 0
    """Of transparent bodies that overlap, the one of higher priority fills the place: glass before its drink, and ice
    before the drink as well. Of equal ones, the one that light enters last."""
    subsurface_weight: Annotated[Unit01, Field(title="Subsurface")] = 0.0
    """Light that enters and comes out nearby (translucency): skin, wax, marble."""
    subsurface_color: Colour = (0.8, 0.8, 0.8)
    """Colour of the light that comes out."""
    subsurface_radius_m: Annotated[float, quantity("Subsurface radius", "m", ge=1e-9, le=1000)] = 0.01
    """How far light travels inside."""
    subsurface_radius_scale: Colour = (1.0, 0.5, 0.25)
    """How much farther red travels than green and blue."""
    coat_weight: Annotated[Unit01, Field(title="Coat")] = 0.0
    """A clear layer on top: lacquer, varnish, wet."""
    coat_color: Colour = (1.0, 1.0, 1.0)
    """Colour that the coat gives what is below."""
    coat_roughness: Annotated[Unit01, Field(title="Coat roughness")] = 0.0
    """Roughness of the coat alone."""
    coat_ior: Annotated[float, quantity("Coat IOR", "", ge=1, le=3)] = 1.6
    """Index of refraction of the coat."""
    coat_darkening: Annotated[Unit01, Field(title="Coat darkening")] = 1.0
    """How far the coat deepens the colour below, as wet wood darkens."""
    fuzz_weight: Annotated[Unit01, Field(title="Fuzz")] = 0.0
    """Fine fibres on top: velvet, dust, peach skin (sheen)."""
    fuzz_color: Colour = (1.0, 1.0, 1.0)
    """Colour of the fibres."""
    fuzz_roughness: Annotated[Unit01, Field(title="Fuzz roughness")] = 0.5
    """How evenly the fibres shine."""
    thin_film_weight: Annotated[Unit01, Field(title="Thin film")] = 0.0
    """Rainbow colours of a thin film: soap, oil, anodised metal."""
    thin_film_thickness_nm: Annotated[float, quantity("Film thickness", "nm", ge=0, le=2000)] = 500.0
    """Thickness of the film, which decides its colours."""
    thin_film_ior: Annotated[float, quantity("Film IOR", "", ge=1, le=3)] = 1.4
    """Index of refraction of the film."""
    emission_luminance: Annotated[float, quantity("Emission", "nit", ge=0, le=1e7)] = 0.0
    """Makes the surface glow: 100 nit is a screen, 10 000 a lamp."""
    emission_color: Colour = (1.0, 1.0, 1.0)
    """Colour of the glow."""
    opacity: Annotated[Unit01, Field(title="Opacity")] = 1.0
    """Below 1, what is behind shows through holes too small to see (cut-out)."""
    opacity_cutoff: Annotated[float | None, Field(ge=0, le=1)] = None
    """Maps below this opacity are holes, above it solid; None blends."""
    strand: Annotated[bool, Field(title="Hair")] = False
    """Fibres, such as hair and fur: light goes through each of them. The base colour is that of many together."""
    thin_walled: bool = False
    """A sheet without an inside: light passes straight on."""
    normal_scale: Annotated[float, quantity("Normal strength", "", ge=0, le=10)] = 1.0
    """Strength of the normal map."""
    height_m: Annotated[float, quantity("Relief depth", "m", ge=-100, le=100, affects="geometry")] = 0.0005
    """Height of the relief (bump), from the map's black to its white."""
    displaced: Annotated[bool, affecting("geometry", title="True relief")] = False
    """Moves the surface itself by the relief map, so that outlines and shadows follow it."""
    relief_level: Annotated[Unit01, affecting("geometry", title="Level")] = 0.5
    """Grey of the relief map at which the surface stays where it is; brighter is raised, darker sunk."""
    relief_step_m: Annotated[float, quantity("Finest step", "m", ge=0, le=10, affects="geometry")] = 0.0
    """Finest triangles of a true relief. 0: as fine as the map."""
    edge_radius_m: Annotated[float, quantity("Edge rounding", "m", ge=0, le=10)] = 0.0
    """Hard edges catch light as if rounded with this radius (bevel)."""
    vertex_colours: Annotated[bool, Field(title="Vertex colours")] = False
    """Base colour and opacity are multiplied with the colours that the mesh brought for its vertices."""
    maps: MaterialMaps = MaterialMaps()
    layers: Annotated[tuple[SurfaceLayer, ...], Field(max_length=MOST_LAYERS)] = ()
    """What lies on it, in the order in which it is laid on."""

    @property
    def glows(self) -> bool:
        """True when it gives light of its own."""
        return self.emission_luminance > 0 and max(self.emission_color) > 0
