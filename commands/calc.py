"""`./bell calc WHAT`: a craft document on standard input, what is worked out of it as JSON on standard output.

Exit status: 0 where it could be worked out and nothing is in the way, 3 where something is (docs/commands.md says what for each), 2 where
the document, the parts or the frames cannot be read.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TextIO

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from commands.flight import is_mavlink
from commands.frames import FramesError, read_frames
from linkcore.bench.from_frames import heard_in
from linkcore.craft.document import Airframe, CraftDocument, CraftError, Props, first_fault, load
from linkcore.craft.layouts import layout_of
from linkcore.craft.parts import KitParts
from linkcore.devices.body import RESERVE_PERCENT
from linkcore.devices.modes import lacking, switch_channels
from linkcore.devices.pack import open_volts
from linkcore.devices.sensors import FACTS, TELLINGS
from linkcore.findings import Finding
from linkcore.hops.airframe.facing import FacingError, Pose, find_facing
from linkcore.hops.airframe.order import OrderError, SeenMotor, motor_mends
from linkcore.hops.downlink.ages import ages
from linkcore.hops.downlink.causes import causes, known_to_board, told_now
from linkcore.hops.downlink.rules import check_downlink
from linkcore.hops.kit.rules import unknown_parts
from linkcore.hops.loom.rules import POWER, check_loom
from linkcore.hops.lost_link.alarm import alarm_line
from linkcore.hops.lost_link.rules import check_lost_link
from linkcore.hops.lost_link.timeline import predict
from linkcore.hops.port_plan.rules import check_ports
from linkcore.hops.sticks.lines import propose_deadband, step_us
from linkcore.hops.sticks.measure import SticksMeasure
from linkcore.hops.sticks.rules import check_sticks
from linkcore.hops.sticks.travel import Places, plan_travel
from linkcore.hops.switchboard.detents import SwitchMeasure, as_known, known_detents
from linkcore.hops.switchboard.rules import check_switches
from linkcore.hops.switchboard.suggest import suggest_all
from linkcore.hops.switchboard.truth import truth_table
from linkcore.parts.axes import AXES, Axis, channel_of
from linkcore.parts.catalogue import PartError, UnknownPart, shipped
from linkcore.parts.files import read_parts
from linkcore.parts.models import CELL_VOLTS
from linkcore.parts.sensor_names import SENSORS
from linkcore.signal.flight_log import read_flight_log
from linkcore.signal.mavlink_log import read_mavlink_log
from linkcore.signal.recordings import RecordingError
from linkcore.wiring.netlist import plan_edits, rail_loads, usb_load, wire_list
from linkcore.wiring.planner import work_out
from linkcore.wiring.way_home import none_because, way_home

Answer = tuple[dict[str, Any], int]


@dataclass
class Heard:
    """What was measured besides the craft: from frames, or typed. `left_out`: channel frames that did not count."""

    sticks: SticksMeasure = field(default_factory=SticksMeasure)
    switches: SwitchMeasure = field(default_factory=SwitchMeasure)
    left_out: int = 0
    typed: dict[Axis, Places] = field(default_factory=dict)


def calc_ports(document: CraftDocument, parts: KitParts, _heard: Heard) -> Answer:
    """Plans with the edits that take them, or the clash; and what the check says of the document as it is."""
    _ = parts.board  # raises where there is none
    worked = work_out(document, parts)
    findings = [*unknown_parts(parts), *check_ports(document, parts)]
    plans = [plan.model_dump(mode="json") | {"edits": _data(plan_edits(document, parts, plan))} for plan in worked.plans]
    return {"plans": plans, "clash": _data(worked.clash), "findings": _data(findings)}, 3 if worked.clash else 0


def calc_loom(document: CraftDocument, parts: KitParts, _heard: Heard) -> Answer:
    """What the rule check says, the wire list, and the currents."""
    findings = [*unknown_parts(parts), *check_loom(document, parts)]
    answer = {
        "findings": _data(findings),
        "wires": _data(wire_list(document, parts)),
        "rails": _data(rail_loads(document, parts)),
        "usb": usb_load(document, parts).model_dump(mode="json"),
    }
    return answer, 3 if _stops(findings) else 0


def calc_travel(document: CraftDocument, parts: KitParts, heard: Heard) -> Answer:
    """Where each stick arrives, and what to dial for each axis."""
    part, sticks = parts.transmitter, heard.sticks
    axes, whole = [], True
    for axis in AXES:
        number = channel_of(axis, document.settings.channel_map)
        places = heard.typed.get(axis) or sticks.reached[axis].places(axis)
        told: dict[str, Any] = {"axis": axis, "channel": number}
        if places is None:
            told |= {"measured": None, "why_not": "it was not moved to both ends and let rest"}
            whole = False
        elif number > len(document.transmitter.channels):
            told |= {"measured": places.model_dump(), "why_not": f"the model memory has no CH{number}"}
            whole = False
        else:
            plan = plan_travel(number, document.transmitter.channels[number - 1], part, places)
            whole &= not plan.unreachable
            told |= plan.model_dump(mode="json")
        axes.append(told)
    deadband = propose_deadband(sticks.noise, step_us(parts))
    answer = {
        "transmitter": part.id,
        "found": sticks.found.model_dump(mode="json") | {"order": sticks.found.order},
        "axes": axes,
        "noise": {axis: noise.model_dump() for axis, noise in sticks.noise.items()},
        "deadband": deadband.model_dump(mode="json") if deadband else None,
        "left_out": heard.left_out,
        "findings": _data(check_sticks(document, parts, sticks)),
    }
    return answer, 0 if whole else 3


def calc_bands(document: CraftDocument, parts: KitParts, heard: Heard) -> Answer:
    """Every band worked out anew around the detents, measured or expected."""
    part, channels = parts.transmitter, switch_channels(document, document.settings)
    suggestion = suggest_all(document, document.settings, part, heard.switches)
    switches = []
    for channel in channels:
        detents, seen = known_detents(document, part, heard.switches, channel)
        source = document.transmitter.source(channel)
        switches.append({"channel": channel, "source": source, "measured": seen, "detents": [[each.value, each.jitter] for each in detents]})
    findings = check_switches(document, parts, heard.switches)
    answer = {"switches": switches, "suggestion": suggestion.model_dump(mode="json"), "left_out": heard.left_out, "findings": _data(findings)}
    return answer, 3 if suggestion.why_not else 0


def calc_truth(document: CraftDocument, parts: KitParts, heard: Heard) -> Answer:
    """Every combination of the switches in use, and what each holds."""
    part, channels = parts.transmitter, switch_channels(document, document.settings)
    known = as_known(document, part, heard.switches, channels)
    table = truth_table(document, document.settings, part, known, lacking(document, parts))
    rows = [row.model_dump(mode="json", exclude={"seen"}) for row in table.rows]
    unknown = bool(table.too_many) or not rows or rows[0]["mode"] == "?"
    answer = {"channels": table.channels, "switches": table.switches, "too_many": table.too_many, "rows": [] if unknown else rows, "left_out": heard.left_out}
    return answer, 3 if unknown else 0


def calc_loss(document: CraftDocument, parts: KitParts, _heard: Heard) -> Answer:
    """What the craft does when the link dies, when and where, and what is dangerous in it."""
    _ = parts.board, parts.receiver  # raises where there is none
    predicted, findings = predict(document, parts), [*unknown_parts(parts), *check_lost_link(document, parts)]
    reaction = predicted.model_dump(mode="json", include={"last_frame_s", "board_learns_s", "reacts_s", "motors_stop_s"})
    answer = {
        "reaction": {name: None if value is None else round(value, 4) for name, value in reaction.items()},
        "path": [point.model_dump(mode="json") for point in predicted.path],
        "findings": [{"code": each.code, "severity": each.severity, "where": each.where, "what": each.what} for each in findings],
    }
    return answer, 3 if _stops(findings) else 0


def calc_downlink(document: CraftDocument, parts: KitParts, _heard: Heard) -> Answer:
    """How telemetry comes home, which sensors come and how often, and what keeps the others."""
    _ = parts.board, parts.receiver  # raises where there is none
    way, why = way_home(document, parts), causes(document, parts)
    reckoned = ages(document, parts, way.protocol, told_now(known_to_board(parts), why)) if way else None
    telling, asked = (TELLINGS[way.protocol], way.asked) if way else (None, None)
    findings = [*unknown_parts(parts), *check_downlink(document, parts)]
    answer = {
        "way": {
            "protocol": way.protocol,
            "port": way.port,
            "pad": way.pad.name if way.pad else None,
            "baud": way.baud,
            "inverted": asked.inverted,
            "half_duplex": asked.half_duplex,
        }
        if way and asked
        else None,
        "because": way.turns if way else f"None can come: {none_because(parts) or 'the receiver sends it by another output'}.",
        "sensors": [
            {
                "name": sensor,
                "unit": carried.unit if telling and (carried := telling.of(sensor)) else FACTS[sensor].unit,
                "every_s": round(reckoned.every_s[sensor], 3) if reckoned and why[sensor] is None and sensor in reckoned.every_s else None,
                "missing_because": cause.says if (cause := why[sensor]) else None,
            }
            for sensor in SENSORS
        ],
        "findings": [{"code": each.code, "severity": each.severity, "where": each.where, "what": each.what} for each in findings],
    }
    return answer, 3 if _stops(findings) else 0


def calc_power(document: CraftDocument, parts: KitParts, _heard: Heard) -> Answer:
    """Every rail at its full voltage, what hangs on it, and the cells of the pack."""
    _ = parts.board  # raises where there is none
    pack = parts.pack
    findings = [each for each in check_loom(document, parts) if each.code in POWER]
    full, _nominal, empty = CELL_VOLTS[pack.chemistry] if pack else (None, None, None)
    answer = {
        "rails": [
            {
                "name": load.rail,
                "volts_full": load.volts,
                "idle_ma": load.idle_ma,
                "ma": load.ma,
                "peak_ma": load.peak_ma,
                "limit_ma": load.limit_ma,
                "on": load.devices,
            }
            for load in rail_loads(document, parts)
        ],
        "cells": pack.cells if pack else None,
        "per_cell": {"full": full, "low": round(open_volts(pack, RESERVE_PERCENT / 100) / pack.cells, 2) if pack else None, "empty": empty},
        "findings": [{"code": each.code, "severity": each.severity, "where": each.where, "what": each.what} for each in findings],
    }
    return answer, 3 if _stops(findings) else 0


class _Samples(BaseModel):
    """What `calc facing` reads."""

    model_config = ConfigDict(extra="forbid")
    poses: list[Pose] = Field(max_length=60)


def calc_facing(samples: Any) -> Answer:
    """How a board sits in its craft, from three poses of it. Raise FacingError."""
    try:
        read = _Samples.model_validate(samples)
    except ValidationError as error:
        raise FacingError(first_fault(error)) from error
    found = find_facing(read.poses)
    answer = {"facing": found.facing.model_dump(), "mounting": found.mounting.model_dump(), "within_deg": found.within_deg, "says": found.says}
    return answer, 0


class _SeenMotors(BaseModel):
    """What `calc motors` reads."""

    model_config = ConfigDict(extra="forbid")
    layout: Airframe
    props: Props = "in"
    seen: list[SeenMotor] = Field(max_length=24)


def calc_motors(said: Any) -> Answer:
    """What sets motors right whose outputs are numbered as the layout is read. Raise OrderError."""
    try:
        read = _SeenMotors.model_validate(said)
    except ValidationError as error:
        raise OrderError(first_fault(error)) from error
    layout = layout_of(read.layout, len(read.seen))
    found = motor_mends(layout, read.props, {f"M{number}": place.role for number, place in enumerate(layout, 1)}, read.seen)
    return found.model_dump(), 3 if found.says else 0


def calc_alarm(log: Path, margin: float | None) -> Answer:
    """Where loss begins in a flight's log, and the line at which to be warned."""
    with log.open("rb") as stream:
        found = alarm_line(read_mavlink_log(stream) if is_mavlink(log) else read_flight_log(stream), margin)
    answer = found.model_dump(mode="json", exclude={"margin", "curve", "points", "says"}) | {"says": found.says}
    return answer, 3 if found.alarm_line is None else 0


