"""What is said to be so, held against what is: mends against what they do, the draft against the board, predictions against the bench."""

from __future__ import annotations

import random
from typing import Any

import numpy as np

import scenario
from benchmarks.line import Row
from benchmarks.seeds import seeds
from linkcore.bench.bench import Bench
from linkcore.bench.messages import Hands
from linkcore.bench.report import Reporter
from linkcore.chain import measured_findings, settled_findings
from linkcore.craft.document import Band, CraftDocument, ModeBand, apply_edits
from linkcore.craft.facing import angle_deg
from linkcore.craft.layouts import layout_of
from linkcore.craft.parts import KitParts
from linkcore.devices.board_api import Refused
from linkcore.devices.memory import as_kept
from linkcore.devices.modes import lacking, switch_channels
from linkcore.findings import Edit, Finding
from linkcore.hops.airframe.cells import cell_counts
from linkcore.hops.airframe.facing import FacingError, Pose, find_facing
from linkcore.hops.airframe.order import SeenMotor, motor_mends
from linkcore.hops.airframe.six_positions import DIRECTIONS, calibrate
from linkcore.hops.switchboard.detents import Detent, SwitchMeasure, by_position
from linkcore.hops.switchboard.truth import truth_table
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import CELL_VOLTS, Receiver
from linkcore.protocols.registry import RECEIVER_PROTOCOLS, receiver_protocol
from linkcore.reads import Whole
from tests.boards import contradiction_of, poses_of, turned_about
from tests.core.test_protocols import fed
from tests.downlinks import wrong as missed
from tests.kits import planned_craft
from tests.losses import lost
from tests.mends import miswired, wrong_mends
from tests.motors import any_ways, cheapest, proven_by_answers
from tests.signals import SERIAL, timed
from tests.thumbs import advice_repeats, better_dials

KITS = 300
SPLITS = 60
WRITTEN = 60
WOULD_READ = 40
TABLES = 20
DIALS = 2000
SETTINGS = 300
LOSSES = 500
FAULTS = 300
MOUNTINGS, CONTRADICTIONS = 1000, 200
CALIBRATIONS = 500
WRONG_ANSWERS = 0.05
ROLES = {f"M{number}": place.role for number, place in enumerate(layout_of("quad X"), 1)}


def truth() -> list[Row]:
    """Everything that anybody can repeat."""
    return [
        _mends(),
        _splits(),
        _board_not_draft(),
        _written(),
        _would_read(),
        _lost_links(),
        _missing(),
        _truth_tables(),
        _dials(),
        *_facings(),
        _six_positions(),
        *_cells(),
        *_motors(),
    ]


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
        whole = Whole(other, craft.settings, KitParts.of(craft))
        same = Whole(craft, craft.settings, whole.parts)
        if settled_findings(whole) != settled_findings(same):
            wrong.append(seed)
    return (
        f"{SETTINGS} drafts of any settings change nothing of what is said of the board",
        f"{SETTINGS - len(wrong)} of {SETTINGS} {wrong[:3] or ''}",
        "all",
        not wrong,
    )


def _missing() -> Row:
    """Single faults of the way home: which sensors do not come on the bench, and the cause that is found."""
    wrong = [fault for seed in seeds(FAULTS) for fault in missed(seed)[:1]]
    return f"the cause of a missing sensor in {FAULTS} single faults", f"{FAULTS - len(wrong)} of {FAULTS} {wrong[:2] or ''}", "all", not wrong


def _splits() -> Row:
    """Every protocol's bytes, cut anywhere, with and without times: the frames are those of the whole."""
    tried, wrong = 0, []
    for seed in seeds(SPLITS):
        rng = random.Random(seed)
        for name in SERIAL:
            _, sent, times = timed(name, seed, rng.randint(1, 9))
            cuts = sorted(rng.sample(range(len(sent) + 1), min(len(sent), rng.randint(1, 12))))
            for given in (times, None):
                whole = fed(name, sent, given)
                for pieces in (cuts, range(1, len(sent))):
                    tried += 1
                    if fed(name, sent, given, pieces) != whole:
                        wrong.append(f"{name}, seed {seed}, {'timed' if given else 'untimed'}")
    return f"any split of {len(SERIAL)} protocols gives the same frames", f"{tried - len(wrong)} of {tried} {wrong[:2] or ''}", "all", not wrong


