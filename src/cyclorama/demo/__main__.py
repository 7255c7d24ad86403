"""Write the demo data into a folder: `python -m cyclorama.demo FOLDER`."""

import sys
from pathlib import Path

from .write import write_demo

write_demo(Path(sys.argv[1]), lambda what: print(f"{what} …", flush=True))
