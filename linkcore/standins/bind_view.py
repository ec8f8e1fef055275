"""What the bench tells of the bind: both ends, the steps, the findings."""

from __future__ import annotations

from linkcore.binding.ends import SLOTS
from linkcore.binding.identity import from_model
from linkcore.binding.rules import check_ends
from linkcore.binding.sequence import Situation, counts_for, receiver_view, steps, transmitter_view
from linkcore.findings import Finding
from linkcore.standins.bench import Bench
from linkcore.standins.evidence import bind_proven
from linkcore.standins.messages import BindReport

SEEN_IN_BIND = ("bind.not-bound", "bind.other-link", "bind.satellite-away", "bind.too-close", "bind.over-limit")


def situation(bench: Bench) -> Situation:
    """All that the steps are judged by."""
    sender, listener = bench.transmitter.end, bench.receiver.end
    return Situation(
        way=bench.link.way,
        binding=bench.receiver_part.binding,
        receiver=bench.receiver.state,
        transmitter=sender.mode,
        transmitter_on=bench.transmitter.on,
        knows=bench.link.knows,
        registered=listener.registered == sender.serial,
        phrase_set=bool(sender.phrase),
        count_on_board=bench.board.stored.bind_count,
        count_wanted=counts_for(bench.path.output.protocol),
        satellite_home=not bench.satellite_away,
        fits=bench.loading.outlook.verdict != "silent",
        plugged=bench.link.plugged,
        waits=listener.waits(bench.t),
        bind_pad=bench.bind_pad,
        cycle=bench.link.cycle,
    )


def bind_report(bench: Bench) -> BindReport:
    """The Bind hop."""
    now, sender, listener = situation(bench), bench.transmitter.end, bench.receiver.end
    waits = listener.waits(bench.t)
    until = listener.until if listener.until is not None else listener.open_until if waits else None
    proven, verdict = bind_proven(bench)
    margin = bench.link.margin_db
    return BindReport(
        way=bench.link.way,
        ways=list(bench.receiver_part.binding.ways),
        steps=steps(now),
        transmitter=transmitter_view(bench.transmitter_part.name, now, sender.slot, _left(sender.until, bench.t)),
        receiver=receiver_view(bench.receiver_part.name, now, _left(until, bench.t), waits=waits),
        hindrances=bench.link.hindrances,
        knows=bench.link.knows,
        identity=bench.link.identity,
        sends_identity=sender.identity.hex(),
        model=sender.slot,
        transmitter_phrase=sender.phrase,
        lights=bench.receiver_part.binding.lights,
        cycle=bench.link.cycle,
        back_after_s=bench.link.cycle.back_after_s,
        back_within_s=bench.receiver_part.binding.back_s,
        proven=proven,
        verdict=verdict,
        bind_pad=bench.bind_pad,
        satellite_away=bench.satellite_away,
        count=bench.board.stored.bind_count,
        count_wanted=list(now.count_wanted),
        distance_m=bench.link.distance_m,
        margin_db=None if margin is None else round(margin, 1),
        loss_percent=round(bench.link.loss_percent, 1),
    )


def _left(until: float | None, t: float) -> float | None:
    return None if until is None else round(max(0.0, until - t), 1)


def bind_findings(bench: Bench) -> list[Finding]:
    """What both ends say of each other now. While they bind, not knowing each other is no fault."""
    if bench.parts.shared_radio() is None or not bench.receiver.powered or not bench.receiver.runs:
        return []
    own = bench.document.pad_of(bench.path.output.pins[0])
    return check_ends(
        knows=bench.link.knows,
        identity=bench.receiver.end.identity is not None,
        because=_because(bench),
        distance_m=bench.link.distance_m,
        satellite_home=not bench.satellite_away,
        own_pad=own,
        budget=bench.link.budget,
        transmitter_name=bench.loading.devices["transmitter"].name,
    )


def _because(bench: Bench) -> str:
    """Why the receiver's identity is not what the transmitter sends: another model memory, the phrase, or another transmitter."""
    sender, wanted = bench.transmitter.end, bench.receiver.end.identity
    for slot in range(1, SLOTS + 1):
        if not sender.phrase and from_model(sender.serial, slot) == wanted:
            return f"it was bound with model memory {slot}, and {sender.slot} is selected"
    if sender.phrase:
        return "the transmitter sends the identity of its link phrase, and the receiver knows another"
    return "it was bound with another transmitter, or with a link phrase"
