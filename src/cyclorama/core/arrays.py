"""Names for arrays that cross boundaries: shape and unit in one place.

Conventions (everywhere): metres, right-handed, Y up, column-vector 4×4 matrices, radians inside and degrees
in documents, linear Rec.709 colour, images as (rows from the top, columns, channels). Azimuth 0° looks from
+Z towards the origin and grows counter-clockwise seen from above (towards +X).
"""

from typing import Annotated

import numpy as np
from numpy.typing import NDArray

Vec3 = Annotated[NDArray[np.float64], "(3,) metres or unit direction"]
Points = Annotated[NDArray[np.float64], "(n, 3) metres"]
Mat3 = Annotated[NDArray[np.float64], "(3, 3) column-vector"]
Mat4 = Annotated[NDArray[np.float64], "(4, 4) column-vector"]
Mat4s = Annotated[NDArray[np.float64], "(frames, 4, 4) column-vector"]
RGBImage = Annotated[NDArray[np.float32], "(h, w, 3) linear Rec.709"]
Mask = Annotated[NDArray[np.float32], "(h, w) 0…1"]
