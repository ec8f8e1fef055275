"""The demo scenario: the Saltings Field Crew and its crafts.

Curlew's proofs are earned, not written down: its bench is run, its sticks are moved and its switches flipped.
"""

from __future__ import annotations

from typing import Any

from django.contrib.auth import get_user_model
from django.db import transaction

from linkcore.craft.document import Band, CraftDocument, Fitted, Kit, LostLink, ModeBand, Patch, ReceiverInput, Wants
from linkcore.craft.parts import KitParts
from linkcore.craft.starting import new_craft
from linkcore.images.building import scenario_images
from linkcore.images.devices import devices_of, running
from linkcore.loom.netlist import wire_key, wires_for
from linkcore.parts.catalogue import shipped
from linkcore.standins.bench import Bench, CannotRun
from linkcore.standins.bootloader import DeviceKept
from linkcore.standins.messages import BenchState, Hands, Stick
from server.bench.models import BenchRecord
from server.crafts.models import Craft
from server.crafts.services import create_craft
from server.pieces import in_pieces
from server.proofs.models import ProofRecord, WireRing
from server.proofs.services import ring
from server.shelf.models import Image, ImagePiece
from server.workshops.models import Membership, Workshop

PASSWORD = "low-tide-42"
CREW, OTHERS = "Saltings Field Crew", "Upper Weir Survey"
PEOPLE = (("wren", CREW, "builder"), ("teal", CREW, "builder"), ("heron", CREW, "checker"), ("dipper", OTHERS, "builder"))


class NameTaken(Exception):
    """Somebody's own workshop or user has a name of the demo's."""


def curlew() -> CraftDocument:
    """A quad over SBUS, nearly done."""
    craft = _craft("Curlew", "quad X", "5-inch quad for counting nests", board="merle-f7", receiver="pip-s8", transmitter="harrow-16")
    craft.kit.devices = _fitted(GPS="tern-8", ESC="tiller-4", beeper="whimbrel", **{"link adapter": "tide-link"})
    craft.wants = Wants(channels=6, telemetry=True, region="LBT", sensors=["gyro", "accelerometer", "barometer", "GPS"])
    craft.wiring = (
        _wires("receiver", SBUS="R2", **{"S.Port": "T4"}) + _wires("GPS", TX="R1", RX="T1") + _wires("ESC", TLM="R5") + _wires("link adapter", TX="R6", RX="T6")
    )
    settings = craft.settings
    settings.ports |= {"U2": "receiver input", "U1": "GPS", "U4": "telemetry", "U5": "ESC telemetry", "U6": "bench link"}
    settings.receiver_input = ReceiverInput(protocol="SBUS", inverted=True)
    settings.arming = Band(channel=5, low=1750, high=2150)
    settings.modes = [ModeBand(mode="angle", channel=6, low=850, high=1250), ModeBand(mode="horizon", channel=6, low=1250, high=1750)]
    settings.lost_link = LostLink(grace_ms=400)
    return _completed(craft)


def avocet() -> CraftDocument:
    """A long-range quad over CRSF with a full port plan; its ESC telemetry is soldered to the receiver's pad."""
    craft = _craft(
        "Avocet", "quad X", "7-inch long-range quad for mapping creeks", board="ouzel-h7", receiver="wisp-900", transmitter="harrow-16", module="wisp-nest-900"
    )
    craft.kit.devices = _fitted(GPS="tern-8", flow="plumb-f", modem="reedline", ESC="tiller-4", **{"video link": "skein-v", "link adapter": "tide-link"})
    craft.wants = Wants(channels=8, telemetry=True, region="868", sensors=["gyro", "accelerometer", "barometer", "GPS", "magnetometer"])
    craft.wiring = [
        *_wires("receiver", TX="R4", RX="T4"),
        *_wires("GPS", TX="R1", RX="T1"),
        *_wires("flow", TX="R2", RX="T2"),
        *_wires("video link", TX="R3", RX="T3"),
        *_wires("modem", TX="R5", RX="T5"),
        *_wires("link adapter", TX="R6", RX="T6"),
        *_wires("ESC", TLM="R4"),
    ]
    settings = craft.settings
    settings.ports |= {"U1": "GPS", "U2": "flow sensor", "U3": "video link", "U4": "receiver input", "U5": "telemetry", "U6": "bench link"}
    settings.receiver_input = ReceiverInput(protocol="CRSF", inverted=False)
    settings.arming = Band(channel=5, low=1750, high=2150)
    settings.modes = [ModeBand(mode="angle", channel=6, low=1250, high=1750)]
    settings.lost_link = LostLink(grace_ms=600, response="land")
    return _completed(craft)


def sandpiper() -> CraftDocument:
    """A plane over F.Port on a pad that cannot invert: no stick movement reaches the board."""
    craft = _craft("Sandpiper", "plane", "1.6 m mapper, one wire to the receiver", board="merle-f4", receiver="reed-one", transmitter="harrow-16")
    craft.kit.devices = _fitted(GPS="tern-5", motor="oar-25", **{"left aileron": "strand-9", "right aileron": "strand-9", "elevator": "strand-9"})
    craft.wants = Wants(channels=6, telemetry=True, region="LBT", sensors=["gyro", "accelerometer", "barometer", "GPS"])
    craft.wiring = _wires("receiver", **{"F.Port": "T3"}) + _wires("GPS", TX="R1", RX="T1")
    craft.settings.ports |= {"U3": "receiver input", "U1": "GPS"}
    craft.settings.receiver_input = ReceiverInput(protocol="F.Port", inverted=True, half_duplex=True)
    craft.settings.arming = Band(channel=5, low=1750, high=2150)
    craft.settings.lost_link = LostLink(grace_ms=1000, response="land")
    craft.transmitter.channels[1].reverse = True  # somebody mended the elevator's servo, which sits turned, in the transmitter
    craft.servos_turned = {"elevator": True, "left aileron": False, "right aileron": False}
    return _completed(craft)


