"""Check the browser's scripts: their types, what a linter finds, and their own tests."""

import json
import subprocess
import sys

from node_tools import NODE, ROOT, run

from cyclorama.web.app import create_app

BUILD = ROOT / "build"


def write_api_types() -> None:
    """Types of the server's answers for the scripts, from its own description."""
    BUILD.mkdir(exist_ok=True)
    description = BUILD / "openapi.json"
    description.write_text(json.dumps(create_app(BUILD).openapi()))
    if run("openapi-typescript", description, "-o", BUILD / "api.d.ts", quiet=True):
        sys.exit("Types could not be made from the server's description.")


write_api_types()
if run("tsc"):
    sys.exit("The scripts have type errors.")
if run("oxlint", "src/cyclorama/web/static/js", "tests/js"):
    sys.exit("The linter found something in the scripts.")
tests = sorted((ROOT / "tests/js").glob("*.test.js"))
if subprocess.run([NODE, "--test", "--test-reporter=dot", *tests], cwd=ROOT).returncode:
    sys.exit("Tests of scripts failed.")
print(f"Scripts are sound ({len(tests)} files of tests).")
