"""COLLADA and 3MF: what is kept of them, what is said of the rest, and bad files."""

import io
import zipfile
from typing import Any

import lib3mf
import numpy as np
import pytest
from lib3mf import Lib3MF
from tests.conftest import png_of

from cyclorama.core.errors import IntakeError
from cyclorama.core.geometry.intake import take_in
from cyclorama.core.geometry.mesh import Mesh, face_normals
from cyclorama.core.geometry.read import read_model
from cyclorama.core.textures import srgb_to_linear

PICTURE = png_of(np.full((4, 4, 3), 99, np.uint8))
DAE = """<?xml version="1.0"?>
<COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
<asset><unit name="inch" meter="0.0254"/><up_axis>{up}</up_axis></asset>
<library_images><image id="paint"><init_from>file:///maps/paint%201.png</init_from></image></library_images>
<library_effects>
 <effect id="shiny"><profile_COMMON>
  <newparam sid="s"><surface type="2D"><init_from>paint</init_from></surface></newparam>
  <newparam sid="m"><sampler2D><source>s</source></sampler2D></newparam>
  <technique sid="c"><phong><diffuse><texture texture="m" texcoord="UV"/></diffuse>
   <shininess><float>30</float></shininess></phong></technique></profile_COMMON></effect>
 <effect id="red"><profile_COMMON><technique sid="c"><lambert>
  <diffuse><color>1 0.5 0 1</color></diffuse>
  <transparent opaque="A_ONE"><color>1 1 1 0.25</color></transparent><transparency><float>1</float></transparency>
 </lambert></technique></profile_COMMON></effect>
</library_effects>
<library_materials>
 <material id="a" name="Paint"><instance_effect url="#shiny"/></material>
 <material id="b" name="Amber"><instance_effect url="#red"/></material>
</library_materials>
<library_geometries><geometry id="g" name="plate"><mesh>
 <source id="p"><float_array id="pa" count="15">0 0 0 2 0 0 2 1 0 0 1 0 1 2 0</float_array>
  <technique_common><accessor source="#pa" count="5" stride="3"><param name="X" type="float"/>
  <param name="Y" type="float"/><param name="Z" type="float"/></accessor></technique_common></source>
 <source id="t"><float_array id="ta" count="8">0 0 1 0 1 0.25 0 1</float_array>
  <technique_common><accessor source="#ta" count="4" stride="2"><param name="S" type="float"/>
  <param name="T" type="float"/></accessor></technique_common></source>
 <vertices id="v"><input semantic="POSITION" source="#p"/></vertices>
 <polylist material="one" count="1"><input semantic="VERTEX" source="#v" offset="0"/>
  <input semantic="TEXCOORD" source="#t" offset="1" set="0"/><vcount>4</vcount><p>0 0 1 1 2 2 3 3</p></polylist>
 <triangles material="two" count="1"><input semantic="VERTEX" source="#v" offset="0"/><p>{index}</p></triangles>
 <lines count="1"><input semantic="VERTEX" source="#v" offset="0"/><p>0 4</p></lines>
</mesh></geometry></library_geometries>
<library_cameras><camera id="c"><optics><technique_common><perspective><xfov>40</xfov><aspect_ratio>1</aspect_ratio>
 <znear>1</znear><zfar>9</zfar></perspective></technique_common></optics></camera></library_cameras>
<library_visual_scenes><visual_scene id="s">
 <node id="n1" name="Rack"><translate>10 0 5</translate><scale>2 2 2</scale>
  <node id="n2" name="Plate"><instance_geometry url="#g"><bind_material><technique_common>
   <instance_material symbol="one" target="#a"/><instance_material symbol="two" target="#b"/>
  </technique_common></bind_material></instance_geometry></node></node>
 <node id="n3"><instance_camera url="#c"/></node>
</visual_scene></library_visual_scenes>
<scene><instance_visual_scene url="#s"/></scene></COLLADA>"""


def dae(up: str = "Z_UP", index: str = "3 2 4") -> dict[str, bytes]:
    return {"rack.dae": DAE.format(up=up, index=index).encode(), "maps/paint 1.png": PICTURE}


