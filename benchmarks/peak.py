"""How much memory a command takes at most."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
_TELL = """
import contextlib, runpy, sys
sys.argv = sys.argv[1:]
with contextlib.suppress(SystemExit):
    runpy.run_module(sys.argv[0], run_name="__main__")
print(next(line for line in open("/proc/self/status") if line.startswith("VmHWM")), file=sys.stderr)
"""


def peak_memory_mb(module: str, *arguments: str) -> float:
    """The command's process tells its own peak: seen from here, a child would inherit this process's."""
    command = [sys.executable, "-c", _TELL, module, *arguments]
    done = subprocess.run(command, cwd=ROOT, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True, check=True)
    return int(done.stderr.split()[-2]) / 1024
