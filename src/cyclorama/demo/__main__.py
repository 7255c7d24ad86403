"""Write the demo data into a folder: `python -m cyclorama.demo FOLDER`."""

import sys
from pathlib import Path

from ..core.errors import CycloramaError
from .write import write_demo

try:
    write_demo(Path(sys.argv[1]), lambda what: print(f"{what} …", flush=True))
except CycloramaError as error:
    sys.exit(error.sentence)