def test_collada_keeps_places_names_polygons_and_materials() -> None:
    name, model = read_model(dae())
    assert (name, model.up, model.unit_m) == ("rack.dae", "z", 0.0254)
    assert [(p.name, p.group, len(p.triangles)) for p in model.parts] == [
        ("Plate", ("Rack",), 2),
        ("Plate", ("Rack",), 1),
    ]
    square, triangle = model.parts
    assert square.vertices.min(axis=0).tolist() == [10, 0, 5]
    assert square.vertices.max(axis=0).tolist() == [14, 2, 5]
    assert (face_normals(square.vertices, square.triangles)[:, 2] > 0).all()
    assert square.inner is not None
    assert square.inner.any()
    assert square.uvs is not None
    corner = np.flatnonzero((square.vertices == [14, 2, 5]).all(axis=1))[0]
    assert square.uvs[corner].tolist() == [1, 0.75]
    paint, amber = (model.materials[p.material] for p in (square, triangle))
    assert (paint.name, paint.base_color, paint.maps.base_color is not None) == ("Paint", (1, 1, 1), True)
    assert paint.specular_roughness == pytest.approx((2 / 32) ** 0.25)
    assert (amber.name, amber.opacity) == ("Amber", pytest.approx(0.25))
    assert amber.base_color == pytest.approx((1.0, float(srgb_to_linear(np.array(0.5))), 0.0))
    intake = take_in(dae())
    assert intake.report.pictures == 1
    told = " ".join(f.what + f.done for f in intake.report.findings)
    assert "Lines are left out" in told
    assert "Cameras of the file are left out" in told


def test_a_missing_picture_is_told_of_and_does_not_make_a_surface_glow() -> None:
    picture = b'<texture texture="m" texcoord="UV"/>'
    glowing = dae()["rack.dae"].replace(b"<phong>", b"<phong><emission>" + picture + b"</emission>")
    _, lit = read_model({"rack.dae": glowing, "paint 1.png": PICTURE})
    assert lit.materials[0].emission_luminance > 0
    _, dark = read_model({"rack.dae": glowing})
    assert dark.missing == ["Texture ‘paint 1.png’"]
    assert dark.materials[0].emission_luminance == 0


def test_collada_stands_upright_whatever_its_axis() -> None:
    """The plate's own z points up, to the front, or along x turned up."""
    heights = {}
    for up in ("X_UP", "Y_UP", "Z_UP"):
        _, model = read_model(dae(up))
        heights[up] = (model.up, np.ptp(np.concatenate([p.vertices for p in model.parts]), axis=0).round(6).tolist())
    assert heights == {"X_UP": ("y", [4, 4, 0]), "Y_UP": ("y", [4, 4, 0]), "Z_UP": ("z", [4, 4, 0])}
    _, turned = read_model(dae("X_UP"))
    assert turned.parts[0].vertices.min(axis=0)[1] == pytest.approx(10)


@pytest.mark.parametrize(
    ("name", "data", "told"),
    [
        ("rack.dae", b"<COLLADA", "damaged"),
        ("rack.dae", b"no xml", "damaged"),
        ("rack.dae", b'<!DOCTYPE x [<!ENTITY a "b">]><COLLADA/>', "entities"),
        ("rack.dae", dae(index="3 2 99")["rack.dae"], "damaged"),
        ("rack.dae", dae()["rack.dae"].replace(b'url="#g"', b'url="#none"'), "damaged"),
        ("rack.dae", dae()["rack.dae"].replace(b"0 0 0 2 0 0 2 1 0 0 1 0 1 2 0", b"0 0 0"), "damaged|not there"),
        ("rack.3mf", b"PK", "zip|damaged"),
        ("rack.3mf", b"nothing", "zip|damaged"),
    ],
)
def test_bad_files_get_a_sentence(name: str, data: bytes, told: str) -> None:
    with pytest.raises(IntakeError, match=told):
        take_in({name: data})


def test_an_archive_that_is_no_3mf_is_told_of() -> None:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        archive.writestr("3D/3dmodel.model", "<model/>")
    with pytest.raises(IntakeError, match=r"damaged|no 3MF"):
        take_in({"rack.3mf": buffer.getvalue()})


def moved(x: float, y: float, z: float, size: float = 1.0) -> Any:
    found = Lib3MF.Transform()
    for k in range(3):
        found.Fields[k][k] = size
    found.Fields[3][:] = (x, y, z)
    return found


def tetrahedron(document: Any, name: str) -> Any:
    mesh = document.AddMeshObject()
    mesh.SetName(name)
    corners = [(0, 0, 0), (10, 0, 0), (0, 10, 0), (0, 0, 10)]
    faces = [(0, 2, 1), (0, 1, 3), (1, 2, 3), (0, 3, 2)]
    mesh.SetGeometry([_position(c) for c in corners], [_triangle(f) for f in faces])
    return mesh


def _position(at: tuple[float, ...]) -> Any:
    found = Lib3MF.Position()
    found.Coordinates[:] = at
    return found