def _written() -> Row:
    """What is said of a draft is what is said of the board once it was written and the board started, roundings aside."""
    wrong, runs = [], 0
    receivers = shipped().all_of(Receiver)
    for seed in seeds(WRITTEN):
        rng = random.Random(seed)
        craft = planned_craft(rng.choice(receivers))
        if craft is None:
            continue
        bench = Bench(craft, seed=seed)
        bench.run_until(0.5)
        settings = _unsettled(craft, rng).settings
        kept = as_kept(settings, bench.board_part, bench.board.form)
        draft = craft.model_copy(update={"settings": kept})
        bench.take_document(draft)
        try:
            bench.write(kept)
        except Refused:
            continue
        bench.restart()
        bench.run_until(3.0)
        runs += 1
        said = [_named(each) for each in settled_findings(bench.draft) + measured_findings(bench.draft, None)]
        if said != [_named(each) for each in settled_findings(bench.whole) + measured_findings(bench.whole, None)]:
            wrong.append(f"seed {seed}")
    return (
        f"{runs} drafts: what is said of them holds of the board once written",
        f"{runs - len(wrong)} of {runs} {wrong[:2] or ''}",
        "all",
        not wrong and runs > WRITTEN // 2,
    )


def _named(finding: Finding) -> tuple[str, str, str]:
    return finding.code, finding.where, finding.what


def _unsettled(craft: CraftDocument, rng: random.Random) -> CraftDocument:
    """The craft with some of its settings otherwise."""
    changes: list[tuple[str, Any]] = [
        ("/settings/receiver_input/inverted", rng.random() < 0.5),
        ("/settings/channel_map", rng.choice(["AETR", "TAER"])),
        ("/settings/stick_lines/low", rng.choice([1020, 1080])),
        ("/settings/lost_link/grace_ms", 20 * rng.randint(10, 90)),
        ("/settings/arming", {"channel": rng.randint(3, 9), "low": 1750, "high": 2150}),
        (
            "/settings/modes",
            [
                {"mode": "angle", "channel": rng.randint(5, 8), "low": 850 + 5 * rng.randint(0, 80), "high": 1300},
                {"mode": "horizon", "channel": 6, "low": 1250, "high": 1750},
            ],
        ),
        ("/settings/bind_count", rng.choice([0, 0, 5, 9])),
    ]
    return apply_edits(craft, [Edit(path=path, value=value) for path, value in rng.sample(changes, 3)])


def _would_read() -> Row:
    """A port that is set wrongly, and what the Line hop says would read the wire: set so, it does."""
    wrong, runs = [], 0
    receivers = shipped().all_of(Receiver)
    for seed in seeds(WOULD_READ):
        rng = random.Random(seed)
        craft = planned_craft(rng.choice(receivers))
        if craft is None or receiver_protocol(craft.settings.receiver_input.protocol or "SBUS").wire != "serial":
            continue
        reads = craft.settings.receiver_input
        changed = (
            {"inverted": not reads.inverted}
            if rng.random() < 0.5
            else {"protocol": rng.choice([each for each in RECEIVER_PROTOCOLS if each != reads.protocol])}
        )
        bench = Bench(craft.model_copy(update={"settings": craft.settings.model_copy(update={"receiver_input": reads.model_copy(update=changed)})}), seed=seed)
        bench.run_until(2.6)
        told = Reporter(bench).report(1, ("line",)).told.line
        ways = [way for way in told.would_read if way.possible] if told else []
        if bench.observed.port_reading().reads or not ways:
            continue
        runs += 1
        bench.take_document(bench.document.model_copy(update={"settings": bench.document.settings.model_copy(update={"receiver_input": ways[0].settings})}))
        bench.write(bench.document.settings)
        bench.restart()
        bench.run_until(bench.t + 4.0)
        if not bench.observed.port_reading().reads:
            wrong.append(f"seed {seed}: {craft.kit.receiver}")
    return f"{runs} wrongly set ports: set as Line says, they read", f"{runs - len(wrong)} of {runs} {wrong[:2] or ''}", "all", not wrong and runs > 5