CALCULATIONS: dict[str, Callable[[CraftDocument, KitParts, Heard], Answer]] = {
    "ports": calc_ports,
    "loom": calc_loom,
    "travel": calc_travel,
    "bands": calc_bands,
    "truth": calc_truth,
    "loss": calc_loss,
    "downlink": calc_downlink,
    "power": calc_power,
}
_MEASURED = ("travel", "bands", "truth")
_OF_A_LOG = "alarm"
_OF_OTHER_JSON: dict[str, Callable[[Any], Answer]] = {"facing": calc_facing, "motors": calc_motors}  # need no craft


def _data(models: Sequence[BaseModel]) -> list[dict[str, Any]]:
    return [each.model_dump(mode="json") for each in models]


def _stops(findings: Sequence[Finding]) -> bool:
    return any(each.severity == "stop" for each in findings)


def _seen(text: str) -> tuple[Axis, Places]:
    """`roll=1004,1500,1996`, or `throttle=1100,1990`."""
    name, _, figures = text.partition("=")
    axis = next((axis for axis in AXES if axis == name), None)
    try:
        values = [float(figure) for figure in figures.split(",")]
    except ValueError:
        values = []
    wanted = 2 if axis == "throttle" else 3
    if axis is None or len(values) != wanted or not all(500 <= us <= 2500 for us in values) or sorted(values) != values:
        raise argparse.ArgumentTypeError(
            f"{text!r}: give an axis and what was seen in us, lowest first: roll=1004,1500,1996 (pitch and yaw alike), throttle=1100,1990"
        )
    return axis, Places(low=values[0], centre=values[1] if wanted == 3 else None, high=values[-1])


