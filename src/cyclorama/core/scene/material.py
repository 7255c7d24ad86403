"""A surface: the OpenPBR Surface parameters the renderer understands, with maps where the file brought them."""

from typing import Annotated, Literal

from pydantic import Field

from .base import Colour, Doc, Id, Name, Unit01, quantity

Wrap = Literal["repeat", "mirror", "clamp"]


class TextureRef(Doc):
    """A picture used as a map."""

    asset: str
    name: str = ""
    wrap: Wrap = "repeat"


class Material(Doc):
    """OpenPBR Surface 1.1, the parameters used so far; factors multiply their maps."""

    id: Id
    name: Name
    base_color: Colour = (0.8, 0.8, 0.8)
    base_diffuse_roughness: Annotated[Unit01, Field(title="Diffuse roughness")] = 0.0
    base_metalness: Annotated[Unit01, Field(title="Metalness")] = 0.0
    specular_roughness: Annotated[Unit01, Field(title="Roughness")] = 0.4
    specular_ior: Annotated[float, quantity("IOR", "", ge=1, le=3)] = 1.5
    transmission_weight: Annotated[Unit01, Field(title="Transmission")] = 0.0
    transmission_color: Colour = (1.0, 1.0, 1.0)
    transmission_depth_m: Annotated[float, quantity("Transmission depth", "m", ge=0, le=100)] = 0.0
    """Distance at which the medium has the transmission colour; 0 means a clear medium."""
    emission_nit: Annotated[float, quantity("Emission", "nit", ge=0, le=1e7)] = 0.0
    emission_color: Colour = (1.0, 1.0, 1.0)
    opacity: Annotated[Unit01, Field(title="Opacity")] = 1.0
    opacity_cutoff: Annotated[float | None, Field(ge=0, le=1)] = None
    """Maps below this opacity are holes, above it solid; None blends."""
    normal_scale: Annotated[float, quantity("Normal strength", "", ge=0, le=10)] = 1.0
    base_color_map: TextureRef | None = None
    metal_rough_map: TextureRef | None = None
    """Roughness in green, metalness in blue, as glTF packs them."""
    normal_map: TextureRef | None = None
    emission_map: TextureRef | None = None
    opacity_from_base_alpha: bool = False