def _truth_tables() -> Row:
    """Random bands on three switches: what every row promises, against what the board does with the switches there."""
    wrong, rows = [], 0
    for seed in seeds(TABLES):
        rng = random.Random(seed)
        craft = scenario.curlew()
        bands = [(850, 1250), (1250, 1750), (1750, 2150)]
        modes = rng.sample(["angle", "horizon", "altitude hold", "position hold", "return home", "beeper", "guard"], 3)
        craft.settings.modes = [
            ModeBand(mode=mode, channel=rng.choice((5, 6, 7)), low=low, high=high) for mode, (low, high) in zip(modes, rng.choices(bands, k=3), strict=True)
        ]  # type: ignore[arg-type]
        low, high = rng.choice(bands)
        craft.settings.arming = Band(channel=5, low=low, high=high)
        craft = CraftDocument.model_validate(craft.model_dump())
        bench = Bench(craft, seed=seed)
        bench.run_until(2.0)
        channels = switch_channels(craft, craft.settings)
        detents = {channel: by_position(craft, bench.parts.transmitter, channel) for channel in channels}
        measured = SwitchMeasure(detents={channel: [Detent(low=us - 1, high=us + 1) for us in sorted(values)] for channel, values in detents.items()})
        table = truth_table(craft, craft.settings, bench.parts.transmitter, measured, lacking(craft, bench.parts))
        for row in table.rows:
            places = dict(zip(channels, row.places, strict=True))
            hands = {}
            for channel, values in detents.items():
                names = {2: ("low", "high"), 3: ("low", "mid", "high")}[len(values)]
                hands[str(craft.transmitter.source(channel))] = values.index(sorted(values)[names.index(places[channel])])
            bench.hands(Hands(switches=hands, gps_fix=True))
            bench.run_until(bench.t + 0.4)
            rows += 1
            if bench.board.held.text != row.mode:
                wrong.append(f"seed {seed}: {row.mode} promised, {bench.board.held.text} seen")
    return f"{rows} rows of {TABLES} random truth tables, against what the board does", f"{rows - len(wrong)} of {rows} {wrong[:2] or ''}", "all", not wrong


