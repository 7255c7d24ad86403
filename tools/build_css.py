"""Build the stylesheet with Tailwind, or check (`--check`) that the committed one is up to date.

Needs Node's npm for building only; the result is committed.
"""

import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "src/cyclorama/web/styles/app.css"
TARGET = ROOT / "src/cyclorama/web/static/css/app.css"
CLI = ROOT / "node_modules/.bin/tailwindcss"


def build(target: Path) -> None:
    """Run Tailwind, installing it first if needed."""
    if not CLI.exists():
        subprocess.run(
            ["npm", "install", "--silent", "--no-audit", "--no-fund", "--no-package-lock"], cwd=ROOT, check=True
        )
    subprocess.run(
        [str(CLI), "-i", str(SOURCE), "-o", str(target), "--minify"], cwd=ROOT, check=True, capture_output=True
    )


def main() -> None:
    if not shutil.which("npm"):
        print("The stylesheet was not checked: npm is not installed.")
        return
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
