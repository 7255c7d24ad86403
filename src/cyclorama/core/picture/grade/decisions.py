"""ASC Color Decision Lists (version 1.2): slope, offset, power and saturation as XML that other programs read."""

import re
import xml.etree.ElementTree as ElementTree
from xml.sax.saxutils import escape

from ...errors import ChangeError, IntakeError
from ...scene import Grade

MOST_BYTES = 1_000_000
NAMESPACE = "urn:ASC:CDL:v1.01"


def write_cdl(grade: Grade, name: str) -> bytes:
    """A grade's decisions as a ColorCorrection in a ColorDecisionList. What else it does is not in there."""

    def three(values: tuple[float, ...]) -> str:
        return " ".join(f"{v:.6g}" for v in values)

    told = escape(name, {'"': "&quot;"})
    light = "Scene-linear light, Rec.709 primaries, at the exposure of the take"
    return f"""<?xml version="1.0" encoding="UTF-8"?>
<ColorDecisionList xmlns="{NAMESPACE}">
  <InputDescription>{light}</InputDescription>
  <ViewingDescription>Made before the view of Cyclorama; finished frames have it already</ViewingDescription>
  <ColorDecision>
    <ColorCorrection id="{told}">
      <SOPNode>
        <Slope>{three(grade.slope)}</Slope>
        <Offset>{three(grade.offset)}</Offset>
        <Power>{three(grade.power)}</Power>
      </SOPNode>
      <SATNode>
        <Saturation>{grade.saturation:.6g}</Saturation>
      </SATNode>
    </ColorCorrection>
  </ColorDecision>
</ColorDecisionList>
""".encode()


def with_cdl(grade: Grade, data: bytes, name: str) -> Grade:
    """A grade with the decisions of the first correction in a .cdl, .cc or .ccc file.

    Raises IntakeError with a sentence when it is none, or has values beyond what a grade takes.
    """
    if len(data) > MOST_BYTES or re.search(rb"<!(DOCTYPE|ENTITY)", data):
        raise IntakeError(f"‘{name}’ is no colour decision list.")
    try:
        root = ElementTree.fromstring(data)
    except ElementTree.ParseError as error:
        raise IntakeError(f"‘{name}’ is damaged: {error}.") from error
    found = {e.tag.rpartition("}")[2]: (e.text or "").split() for e in reversed(list(root.iter()))}
    if "Slope" not in found and "Saturation" not in found:
        raise IntakeError(f"‘{name}’ is no colour decision list: it has neither slope nor saturation.")
    values: dict[str, object] = {}
    try:
        for tag, field in (("Slope", "slope"), ("Offset", "offset"), ("Power", "power")):
            if tag in found:
                values[field] = tuple(float(x) for x in found[tag])
        if "Saturation" in found:
            values["saturation"] = float(found["Saturation"][0])
        return Grade.model_validate({**grade.model_dump(), **values})
    except (ValueError, IndexError, ChangeError) as error:
        raise IntakeError(
            f"‘{name}’ has values that a grade does not take: slopes of 0 to 16, offsets of −1 to 1, "
            "powers of 0.05 to 8, a saturation of 0 to 4."
        ) from error
