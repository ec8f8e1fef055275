"""What is said to be so, held against what is: mends against what they do, the draft against the board, predictions against the bench."""

from __future__ import annotations

import random

from benchmarks.line import Row
from benchmarks.seeds import seeds
from linkcore.bench.bench import Bench
from linkcore.bench.messages import Hands
from linkcore.chain import settled_findings
from linkcore.craft.document import apply_edits
from linkcore.findings import Edit
from linkcore.hops.lost_link.timeline import TOLERANCE_S, predict
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Receiver
from linkcore.reads import Whole
from tests.kits import planned_craft
from tests.mends import miswired, wrong_mends

KITS = 300
SETTINGS = 300
LOSSES = 40


def truth() -> list[Row]:
    """Everything that anybody can repeat."""
    return [_mends(), _board_not_draft(), _lost_links()]


def _mends() -> Row:
    tried, wrong = 0, []
    for seed in seeds(KITS):
        count, faults = wrong_mends(miswired(seed))
        tried += count
        wrong += [f"seed {seed}: {fault}" for fault in faults]
    return (
        f"every mend of every finding over {KITS} random kits mends, and brings no stop",
        f"{tried - len(wrong)} of {tried} {wrong[:2] or ''}",
        "all",
        not wrong,
    )


def _board_not_draft() -> Row:
    """Whatever the draft's settings are, what is said of the board is what is said where those it runs are the draft as well."""
    wrong = []
    for seed in seeds(SETTINGS):
        rng = random.Random(seed)
        craft, other = miswired(seed), miswired(seed)
        for port in other.settings.ports:
            other.settings.ports[port] = rng.choice(["free", "receiver input", "GPS", "telemetry"])
        other.settings.receiver_input.inverted = rng.random() < 0.5
        other.settings.servo_reverse = ["device 0"] if rng.random() < 0.5 else []
        other.settings.bind_count = rng.choice([0, 5, 9])
        other.settings.lost_link.grace_ms = rng.choice([200, 2000])
        whole = Whole(other, craft.settings, Whole(craft, craft.settings, _parts(craft)).parts)
        same = Whole(craft, craft.settings, whole.parts)
        if settled_findings(whole) != settled_findings(same):
            wrong.append(seed)
    return (
        f"{SETTINGS} drafts of any settings change nothing of what is said of the board",
        f"{SETTINGS - len(wrong)} of {SETTINGS} {wrong[:3] or ''}",
        "all",
        not wrong,
    )


def _parts(craft):  # type: ignore[no-untyped-def]
    from linkcore.craft.parts import KitParts

    return KitParts.of(craft)


def _lost_links() -> Row:
    """Random receivers, behaviours, graces: when the board reacts, against when it was predicted to."""
    wrong, runs = [], 0
    receivers = shipped().all_of(Receiver)
    for seed in seeds(LOSSES):
        rng = random.Random(seed)
        craft = planned_craft(rng.choice(receivers))
        if craft is None:
            continue
        part = shipped().of(Receiver, craft.kit.receiver)
        craft = apply_edits(
            craft,
            [Edit(path="/receiver/on_loss", value=rng.choice(part.on_loss)), Edit(path="/settings/lost_link/grace_ms", value=20 * rng.randint(10, 60))],
        )
        bench = Bench(craft, seed=seed)
        bench.run_until(2.0)
        predicted = predict(bench.whole.craft, bench.parts).reacts_s
        if bench.board.link != "good":
            continue
        runs += 1
        bench.hands(Hands(transmitter_on=False))
        bench.run_until(8.0)
        seen = bench.loss.reaction_s if bench.loss else None
        if (seen is None) != (predicted is None) or (seen is not None and predicted is not None and abs(seen - predicted) > TOLERANCE_S):
            wrong.append(f"seed {seed}: {craft.kit.receiver} {craft.receiver.on_loss}: {seen} s, predicted {predicted} s")
    return (
        f"{runs} lost links of random receivers, against what was predicted",
        f"{runs - len(wrong)} of {runs} {wrong[:2] or ''}",
        "all",
        not wrong and runs > LOSSES // 2,
    )
