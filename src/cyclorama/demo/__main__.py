"""Write the demo data into a folder: `python -m cyclorama.demo FOLDER`, in an open studio with `--patient`."""

import sys
import time
from pathlib import Path

from ..core.errors import CycloramaError
from .write import write_demo

PATIENCE_S = 300.0
LOOK_S = 0.5


def wait_for_kernels() -> None:
    """Leave both cores to the compiler: the artist waits for the first picture more than for another project."""
    from ..core.render.warm import kernels_compiled

    until = time.monotonic() + PATIENCE_S
    while not kernels_compiled() and time.monotonic() < until:
        time.sleep(LOOK_S)


def main(folder: str, *options: str) -> None:
    def tell(what: str) -> None:
        print(f"{what} …", flush=True)

    write_demo(Path(folder), tell, *[wait_for_kernels] * ("--patient" in options))


try:
    main(*sys.argv[1:])
except CycloramaError as error:
    sys.exit(error.sentence)