def dunlin() -> CraftDocument:
    """A trainer of which nothing is chosen yet."""
    return _craft("Dunlin", "quad X", "Small trainer; on the bench lie a Dabble F3, a Twin Leaf and a Hedge 8")


def coot() -> CraftDocument:
    """A boat with one lead a channel, to be moved over to PPM."""
    craft = _craft("Coot", "boat", "Creek-sounding boat, two drives, the oldest", board="dabble-f3", receiver="six-pack", transmitter="field-9")
    craft.kit.devices = _fitted(**{"left drive": "oar-25", "right drive": "oar-25"})
    craft.wants = Wants(channels=4, telemetry=False, region="LBT", sensors=[])
    craft.wiring = _wires("receiver", CH1="IN1", CH2="IN2", CH3="IN3", CH4="IN4")
    craft.settings.receiver_input = ReceiverInput(protocol="PWM", inverted=False)
    craft.settings.lost_link = LostLink(grace_ms=600)
    return _completed(craft)


CRAFTS = (curlew, avocet, sandpiper, dunlin, coot)


def _craft(name: str, airframe: str, about: str, **kit: str) -> CraftDocument:
    craft = new_craft(name, airframe, Kit.model_validate(kit))
    craft.about = about
    return craft


def _fitted(**devices: str) -> list[Fitted]:
    return [Fitted(name=name, part=part) for name, part in devices.items()]


def _wires(device: str, **pads: str) -> list[Patch]:
    return [Patch(device=device, pin=pin, pad=pad) for pin, pad in pads.items()]


def _completed(craft: CraftDocument) -> CraftDocument:
    """Supply, ground and outputs as the core would wire them."""
    craft.wiring = wires_for(craft, KitParts.of(craft), None)
    return CraftDocument.model_validate(craft.model_dump())


@transaction.atomic
def load() -> list[str]:
    """Make what is not there yet; return what was made. Raise NameTaken rather than touch anybody's own things."""
    made = []
    users = get_user_model()
    for name in (CREW, OTHERS):
        workshop = Workshop.objects.filter(name=name).first()
        if workshop is None:
            Workshop.objects.create(name=name, demo=True)
            made.append(name)
        elif not workshop.demo:
            raise NameTaken(f"a workshop of your own is called {name}; the demo needs that name, so it was not loaded")
    for username, crew, role in PEOPLE:
        user = users.objects.filter(username=username).first()
        if user is None:
            user = users.objects.create_user(username, password=PASSWORD)
            Membership.objects.create(user=user, workshop=Workshop.objects.get(name=crew), role=role)
            made.append(username)
        elif not Membership.objects.filter(user=user, workshop__demo=True).exists():
            raise NameTaken(f"a user of your own is called {username}; the demo needs that name, so it was not loaded")
    saltings = Workshop.objects.get(name=CREW)
    if not saltings.images.exists():
        fill_shelf(saltings, users.objects.get(username="wren"))
        made.append("the shelf")
    for document in (make() for make in CRAFTS):
        if not Craft.objects.filter(workshop__name=CREW, name=document.name).exists():
            _make_craft(document, users.objects.get(username="wren"))
            made.append(document.name)
    return made


def older_receiver(document: CraftDocument) -> BenchState:
    """Avocet's module went on to a newer family last week; its receiver did not."""
    receiver = devices_of(KitParts.of(document))["receiver"]
    facts = next(facts for _, facts, _ in scenario_images(shipped()) if facts.said() == "WISP 900 2.4.1 (Wisp 2, 900 MHz, 868)")
    kept = DeviceKept(part=receiver.part.id, installed=running(receiver, facts))
    return BenchState(stored=document.settings, running=document.settings, read_back=document.settings, devices={"receiver": kept})


def fill_shelf(workshop: Workshop, author: Any) -> None:
    """Images for every stand-in that can be flashed: several versions, regions and bands of each, wrong ones among them."""
    images, pieces = [], []
    for name, facts, content in scenario_images(shipped()):
        fields = {"sha256": content.sha256, "crc32": content.crc32, "size": len(content.data), "address": content.address, "start": content.start}
        told = facts.model_dump(mode="json", exclude_defaults=True)
        images.append(Image(workshop=workshop, name=name, facts=told, made_by=author, **fields))
        pieces += [ImagePiece(image=images[-1], number=number, data=piece) for number, piece in enumerate(in_pieces([content.data]))]
    Image.objects.bulk_create(images)
    ImagePiece.objects.bulk_create(pieces, batch_size=40)


def _make_craft(document: CraftDocument, author: Any) -> None:
    craft = create_craft(Workshop.objects.get(name=CREW), document, author, demo=True)
    try:
        bench = Bench(document, older_receiver(document) if document.name == "Avocet" else None)
    except CannotRun:
        return
    if document.name == "Curlew":
        walk_proofs(bench)
    BenchRecord.objects.create(craft=craft, state=bench.state().keep())
    for proof in bench.new_proofs:
        ProofRecord.objects.create(craft=craft, hop=proof.hop, rests_on=proof.rests_on, seen=proof.seen)
    if bench.new_rings:
        ring(craft.pk, bench.new_rings, WireRing.How.SIGNAL)
        by_hand = [wire_key(patch) for patch in document.wiring if wire_key(patch) not in bench.new_rings]
        ring(craft.pk, by_hand, WireRing.How.HAND, initials="wr", by=author)


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
