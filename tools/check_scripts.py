"""Check the browser's scripts: their types, what a linter finds, and their own tests."""

import subprocess
import sys

from node_tools import NODE, ROOT, run

if run("tsc"):
    sys.exit("The scripts have type errors.")
if run("oxlint", "src/cyclorama/web/static/js", "tests/js"):
    sys.exit("The linter found something in the scripts.")
tests = sorted((ROOT / "tests/js").glob("*.test.js"))
if subprocess.run([NODE, "--test", "--test-reporter=dot", *tests], cwd=ROOT).returncode:
    sys.exit("Tests of scripts failed.")
print(f"Scripts are sound ({len(tests)} files of tests).")
