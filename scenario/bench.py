"""What has happened on the benches of the scenario: proofs that were earned, and a receiver that was left behind."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from linkcore.bench.bench import Bench
from linkcore.bench.messages import BenchState, Hands
from linkcore.craft.document import CraftDocument
from linkcore.craft.facing import Facing
from linkcore.craft.parts import KitParts
from linkcore.devices.firmware import devices_of, running
from linkcore.parts.catalogue import shipped
from linkcore.proofs import Proof
from linkcore.standins.bootloader import DeviceKept
from linkcore.standins.drives import DrivesTruth
from linkcore.standins.hands import Stick
from linkcore.standins.held import BodyTruth
from scenario import SAMPLE_NAME, curlew
from scenario.images import scenario_images

CURLEWS_BODY = 7  # a seed


@dataclass(frozen=True)
class Earned:
    """What a craft's bench has come to: its kept state, what was proven on it, and the wires that the signal itself rang out."""

    state: dict[str, Any]
    proofs: list[Proof]
    rings: list[str]


def run_in(document: CraftDocument, before: BenchState | None = None, *, proven: bool) -> Earned:
    """Set a craft's bench up and, where it shall be `proven`, walk its proofs. Raise CannotRun."""
    bench = Bench(document, before)
    if proven:
        walk_proofs(bench)
    return Earned(bench.state().keep(), bench.new_proofs, bench.new_rings)


def as_it_lies(document: CraftDocument) -> BenchState | None:
    """What is so on the bench of a craft, whatever is written down; None where nothing is known of it."""
    new = BenchState(stored=document.settings, running=document.settings, read_back=document.settings)
    if document.name == "Curlew":  # since a repair
        body = BodyTruth.usual(CURLEWS_BODY).model_copy(update={"sits": Facing(roll_deg=0.4, pitch_deg=-0.5, yaw_deg=90.6)})
        motors = DrivesTruth.usual(CURLEWS_BODY, document, KitParts.of(document)).motors
        wrong = DrivesTruth(motors=motors | {"M1": motors["M3"], "M3": motors["M1"]}).swapped("M2")
        return new.model_copy(update={"body": body, "drives": wrong})
    if document.name == "Sandpiper":  # its elevator's servo sits the other way round
        usual = DrivesTruth.usual(CURLEWS_BODY, document, KitParts.of(document))
        turned = usual.servos["elevator"].model_copy(update={"turned": True})
        return new.model_copy(update={"drives": usual.model_copy(update={"servos": usual.servos | {"elevator": turned}})})
    if document.name == "Dunlin":
        return new.model_copy(update={"bound": False, "pack_here": "tussock-2-1000"})
    return older_receiver(document) if document.name == "Avocet" else None


def sample() -> tuple[CraftDocument, Earned]:
    """A craft to look at: Curlew by another name, proven up to its lost link; its wires that only hands can ring out are not."""
    document = curlew().model_copy(update={"name": SAMPLE_NAME, "about": "A sample to look at and to try things on"})
    return document, run_in(document, proven=True)


def older_receiver(document: CraftDocument) -> BenchState:
    """Avocet's module went on to a newer family last week; its receiver did not."""
    receiver = devices_of(KitParts.of(document))["receiver"]
    facts = next(facts for _, facts, _ in scenario_images(shipped()) if facts.said() == "WISP 900 5.4.1 (Fret, 900 MHz, 868)")
    kept = DeviceKept(part=receiver.part.id, installed=running(receiver, facts))
    return BenchState(stored=document.settings, running=document.settings, read_back=document.settings, devices={"receiver": kept})


def walk_proofs(bench: Bench) -> None:
    """Everything but the lost link, as a pilot would do it: both ends off and on again, sticks to all ends, every switch combination, switches back."""

    def do(seconds: float, **hands: Any) -> None:
        bench.hands(Hands.model_validate(hands))
        bench.run_until(bench.t + seconds)

    rest = {"left": Stick(x=0, y=-1), "right": Stick(x=0, y=0)}
    do(1.0, **rest)
    do(0.5, pack=False)
    do(0.5, transmitter_on=False)
    do(0.5, transmitter_on=True)
    do(3.0, pack=True)
    for side, way in (("right", "x"), ("right", "y"), ("left", "x"), ("left", "y")):  # one stick at a time, held at both ends
        for place in (1, -1):
            do(0.6, **{side: rest[side].model_copy(update={way: place})})
        do(1.2, **rest)
    do(5.5)  # so that the noise at rest is known
    for arm in (0, 1):
        for mode in (0, 1, 2):
            do(0.6, switches={"S1": 0, "S2": mode})
            do(0.8, switches={"S1": arm})
    # the detents were learned on the first round; now every row can be told apart
    for arm in (0, 1):
        for mode in (0, 1, 2):
            do(0.6, switches={"S1": 0, "S2": mode})
            do(0.8, switches={"S1": arm})
    do(0.5, switches={"S1": 0, "S2": 0})
