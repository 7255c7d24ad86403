"""Build the stylesheet with Tailwind, or check (`--check`) that the committed one is up to date."""

import sys
import tempfile
from pathlib import Path

from node_tools import ROOT, run

SOURCE = ROOT / "src/cyclorama/web/styles/app.css"
TARGET = ROOT / "src/cyclorama/web/static/css/app.css"


def build(target: Path) -> None:
    if run("tailwindcss", "-i", SOURCE, "-o", target, "--minify", quiet=True):
        sys.exit("Tailwind could not build the stylesheet.")


def main() -> None:
    if sys.argv[1:] != ["--check"]:
        build(TARGET)
        return
    with tempfile.TemporaryDirectory() as folder:
        fresh = Path(folder) / "app.css"
        build(fresh)
        if fresh.read_bytes() != TARGET.read_bytes():
            sys.exit("The built stylesheet is out of date: run `python tools/build_css.py`.")
    print("The stylesheet is up to date.")


if __name__ == "__main__":
    main()
