"""`./bell image FILE`: what is in a firmware image, as JSON. `./bell images --into DIR`: the images that ship with the scenario, as files.

Exit status: 0 where it was read (or written), 2 where it cannot be, with one line on standard error.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TextIO

from linkcore.devices.factory import flash_of
from linkcore.devices.hexfile import read_named, write_hex
from linkcore.devices.image_facts import ImageError, facts_in
from linkcore.hops.load.rules import remarks
from linkcore.parts.catalogue import shipped
from scenario.images import scenario_images


def _image(path: Path, out: TextIO) -> None:
    content = read_named(path.name, path.read_bytes())
    facts = facts_in(content.data)
    target = facts.target if facts else ""
    flash = flash_of(target, shipped())
    answer = {
        "name": path.name,
        "facts": facts.model_dump(mode="json") if facts else None,
        "address": content.address if content.placed else None,
        "size": len(content.data),
        "start": content.start,
        "gaps": content.gaps,
        "crc32": content.crc32,
        "sha256": content.sha256,
        "remarks": remarks(content, target, flash),
    }
    json.dump(answer, out, indent=1)
    out.write("\n")


def _images(into: Path, out: TextIO) -> None:
    into.mkdir(parents=True, exist_ok=True)
    count = 0
    for name, _, content in scenario_images(shipped()):
        (into / name).write_bytes(write_hex(content))
        count += 1
    out.write(f"{count} images in {into}\n")


def main(arguments: Sequence[str], out: TextIO) -> int:
    """The command line; `arguments` begin with image or images."""
    if arguments[0] == "image":
        parser = argparse.ArgumentParser(prog="./bell image", description="Reads a firmware image, prints JSON (docs/commands.md).")
        parser.add_argument("file", type=Path, help=".hex or .bin")
    else:
        parser = argparse.ArgumentParser(prog="./bell images", description="Writes the scenario's firmware images as Intel HEX.")
        parser.add_argument("--into", type=Path, required=True, metavar="DIR")
    options = parser.parse_args(arguments[1:])
    try:
        if arguments[0] == "image":
            _image(options.file, out)
        else:
            _images(options.into, out)
    except ImageError as error:
        print(f"bell: {options.file.name}: {error}", file=sys.stderr)
        return 2
    except OSError as error:
        print(f"bell: {error.filename}: {error.strerror}", file=sys.stderr)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:], sys.stdout))
