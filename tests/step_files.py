"""Small STEP files (ISO 10303-21), written entity by entity."""

import math
import re


class Step:
    """Collects entities; each gets a number."""

    def __init__(self) -> None:
        self.lines: list[str] = []

    def add(self, text: str) -> str:
        self.lines.append(f"#{len(self.lines) + 1}={text};")
        return f"#{len(self.lines)}"

    def point(self, *p: float) -> str:
        return self.add(f"CARTESIAN_POINT('',({','.join(f'{x:.6f}' for x in p)}))")

    def direction(self, *d: float) -> str:
        return self.add(f"DIRECTION('',({','.join(f'{x:.6f}' for x in d)}))")

    def frame(self, at: tuple[float, ...], z: tuple[float, ...], x: tuple[float, ...]) -> str:
        return self.add(f"AXIS2_PLACEMENT_3D('',{self.point(*at)},{self.direction(*z)},{self.direction(*x)})")

    def vertex(self, *p: float) -> str:
        return self.add(f"VERTEX_POINT('',{self.point(*p)})")

    def circle(self, vertex: str, height: float, radius: float) -> str:
        frame = self.frame((0, 0, height), (0, 0, 1), (1, 0, 0))
        circle = self.add(f"CIRCLE('',{frame},{radius:.6f})")
        return self.add(f"EDGE_CURVE('',{vertex},{vertex},{circle},.T.)")

    def loop(self, *edges: tuple[str, bool]) -> str:
        oriented = [self.add(f"ORIENTED_EDGE('',*,*,{e},{'.T.' if way else '.F.'})") for e, way in edges]
        return self.add(f"FACE_OUTER_BOUND('',{self.add(f'EDGE_LOOP({chr(39) * 2},({chr(44).join(oriented)}))')},.T.)")

    def face(self, bound: str, surface: str, way: bool = True) -> str:
        return self.add(f"ADVANCED_FACE('',({bound}),{surface},{'.T.' if way else '.F.'})")


def cylinder_step(radius_mm: float, height_mm: float, name: str = "spindle") -> bytes:
    """A solid cylinder that stands on the origin along z, in millimetres."""
    s = Step()
    low, high = s.vertex(radius_mm, 0, 0), s.vertex(radius_mm, 0, height_mm)
    below, above = s.circle(low, 0, radius_mm), s.circle(high, height_mm, radius_mm)
    line = s.add(f"LINE('',{s.point(radius_mm, 0, 0)},{s.add(f'VECTOR({chr(39) * 2},{s.direction(0, 0, 1)},1.)')})")
    seam = s.add(f"EDGE_CURVE('',{low},{high},{line},.T.)")
    frame = s.frame((0, 0, 0), (0, 0, 1), (1, 0, 0))
    round_face = s.face(
        s.loop((below, True), (seam, True), (above, False), (seam, False)),
        s.add(f"CYLINDRICAL_SURFACE('',{frame},{radius_mm:.6f})"),
    )
    top = s.face(s.loop((above, True)), s.add(f"PLANE('',{s.frame((0, 0, height_mm), (0, 0, 1), (1, 0, 0))})"))
    foot = s.face(s.loop((below, False)), s.add(f"PLANE('',{s.frame((0, 0, 0), (0, 0, 1), (1, 0, 0))})"), False)
    shell = s.add(f"CLOSED_SHELL('',({round_face},{top},{foot}))")
    solid = s.add(f"MANIFOLD_SOLID_BREP('{name}',{shell})")
    length = s.add("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))")
    angle = s.add("(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))")
    solid_angle = s.add("(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT())")
    exact = s.add(f"UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(1.E-6),{length},'distance','')")
    context = s.add(
        f"(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT(({exact}))"
        f"GLOBAL_UNIT_ASSIGNED_CONTEXT(({length},{angle},{solid_angle}))REPRESENTATION_CONTEXT('',''))"
    )
    shape = s.add(f"ADVANCED_BREP_SHAPE_REPRESENTATION('{name}',({frame},{solid}),{context})")
    application = s.add("APPLICATION_CONTEXT('automotive design')")
    s.add(f"APPLICATION_PROTOCOL_DEFINITION('international standard','automotive_design',2000,{application})")
    product_context = s.add(f"PRODUCT_CONTEXT('',{application},'mechanical')")
    product = s.add(f"PRODUCT('{name}','{name}','',({product_context}))")
    formation = s.add(f"PRODUCT_DEFINITION_FORMATION('','',{product})")
    design = s.add(f"PRODUCT_DEFINITION_CONTEXT('part definition',{application},'design')")
    definition = s.add(f"PRODUCT_DEFINITION('design','',{formation},{design})")
    what = s.add(f"PRODUCT_DEFINITION_SHAPE('','',{definition})")
    s.add(f"SHAPE_DEFINITION_REPRESENTATION({what},{shape})")
    head = (
        "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('','',(''),(''),'','','');\n"
        "FILE_SCHEMA(('AUTOMOTIVE_DESIGN { 1 0 10303 214 1 1 1 1 }'));\nENDSEC;\nDATA;\n"
    )
    return (head + "\n".join(s.lines) + "\nENDSEC;\nEND-ISO-10303-21;\n").encode()


def two_products(step: bytes, name: str, broken: str) -> bytes:
    """A file with its product twice: as it is, and under another name with a shell whose faces are missing."""
    head, rest = step.decode().split("DATA;\n")
    body, tail = rest.split("\nENDSEC")[0], "\nENDSEC;\nEND-ISO-10303-21;\n"
    second = re.sub(r"#(\d+)", lambda m: f"#{int(m[1]) + 10_000}", body).replace(name, broken)
    second = re.sub(r"CLOSED_SHELL\('',\([^)]*\)\)", "CLOSED_SHELL('',(#99999))", second)
    return f"{head}DATA;\n{body}\n{second}{tail}".encode()


def chord_error_m(radius_m: float, sides: int) -> float:
    """How far a polygon's sides are off the circle."""
    return radius_m * (1 - math.cos(math.pi / sides))
