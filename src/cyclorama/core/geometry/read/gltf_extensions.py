"""Extensions of glTF: which are read, and what is said of the others."""

from typing import Any

from ...errors import IntakeError
from .names import label

READ = {
    "KHR_materials_transmission", "KHR_materials_volume", "KHR_materials_ior", "KHR_materials_emissive_strength",
    "KHR_texture_transform", "KHR_lights_punctual", "KHR_mesh_quantization", "KHR_materials_unlit",
    "KHR_materials_specular", "KHR_materials_clearcoat", "KHR_materials_sheen", "KHR_materials_anisotropy",
    "KHR_materials_iridescence", "KHR_materials_dispersion", "KHR_materials_variants", "KHR_xmp_json_ld",
    "KHR_draco_mesh_compression", "EXT_meshopt_compression", "KHR_meshopt_compression", "EXT_texture_webp",
    "KHR_texture_basisu", "EXT_mesh_gpu_instancing", "KHR_materials_pbrSpecularGlossiness",
    "KHR_materials_diffuse_transmission", "KHR_node_visibility",
}  # fmt: skip
"""Read, or said in a sentence of its own where something is left out."""
_HARMLESS = {"KHR_xmp", "KHR_animation_pointer", "KHR_interactivity", "KHR_node_hoverability", "KHR_node_selectability"}
"""Without them the model looks the same at rest."""
_MESHES = ("mesh", "compression", "splat", "primitive")
_PICTURE = "_texture"
KTX2 = "KHR_texture_basisu"
MOST_NAMED = 3


def check_extensions(name: str, document: dict[str, Any]) -> list[str]:
    """Sentences about extensions that are used and not read.

    Raises IntakeError when one of them holds the shape itself: there would be nothing, or something wrong, to see.
    """
    used = {str(e) for key in ("extensionsUsed", "extensionsRequired") for e in document.get(key, [])}
    required = {str(e) for e in document.get("extensionsRequired", [])}
    if KTX2 in required:
        raise IntakeError(
            f"‘{name}’ needs pictures in KTX2 ({_ktx2_pictures(document)}), which cannot be read. "
            "Export it again with PNG, JPEG or WebP."
        )
    notes = []
    for extension in sorted(used - READ):
        about = extension.lower()
        if extension in required and any(word in about for word in _MESHES):
            raise IntakeError(
                f"‘{name}’ keeps its mesh in {extension[:60]}, which cannot be read. Export it again without it."
            )
        if _PICTURE in about:
            notes.append(f"Pictures kept by {extension[:60]} cannot be read; export them as PNG, JPEG or WebP.")
        elif "material" in about:
            notes.append(f"The material extension {extension[:60]} is not read; such materials may look different.")
        else:
            harm = "; nothing of it is seen at rest" if extension in _HARMLESS else ""
            notes.append(f"The extension {extension[:60]} is not read{harm}.")
    return notes


def picture_name(image: dict[str, Any]) -> str:
    """Name of a picture of a file: its own, else that of its file."""
    uri = str(image.get("uri", ""))
    return label(image.get("name")) or label("" if uri.startswith("data:") else uri) or "no name"


def _ktx2_pictures(document: dict[str, Any]) -> str:
    """‘label’, ‘wood.ktx2’ and 3 more"""
    sources = [t.get("extensions", {}).get(KTX2, {}).get("source") for t in document.get("textures", [])]
    images = document.get("images", [])
    names = [f"‘{picture_name(images[s])}’" for s in dict.fromkeys(sources) if isinstance(s, int) and s < len(images)]
    more = f" and {len(names) - MOST_NAMED} more" if len(names) > MOST_NAMED else ""
    return ", ".join(names[:MOST_NAMED]) + more or "none of them named"


def left_out(document: dict[str, Any]) -> list[str]:
    """Parts of a file that are no subject, in sentences."""
    notes = []
    scenes = len(document.get("scenes", []))
    if scenes > 1:
        name = document["scenes"][document.get("scene", 0)].get("name")
        which = f"‘{str(name)[:60]}’" if name else "the one it opens with"
        notes.append(f"The file has {scenes} scenes; {which} came in.")
    return notes
