"""Installing what is missing, and only that. Everything told goes to standard error."""

from __future__ import annotations

import hashlib
import importlib.util
import os
import shutil
import subprocess
import sys
import sysconfig
from collections.abc import Callable, Iterable
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
VAR = Path(os.environ.get("COINBELL_VAR", ROOT / "var"))
PYTHON = ROOT / ".venv" / "bin" / "python"
WEB = ROOT / "web"
UV_VERSION = "0.13.9"

DATABASE_PACKAGES = ("mariadb-server",)
BUILD_PACKAGES = ("libmariadb-dev", "gcc", "pkg-config")
REDIS_PACKAGES = ("redis-server",)
TEST_PACKAGES = ("chromium-headless-shell", "fonts-dejavu-core", *REDIS_PACKAGES)


class Trouble(Exception):
    """Something that the person at the keyboard can mend; the text is one clear line."""


def say(text: str) -> None:
    """Tell what is happening."""
    print(f"bell: {text}", file=sys.stderr, flush=True)


def run(command: Iterable[str | Path], what: str, **options: object) -> None:
    """Run a command quietly; where it fails, show the end of what it said."""
    done = subprocess.run([str(part) for part in command], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, check=False, **options)  # type: ignore[call-overload]
    if done.returncode != 0:
        tail = "\n".join(done.stdout.strip().splitlines()[-15:])
        print(tail, file=sys.stderr)
        raise Trouble(f"{what} failed; what it said stands above")


def _once(name: str, state: str, work: Callable[[], None], there: Path) -> None:
    """Do `work` unless it was done for this very `state` before."""
    stamp = VAR / "stamps" / name
    if there.exists() and stamp.exists() and stamp.read_text() == state:
        return
    stamp.unlink(missing_ok=True)
    work()
    stamp.parent.mkdir(parents=True, exist_ok=True)
    stamp.write_text(state)


def _digest(paths: Iterable[Path]) -> str:
    total = hashlib.sha256()
    for path in sorted(paths):
        total.update(str(path.relative_to(ROOT)).encode())
        total.update(path.read_bytes())
    return total.hexdigest()


def debian_packages(names: Iterable[str]) -> None:
    """Install Debian packages that are missing; raise Trouble naming them where that is not possible."""
    if shutil.which("dpkg-query") is None:
        raise Trouble("this is no Debian machine: dpkg-query is missing; Coin Bell is set up for Debian 12")
    missing = [name for name in names if not _installed(name)]
    if not missing:
        return
    asks = sys.stdin.isatty()  # then sudo may ask for a password
    as_root = [] if os.geteuid() == 0 else ["sudo"] if asks else ["sudo", "-n"]
    line = f"apt-get install --no-install-recommends {' '.join(missing)}"
    if as_root and (shutil.which("sudo") is None or not _sudo_works(asks)):
        raise Trouble(f"packages are missing and this user may not install them; run as root: {line}")
    say(f"installing Debian packages: {', '.join(missing)}")
    quiet = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    run([*as_root, "apt-get", "update"], "apt-get update", env=quiet)
    run([*as_root, "apt-get", "install", "-y", "--no-install-recommends", *missing], line, env=quiet)


def _sudo_works(asks: bool) -> bool:
    return asks or subprocess.run(["sudo", "-n", "true"], capture_output=True, check=False).returncode == 0


def _installed(name: str) -> bool:
    done = subprocess.run(["dpkg-query", "-W", "-f=${Status}", name], capture_output=True, text=True, check=False)
    return done.stdout.endswith("ok installed")


def python_environment() -> None:
    """The locked Python environment in .venv."""
    if sys.version_info[:2] != (3, 11):
        raise Trouble(f"Python 3.11 is needed; this is {sys.version.split()[0]}")
    lock = ROOT / "requirements.lock"
    _once("python", _digest([lock]) + sys.version, lambda: _make_python(lock), PYTHON)


def _make_python(lock: Path) -> None:
    needed = list(BUILD_PACKAGES)
    if importlib.util.find_spec("ensurepip") is None:
        needed.append("python3-venv")
    if not Path(sysconfig.get_paths()["include"], "Python.h").exists():
        needed.append("python3-dev")
    debian_packages(needed)
    say("installing the Python environment (about half a minute)")
    if not PYTHON.exists():
        run([sys.executable, "-m", "venv", "--clear", PYTHON.parent.parent], "making the Python environment")
    uv = PYTHON.with_name("uv")
    pip: list[str | Path] = [PYTHON, "-m", "pip", "install", "-q", "--disable-pip-version-check"]
    if not uv.exists():
        run([*pip, f"uv=={UV_VERSION}"], "installing uv")
    try:
        quick: list[str | Path] = [uv, "pip", "install", "-q", "--system-certs", "--compile-bytecode", "--require-hashes", "-r", lock]
        run(quick, "installing the Python packages", env={**os.environ, "VIRTUAL_ENV": str(PYTHON.parent.parent)})
    except Trouble:
        say("trying once more with pip, which takes about two minutes")
        run([*pip, "--require-hashes", "-r", lock], "installing the Python packages")


def front_end() -> None:
    """The front end, built where its sources have changed."""
    modules = WEB / "node_modules"
    if shutil.which("node") is None or shutil.which("npm") is None:
        raise Trouble("Node 20 and npm are needed for the front end; install them (nodejs, npm) and start again")
    version = subprocess.run(["node", "--version"], capture_output=True, text=True, check=False).stdout.strip()
    if int(version.lstrip("v").split(".")[0] or 0) < 20:
        raise Trouble(f"Node 20 or newer is needed; this is {version}")
    _once("npm", _digest([WEB / "package-lock.json"]) + version, _install_modules, modules)
    sources = [path for path in (WEB / "src").rglob("*") if path.is_file() and path.name != "schema.d.ts"]
    state = _digest([*sources, WEB / "package-lock.json", WEB / "index.html", WEB / "vite.config.ts"])
    _once("web", state, _build, WEB / "dist" / "index.html")


def _install_modules() -> None:
    say("installing the front end's packages (about a minute)")
    run(["npm", "ci", "--no-audit", "--no-fund"], "npm ci", cwd=WEB)


def _build() -> None:
    say("building the front end")
    run(["npm", "run", "-s", "build"], "the front-end build", cwd=WEB)
    run([PYTHON, "-m", "whitenoise.compress", "-q", WEB / "dist"], "compressing the front end")