def _dials() -> Row:
    """Advice on travel: never the same again once it was followed, and nothing near it that would do better."""
    again = [seed for seed in seeds(DIALS) if advice_repeats(seed)]
    beaten = [seed for seed in seeds(DIALS // 10) if better_dials(seed) is not None]
    tried = DIALS + DIALS // 10
    return (
        f"{tried} times what to dial: not twice, and none nearby is better",
        f"{tried - len(again) - len(beaten)} of {tried} {[*again[:2], *beaten[:2]] or ''}",
        "all",
        not again and not beaten,
    )


def _lost_links() -> Row:
    """Random receivers, behaviours on loss, graces, responses and ways to arm: reaction within 20 ms, motors within 40 ms, and every deceived board foretold."""
    runs = [(seed, run) for seed in seeds(LOSSES) if (run := lost(seed)) is not None and run.armed]
    wrong = [f"seed {seed}: {run}: {'; '.join(run.faults)}" for seed, run in runs if run.faults]
    return (
        f"{len(runs)} lost links of random kits, {sum(run.hidden for _, run in runs)} of them hidden from the board, against what was predicted",
        f"{len(runs) - len(wrong)} of {len(runs)} {wrong[:2] or ''}",
        "all",
        not wrong,
    )


def _facings() -> list[Row]:
    """How a board sits, by hands that err by up to 3 degrees; and poses that are none."""
    wrong, off = [], []
    for seed in seeds(MOUNTINGS):
        meant, board, poses = poses_of(seed)
        found = find_facing(poses)
        off.append(angle_deg(found.facing.matrix, board))
        if angle_deg(found.mounting.matrix, meant) > 0.01:
            wrong.append(seed)
    kept = [seed for seed in seeds(CONTRADICTIONS) if not _refused(contradiction_of(seed))]
    within = sum(each <= 3 for each in off)
    return [
        (f"of {MOUNTINGS} mountings the one that was meant is found", f"{MOUNTINGS - len(wrong)} {wrong[:3] or ''}", "all", not wrong),
        (
            "the whole of it is within 3 degrees",
            f"{within} of {MOUNTINGS}, the worst {max(off):.1f}",
            "95 % within 3, all within 4",
            within >= 0.95 * MOUNTINGS and max(off) <= 4,
        ),
        (f"of {CONTRADICTIONS} sets of poses that contradict each other", f"{CONTRADICTIONS - len(kept)} refused {kept[:3] or ''}", "all", not kept),
    ]


def _six_positions() -> Row:
    """Offset and scale of accelerometers that are off by up to 0.1 g and 8 %, from means of 25 readings with noise, set down by up to 3 degrees off upright: how far readings along an axis are off then."""
    worst, wrong = 0.0, []
    for seed in seeds(CALIBRATIONS):
        rng = np.random.default_rng(seed)
        offset, scale = rng.uniform(-0.1, 0.1, 3), rng.uniform(0.92, 1.08, 3)
        held = {}
        for index, direction in enumerate(DIRECTIONS):
            true = np.zeros(3)
            true[index // 2] = 1 - 2 * (index % 2)
            true = turned_about(rng.normal(size=3), rng.uniform(0, 3)) @ true
            held[direction] = (true / scale + offset + rng.normal(0, 0.004, (25, 3))).mean(axis=0)
        found = calibrate(held)
        left = max(abs(np.array(found.offset_g) - offset).max(), abs(np.array(found.scale) - scale).max())
        worst = max(worst, float(left))
        if left > 0.005:
            wrong.append(seed)
    return (
        f"of {CALIBRATIONS} accelerometers offset and scale are within 5 mg a g",
        f"{CALIBRATIONS - len(wrong)}, the worst {1000 * worst:.1f} mg {wrong[:3] or ''}",
        "all",
        not wrong,
    )


def _cells() -> list[Row]:
    """Every voltage at rest of 1 to 8 cells, each 10 mV."""
    tried, asked, wrong = 0, 0, []
    for chemistry, (full, _, empty) in CELL_VOLTS.items():
        for cells in range(1, 9):
            for step in range(round(100 * cells * empty), round(100 * cells * full) + 1):
                counts = cell_counts(step / 100, chemistry)
                tried, asked = tried + 1, asked + (len(counts) > 1)
                if cells not in counts:
                    wrong.append(f"{step / 100:g} V of {cells} {chemistry}")
    return [
        (f"of {tried} voltages of 1 to 8 cells the count is right, or asked", f"{tried - len(wrong)} {wrong[:3] or ''}", "all", not wrong),
        ("of them the pilot has to count", f"{asked / tried:.0%}", "told", True),
    ]


def _motors() -> list[Row]:
    """Every way in which a quad's motors can be wired, with a pilot who errs in one answer of twenty, and mends what he is told to."""
    ways, wrong, open_, turned = list(any_ways(layout_of("quad X"))), [], [], 0
    costly = sum(
        motor_mends(
            layout_of("quad X"), "in", ROLES, [SeenMotor(output=output, corner=each.corner, turns=each.turns) for output, each in way.motors.items()]
        ).cost
        != cheapest(layout_of("quad X"), "in", way)[0]
        for way in ways
    )
    for seed, way in zip(seeds(len(ways)), ways, strict=True):
        proven, right, times = proven_by_answers(way, seed, WRONG_ANSWERS)
        turned += times
        if not proven:
            open_.append(seed)
        elif not right:
            wrong.append(seed)
    return [
        (f"of {len(ways)} ways to wire a quad the mends cost as little as trying everything", f"{len(ways) - costly}", "all", not costly),
        (
            f"of {len(ways)} with {WRONG_ANSWERS:.0%} wrong answers nothing wrong is proven",
            f"{len(wrong)} wrong, {len(open_)} open {wrong[:3] or ''}",
            "0 and 0",
            not wrong and not open_,
        ),
        ("motors are turned for that, on the average of a craft", f"{turned / len(ways):.1f} times", "told", True),
    ]


def _refused(poses: list[Pose]) -> bool:
    try:
        find_facing(poses)
    except FacingError:
        return True
    return False