def _margin(text: str) -> float:
    margin = float(text)
    if not 0 <= margin <= 60:
        raise argparse.ArgumentTypeError(f"{text}: a margin is 0 to 60 dB, or points of percent")
    return margin


def _hear(options: argparse.Namespace, document: CraftDocument) -> Heard:
    heard = Heard(typed=dict(options.seen))
    if options.frames:
        with options.frames.open(encoding="utf-8") as lines:
            heard.sticks, heard.switches, heard.left_out = heard_in(read_frames(lines), document)
    return heard


def main(arguments: Sequence[str], into: TextIO, out: TextIO) -> int:
    """The command line; `arguments` begin with calc."""
    parser = argparse.ArgumentParser(
        prog="./bell calc",
        description="Reads a craft document on standard input, poses of a board, what motors were seen to do, or a flight's log, prints JSON (docs/commands.md).",
    )
    parser.add_argument("what", choices=[*CALCULATIONS, _OF_A_LOG, *_OF_OTHER_JSON])
    parser.add_argument("log", type=Path, nargs="?", metavar="LOG.csv", help="alarm: a flight's log, with RSSI or link quality and lost frames")
    parser.add_argument("--margin", type=_margin, metavar="DB", help="alarm: how far above the begin of loss, dB or points of percent")
    parser.add_argument("--parts", type=Path, metavar="FILE", help="own parts, as the app exports them")
    parser.add_argument(
        "--frames", type=Path, metavar="FILE", help="travel, bands, truth: what ./bell decode printed of a line while sticks and switches moved"
    )
    parser.add_argument(
        "--seen", type=_seen, action="append", default=[], metavar="AXIS=US,US,US", help="travel: low, centre and high as read off (throttle: two)"
    )
    options = parser.parse_intermixed_args(arguments[1:])
    if (options.frames and options.what not in _MEASURED) or (options.seen and options.what != "travel"):
        parser.error(f"{options.what} takes no measurement")
    if options.what == "travel" and not options.frames and not options.seen:
        parser.error("travel needs what was seen of the sticks: --frames FILE, or --seen for each axis")
    if (options.what == _OF_A_LOG) != (options.log is not None):
        parser.error("alarm needs a flight's log, and nothing else takes one")
    if options.margin is not None and options.what != _OF_A_LOG:
        parser.error(f"{options.what} takes no margin")
    name = "standard input"
    try:
        if options.log:
            name = options.log.name
            return _say(calc_alarm(options.log, options.margin), out)
        if options.what in _OF_OTHER_JSON:
            return _say(_OF_OTHER_JSON[options.what](json.load(into)), out)
        document = load(json.load(into))
        catalogue = shipped()
        if options.parts:
            name = options.parts.name
            catalogue = catalogue.with_own(read_parts(json.loads(options.parts.read_text(encoding="utf-8"))))
        parts = KitParts.of(document, catalogue)
        name = options.frames.name if options.frames else name
        return _say(CALCULATIONS[options.what](document, parts, _hear(options, document)), out)
    except json.JSONDecodeError as error:
        print(f"bell: {name}: no JSON: {error}", file=sys.stderr)
        return 2
    except (FramesError, CraftError, FacingError, OrderError, PartError, UnknownPart, RecordingError, UnicodeDecodeError) as error:
        print(f"bell: {name}: {error}", file=sys.stderr)
        return 2
    except OSError as error:
        print(f"bell: {error.filename}: {error.strerror}", file=sys.stderr)
        return 2


def _say(answer: Answer, out: TextIO) -> int:
    json.dump(answer[0], out, indent=1)
    out.write("\n")
    return answer[1]


if __name__ == "__main__":
    try:
        status = main(sys.argv[1:], sys.stdin, sys.stdout)
        sys.stdout.flush()
    except BrokenPipeError:  # the reader has had enough
        sys.stderr.close()
        status = 0
    sys.exit(status)
