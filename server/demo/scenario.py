"""The demo scenario: the Saltings Field Crew and its crafts.

Curlew's proofs are earned, not written down: its bench is run, its sticks are moved and its switches flipped.
"""

from __future__ import annotations

from typing import Any

from django.contrib.auth import get_user_model
from django.db import transaction

from linkcore.craft.document import Band, CraftDocument, Kit, LostLink, ModeBand, Patch, ReceiverInput
from linkcore.craft.starting import new_craft
from linkcore.standins.bench import Bench
from linkcore.standins.messages import Hands, Stick
from server.bench.models import BenchRecord
from server.crafts.models import Craft
from server.crafts.services import create_craft
from server.proofs.models import ProofRecord
from server.workshops.models import Membership, Workshop

PASSWORD = "low-tide-42"
CREW, OTHERS = "Saltings Field Crew", "Upper Weir Survey"
PEOPLE = (("wren", CREW, "builder"), ("teal", CREW, "builder"), ("heron", CREW, "checker"), ("dipper", OTHERS, "builder"))


class NameTaken(Exception):
    """Somebody's own workshop or user has a name of the demo's."""


def curlew() -> CraftDocument:
    """A quad over SBUS, nearly done."""
    craft = new_craft("Curlew", "quad X", Kit(board="merle-f7", receiver="pip-s8", transmitter="harrow-16"))
    craft.about = "5-inch quad for counting nests"
    craft.wiring = _wires(SBUS="R2", **{"5V": "5V", "GND": "G", "S.Port": "T4"})
    settings = craft.settings
    settings.ports |= {"U2": "receiver input", "U1": "GPS", "U4": "telemetry", "U6": "bench link"}
    settings.receiver_input = ReceiverInput(protocol="SBUS", inverted=True)
    settings.arming = Band(channel=5, low=1750, high=2150)
    settings.modes = [ModeBand(mode="angle", channel=6, low=850, high=1250), ModeBand(mode="horizon", channel=6, low=1255, high=1750)]
    settings.lost_link = LostLink(grace_ms=400)
    return craft


def avocet() -> CraftDocument:
    """A long-range quad over CRSF; its receiver is soldered to another port than the one that has the job."""
    craft = new_craft("Avocet", "quad X", Kit(board="ouzel-h7", receiver="wisp-900", transmitter="harrow-16"))
    craft.about = "7-inch long-range quad for mapping creeks"
    craft.wiring = _wires(TX="R6", RX="T6", **{"5V": "5V", "GND": "G"})
    settings = craft.settings
    settings.ports |= {"U1": "GPS", "U2": "flow sensor", "U3": "video link", "U4": "receiver input", "U5": "ESC telemetry", "U8": "bench link"}
    settings.receiver_input = ReceiverInput(protocol="CRSF", inverted=False)
    settings.arming = Band(channel=5, low=1750, high=2150)
    settings.modes = [ModeBand(mode="angle", channel=6, low=1250, high=1750)]
    settings.lost_link = LostLink(grace_ms=600, response="land")
    return craft


def _wires(**pads: str) -> list[Patch]:
    return [Patch(device="receiver", pin=pin, pad=pad) for pin, pad in pads.items()]


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
    for document in (curlew(), avocet()):
        if not Craft.objects.filter(workshop__name=CREW, name=document.name).exists():
            _make_craft(document, users.objects.get(username="wren"))
            made.append(document.name)
    return made


def _make_craft(document: CraftDocument, author: Any) -> None:
    craft = create_craft(Workshop.objects.get(name=CREW), document, author, demo=True)
    bench = Bench(document)
    if document.name == "Curlew":
        walk_proofs(bench)
    BenchRecord.objects.create(craft=craft, state=bench.state().keep())
    for proof in bench.new_proofs:
        ProofRecord.objects.create(craft=craft, hop=proof.hop, rests_on=proof.rests_on, seen=proof.seen)


def walk_proofs(bench: Bench) -> None:
    """Everything but the lost link, as a pilot would do it: sticks to all ends, every switch combination, switches back."""

    def do(seconds: float, **hands: Any) -> None:
        bench.hands(Hands.model_validate(hands))
        bench.run_until(bench.t + seconds)

    rest = {"left": Stick(x=0, y=-1), "right": Stick(x=0, y=0)}
    do(2.0, **rest)
    for x, y in ((-1, -1), (1, 1), (-1, 1), (1, -1)):
        do(0.3, left={"x": x, "y": y}, right={"x": x, "y": y})
    do(1.0, **rest)
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
