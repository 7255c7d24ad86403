"""Check the browser's scripts: their types, and their own tests."""

import subprocess
import sys

from node_tools import NODE, ROOT, run

if run("tsc"):
    sys.exit("The scripts have type errors.")
tests = sorted((ROOT / "tests/js").glob("*.test.js"))
if subprocess.run([NODE, "--test", "--test-reporter=dot", *tests], cwd=ROOT).returncode:
    sys.exit("Tests of scripts failed.")
print(f"Scripts are sound ({len(tests)} files of tests).")