def _triangle(corners: tuple[int, ...]) -> Any:
    found = Lib3MF.Triangle()
    found.Indices[:] = corners
    return found


def _surface(resource: int, *numbers: int) -> Any:
    found = Lib3MF.TriangleProperties()
    found.ResourceID = resource
    found.PropertyIDs[:] = numbers
    return found


def packed() -> bytes:
    """Three bodies in inches: of two named materials, of colours at corners, and in a group with a picture."""
    document = lib3mf.get_wrapper().CreateModel()
    document.SetUnit(Lib3MF.ModelUnit.Inch)
    base = document.AddBaseMaterialGroup()
    red, grey = (base.AddMaterial(n, _colour(*c)) for n, c in (("Red", (255, 0, 0, 255)), ("Smoke", (99, 99, 99, 51))))
    named = tetrahedron(document, "Named")
    of = base.GetResourceID()
    named.SetObjectLevelProperty(of, red)
    named.SetAllTriangleProperties([_surface(of, m, m, m) for m in (red, red, red, grey)])
    colours = document.AddColorGroup()
    first, second = colours.AddColor(_colour(255, 255, 255, 255)), colours.AddColor(_colour(0, 0, 255, 255))
    painted = tetrahedron(document, "Painted")
    of = colours.GetResourceID()
    painted.SetObjectLevelProperty(of, first)
    painted.SetAllTriangleProperties([_surface(of, first, first, second)] * 4)
    attachment = document.AddAttachment(
        "/3D/Textures/paint.png", "http://schemas.microsoft.com/3dmanufacturing/2013/01/3dtexture"
    )
    attachment.ReadFromBuffer(PICTURE)
    texture = document.AddTexture2DFromAttachment(attachment)
    texture.SetContentType(Lib3MF.TextureType.PNG)
    texture.SetTileStyleUV(Lib3MF.TextureTileStyle.Mirror, Lib3MF.TextureTileStyle.Clamp)
    places = document.AddTexture2DGroup(texture)
    at = [places.AddTex2Coord(_place(u, v)) for u, v in ((0, 0), (1, 0), (0, 1))]
    mapped = tetrahedron(document, "Mapped")
    of = places.GetResourceID()
    mapped.SetObjectLevelProperty(of, at[0])
    mapped.SetAllTriangleProperties([_surface(of, *at)] * 4)
    group = document.AddComponentsObject()
    group.SetName("Shelf")
    group.AddComponent(mapped, moved(0, 0, 100, 2.0))
    document.AddBuildItem(named, moved(0, 0, 0))
    document.AddBuildItem(painted, moved(50, 0, 0))
    document.AddBuildItem(group, moved(0, 70, 0))
    return bytes(document.QueryWriter("3mf").WriteToBuffer())


def _colour(*rgba: int) -> Any:
    found = Lib3MF.Color()
    found.Red, found.Green, found.Blue, found.Alpha = rgba
    return found


def _place(u: float, v: float) -> Any:
    found = Lib3MF.Tex2Coord()
    found.U, found.V = u, v
    return found


def test_3mf_keeps_units_places_groups_and_surfaces() -> None:
    data = packed()
    name, model = read_model({"tray.3mf": data})
    assert (name, model.up, model.unit_m) == ("tray.3mf", "z", 0.0254)
    found = [(p.name, p.group, len(p.triangles), model.materials[p.material].name) for p in model.parts]
    assert found == [
        ("Named", (), 3, "Red"),
        ("Named", (), 1, "Smoke"),
        ("Painted", (), 4, "Plain"),
        ("Mapped", ("Shelf",), 4, "paint.png"),
    ]
    red, smoke, painted, mapped = (model.materials[p.material] for p in model.parts)
    assert (red.base_color, smoke.opacity) == ((1, 0, 0), pytest.approx(0.2))
    assert model.parts[3].vertices.min(axis=0).tolist() == [0, 70, 100]
    assert model.parts[3].vertices.max(axis=0).tolist() == [20, 90, 120]
    assert model.parts[2].colours is not None
    assert model.parts[2].colours[2].tolist() == [0, 0, 1, 1]
    assert painted.base_color == (1, 1, 1)
    ref = mapped.maps.base_color
    assert ref is not None
    assert (ref.wrap, ref.wrap_down) == ("mirror", "clamp")
    assert model.parts[3].uvs is not None
    assert model.parts[3].uvs[:3].tolist() == [[0, 1], [1, 1], [0, 0]]
    intake = take_in({"tray.3mf": data})
    mesh = Mesh.from_bytes(intake.assets[intake.item.asset])
    assert len(mesh.triangles) == 12
    assert intake.materials[2].vertex_colours
