"""Constants of the Rec.709 colour space that everything linear is in."""

import numpy as np

LUMA = np.array([0.2126, 0.7152, 0.0722])
"""Luminance of linear Rec.709 (ITU-R BT.709-6, table 3)."""
LUMA32 = LUMA.astype(np.float32)
XYZ_TO_REC709 = np.array(
    [[3.2409699, -1.5373832, -0.4986108], [-0.9692436, 1.8759675, 0.0415551], [0.0556301, -0.2039770, 1.0569715]]
)
"""CIE 1931 XYZ to linear Rec.709 with its D65 white."""
