"""`./bell calc ports` and `./bell calc loom`: a craft document on standard input, plan or findings as JSON on standard output.

Exit status: 0 where a plan was found (loom: nothing says stop), 3 where there is none (loom: something does), 2 where the
document or the parts file cannot be read.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any, TextIO

from linkcore.craft.document import CraftDocument, CraftError, load
from linkcore.craft.parts import KitParts, unknown_parts
from linkcore.loom.netlist import plan_edits, rail_loads, usb_load, wire_list
from linkcore.loom.rules import check_loom
from linkcore.parts.catalogue import PartError, UnknownPart, shipped
from linkcore.parts.files import read_parts
from linkcore.ports.planner import work_out
from linkcore.ports.rules import check_ports


def calc_ports(document: CraftDocument, parts: KitParts) -> tuple[dict[str, Any], int]:
    """Plans with the edits that take them, or the clash; and what the check says of the document as it is."""
    _ = parts.board  # raises where there is none
    worked = work_out(document, parts)
    findings = [*unknown_parts(parts), *check_ports(document, document.settings, parts)]
    plans = [plan.model_dump(mode="json") | {"edits": [edit.model_dump(mode="json") for edit in plan_edits(document, parts, plan)]} for plan in worked.plans]
    answer = {"plans": plans, "clash": [each.model_dump(mode="json") for each in worked.clash], "findings": [each.model_dump(mode="json") for each in findings]}
    return answer, 3 if worked.clash else 0


def calc_loom(document: CraftDocument, parts: KitParts) -> tuple[dict[str, Any], int]:
    """What the rule check says, the wire list, and the currents."""
    findings = [*unknown_parts(parts), *check_loom(document, parts)]
    answer = {
        "findings": [each.model_dump(mode="json") for each in findings],
        "wires": [each.model_dump(mode="json") for each in wire_list(document, parts)],
        "rails": [each.model_dump(mode="json") for each in rail_loads(document, parts)],
        "usb": usb_load(document, parts).model_dump(mode="json"),
    }
    return answer, 3 if any(each.severity == "stop" for each in findings) else 0


def main(arguments: Sequence[str], into: TextIO, out: TextIO) -> int:
    """The command line; `arguments` begin with calc."""
    parser = argparse.ArgumentParser(prog="./bell calc", description="Reads a craft document on standard input, prints JSON (docs/commands.md).")
    parser.add_argument("what", choices=["ports", "loom"])
    parser.add_argument("--parts", type=Path, metavar="FILE", help="own parts, as the app exports them")
    options = parser.parse_args(arguments[1:])
    name = "standard input"
    try:
        document = load(json.load(into))
        catalogue = shipped()
        if options.parts:
            name = options.parts.name
            catalogue = catalogue.with_own(read_parts(json.loads(options.parts.read_text(encoding="utf-8"))))
        parts = KitParts.of(document, catalogue)
        answer, status = (calc_ports if options.what == "ports" else calc_loom)(document, parts)
    except json.JSONDecodeError as error:
        print(f"bell: {name}: no JSON: {error}", file=sys.stderr)
        return 2
    except (CraftError, PartError, UnknownPart, UnicodeDecodeError) as error:
        print(f"bell: {name}: {error}", file=sys.stderr)
        return 2
    except OSError as error:
        print(f"bell: {options.parts}: {error.strerror}", file=sys.stderr)
        return 2
    json.dump(answer, out, indent=1)
    out.write("\n")
    return status


if __name__ == "__main__":
    try:
        status = main(sys.argv[1:], sys.stdin, sys.stdout)
        sys.stdout.flush()
    except BrokenPipeError:  # the reader has had enough
        sys.stderr.close()
        status = 0
    sys.exit(status)
