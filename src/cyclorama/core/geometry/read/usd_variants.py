"""Variants of a USD stage as choices of materials: the stage is looked at once with each of them selected."""

from pxr import Usd, UsdGeom

from .model import FileModel, ModelPart
from .names import label
from .usd_material import UsdMaterials

MOST_VARIANTS = 64


def read_variants(
    stage: Usd.Stage, materials: UsdMaterials, parts: list[tuple[ModelPart, str, str]], model: FileModel
) -> None:
    """Add to parts (with the paths of their mesh and of the prim that has their material) what variants give them.

    The selections of the file are what came in; variants that change the shape are named and left out.
    """
    carriers = [p for p in Usd.PrimRange.Stage(stage) if p.HasVariantSets()]
    sets = [(p, name) for p in carriers for name in p.GetVariantSets().GetNames()]
    other_shape: list[str] = []
    shape = _shape(stage) if sets else {}
    with Usd.EditContext(stage, stage.GetSessionLayer()):
        for prim, name in sets:
            choice = prim.GetVariantSet(name)
            chosen = choice.GetVariantSelection()
            for variant in choice.GetVariantNames():
                if variant == chosen or len(model.variants) >= MOST_VARIANTS:
                    continue
                choice.SetVariantSelection(variant)
                title = label(variant if len(sets) == 1 else f"{name}: {variant}", "Variant")
                if _shape(stage) == shape:
                    _take(stage, materials, parts, model, title)
                else:
                    other_shape.append(f"‘{title}’")
            choice.ClearVariantSelection()
    if other_shape:
        model.notes.append(f"Variants of another shape are left out: {', '.join(other_shape[:6])}.")


def _shape(stage: Usd.Stage) -> dict[str, int]:
    """Number of points of each mesh, by its path."""
    meshes = (UsdGeom.Mesh(p) for p in Usd.PrimRange.Stage(stage, Usd.TraverseInstanceProxies()) if p.IsA(UsdGeom.Mesh))
    first = Usd.TimeCode.EarliestTime()
    return {str(m.GetPath()): len(m.GetPointsAttr().Get(first) or ()) for m in meshes}


def _take(
    stage: Usd.Stage, materials: UsdMaterials, parts: list[tuple[ModelPart, str, str]], model: FileModel, title: str
) -> None:
    number = len(model.variants)
    given = {}
    for i, (part, _, path) in enumerate(parts):
        prim = stage.GetPrimAtPath(path)
        if prim and (material := materials.in_variant(prim, title)) != part.material:
            given[i] = material
    if given:
        model.variants.append(title)
        for i, material in given.items():
            parts[i][0].variants[number] = material
