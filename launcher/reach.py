"""Which tests a change can reach, by what imports what: for daily work; the whole run stays the gate. Standard library only."""

from __future__ import annotations

import ast
import subprocess
from collections.abc import Iterable, Mapping
from pathlib import Path

from launcher.setup import Trouble

CODE = ("linkcore", "commands", "scenario", "server", "launcher", "tests", "benchmarks")
# what is reached by a name in a setting, or by a process that is started, and not by an import
UNSEEN: Mapping[str, tuple[str, ...]] = {
    "tests.live": ("tests.served", "tests.settings", "launcher.main"),
    "tests.settings": ("server.settings", "tests.runner", "tests.clock", "tests.helper_process"),
    "server.settings": ("server.urls", "server.asgi"),
    "server.captures.services": ("commands.reading",),
}
BY_FOLDER: Mapping[str, tuple[str, ...]] = {
    "tests.server": ("tests.settings",),
    "tests.browser": ("tests.live",),
    "tests.launcher": ("launcher.main", "server.asgi"),
}
SAYS_NOTHING = (".md", ".png", ".gitignore")


def labels_since(rev: str, root: Path) -> list[str]:
    """Labels of the test modules that what has changed since a commit can reach, sorted; all of them where a file has changed that no import tells of. Raise Trouble where git knows no such commit."""
    names = [*_git(root, "diff", "--name-only", rev, "--"), *_git(root, "ls-files", "--others", "--exclude-standard")]
    imports = {_name(path.relative_to(root)): _imports(path) for folder in CODE for path in sorted((root / folder).rglob("*.py"))}
    return reached(names, imports)


def reached(changed: Iterable[str], imports: Mapping[str, set[str]]) -> list[str]:
    """The same of files by their paths, and of what each module imports."""
    every = sorted(name for name in imports if name.rpartition(".")[2].startswith("test_"))
    touched: set[str] = set()
    for path in changed:
        name = _name(Path(path))
        if path.endswith(SAYS_NOTHING):
            continue
        if path.startswith("web/"):
            touched |= {each for each in every if each.startswith("tests.browser.")} | {"tests.core.test_colours"}
        elif path.endswith(".py"):
            touched.add(name)
        else:
            return every
    importers: dict[str, set[str]] = {}
    for name, wanted in imports.items():
        unseen = (each for folder, those in BY_FOLDER.items() if name.startswith(f"{folder}.") for each in those)
        for each in {*wanted, *UNSEEN.get(name, ()), *unseen}:
            importers.setdefault(each, set()).add(name)
    waiting = list(touched)
    while waiting:
        for name in importers.get(waiting.pop(), set()) - touched:
            touched.add(name)
            waiting.append(name)
    return [each for each in every if each in touched]


def _git(root: Path, *arguments: str) -> list[str]:
    done = subprocess.run(["git", *arguments], cwd=root, capture_output=True, text=True, check=False)
    if done.returncode != 0:
        raise Trouble(f"git {' '.join(arguments)}: {done.stderr.strip().splitlines()[0] if done.stderr.strip() else 'failed'}")
    return done.stdout.splitlines()


def _name(path: Path) -> str:
    parts = path.with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


def _imports(path: Path) -> set[str]:
    """Modules that a file imports anywhere, and what of them may be a module as well."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module, *(f"{node.module}.{alias.name}" for alias in node.names)}
    return found
