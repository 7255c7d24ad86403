"""Tools that run on Node, which comes from a Python wheel: installed on first use, pinned in package.json."""

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
BIN = ROOT / "node_modules/.bin"
NODE = Path(sys.executable).with_name("node")


def run(tool: str, *arguments: str | Path, quiet: bool = False) -> int:
    """Run a tool of package.json; returns its exit code."""
    if not (BIN / tool).exists():
        npm = NODE.with_name("npm")
        install = [npm, "install", "--silent", "--no-audit", "--no-fund", "--no-package-lock"]
        subprocess.run(install, cwd=ROOT, check=True)
    return subprocess.run([NODE, BIN / tool, *arguments], cwd=ROOT, capture_output=quiet).returncode
