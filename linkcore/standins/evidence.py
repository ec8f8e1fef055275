"""What the bench has seen that proves a hop."""

from __future__ import annotations

from linkcore.binding.ends import TOO_CLOSE_M
from linkcore.craft.document import RECEIVER
from linkcore.findings import Hop
from linkcore.kit.ability import sensor_states
from linkcore.loom.netlist import wire_key
from linkcore.lostlink.timeline import judge, predict
from linkcore.modes.truth import truth_table
from linkcore.standins.seen import SeenBench


def bind_proven(bench: SeenBench) -> tuple[bool, str]:
    """Whether both ends were off and on again and found each other by themselves, and what that says, or what is missing."""
    link = bench.link
    after, within = link.cycle.back_after_s, link.receiver_part.binding.back_s
    if not link.knows:
        return False, "Not bound to this transmitter yet."
    if bench.board.stored.bind_count or bench.board.running.bind_count:
        return False, "The bind count is not back at 0."
    if bench.satellite_away:
        return False, "The satellite is not back on its own pad."
    if link.distance_m < TOO_CLOSE_M:
        return False, "The ends lie right beside each other; two steps apart it counts."
    if after is None:
        return False, "Bound counts once both ends were off and on again and the link came back by itself."
    if after > within:
        return False, f"The link came back after {after:.2f} s; its kind takes {within:g} s at most. Off and on again."
    return True, f"The link came back by itself after {after:.2f} s; {within:g} s are allowed."


def evidence(bench: SeenBench, hop: Hop) -> dict[str, object] | None:
    """What was seen that proves the hop, or None."""
    board, running = bench.board, bench.board.running
    reading = bench.port_reading() if hop in ("port plan", "line") else None
    awake = board.powered and not board.booting(bench.t)
    if hop == "kit" and awake and bench.receiver.linked:
        states = sensor_states(bench.document, bench.parts)
        if all(state.says != "missing" for state in states):
            return {"sensors": [state.sensor for state in states if state.fitted_in], "link": bench.receiver_part.radio.name}
    if hop == "port plan" and reading and reading.edges_at_pad > 0 and board.link == "good":
        return {"port": reading.port, "pad": reading.pad, "edges_in_1_s": reading.edges_at_pad}
    if hop == "load" and awake and bench.receiver.linked and bench.loading.outlook.verdict != "silent":
        runs = {role: each.facts.said() for role, each in bench.loading.installed.items() if each.facts}
        return {"runs": runs, "link": bench.loading.outlook.verdict}
    if hop == "bind" and bind_proven(bench)[0]:
        return {"cycle": bench.link.cycle.model_dump(), "back_after_s": bench.link.cycle.back_after_s, "distance_m": bench.link.distance_m}
    if hop == "line" and reading and reading.reads:
        return {"protocol": running.receiver_input.protocol, "good_frames_in_1_s": reading.good, "good_share": round(reading.good_share, 4)}
    if hop == "sticks" and bench.sticks.proven(running):
        return {axis: reached.model_dump() for axis, reached in bench.sticks.reached.items()}
    if hop == "switchboard" and bench.measured.seen:
        table = truth_table(bench.document, running, bench.transmitter_part, bench.measured, bench.lacking)
        if table.proven and (running.arming is not None or running.arm_by == "stick"):
            samples = {places: sample.model_dump() for places, sample in bench.measured.samples.items()}
            return {"rows": [row.model_dump() for row in table.rows], "channels": table.channels, "samples": samples}
    if hop == "lost link" and bench.loss and bench.loss.state == "done":
        good, verdict = judge(bench.loss, predict(bench.document, running, bench.receiver_part))
        if good:
            return {"run": bench.loss.model_dump(), "verdict": verdict}
    return None


def wires_rung(bench: SeenBench) -> list[str]:
    """Keys of wires that the signal rings out: frames that are read can only have come through the receiver's own line, its supply and its ground."""
    if not bench.port_reading().reads or not bench.path.heard_by(bench.board) or bench.path.chatter:
        return []
    carrying = {lead.pin for lead in bench.wire.leads if bench.path.reaches(lead) and lead.pad_name in bench.board.edges_matter_on}
    found = []
    for patch in bench.document.wiring:
        pin = bench.receiver_part.pin_called(patch.pin)
        if patch.device != RECEIVER or pin is None or wire_key(patch) in bench.rung:
            continue
        alone = sum(each.device == RECEIVER and each.pin == patch.pin for each in bench.document.wiring) == 1
        if alone and (patch.pin in carrying or pin.kind in ("supply", "ground")):
            found.append(wire_key(patch))
    return found
