"""The demo scenario: the crafts of the Saltings Field Crew, as their documents."""

from __future__ import annotations

from linkcore.craft.document import Band, CraftDocument, Fitted, Kit, LostLink, ModeBand, Patch, Place, ReceiverInput, ServoRole, TelemetrySetup, Wants
from linkcore.craft.parts import KitParts
from linkcore.craft.starting import new_craft
from linkcore.wiring.netlist import wires_for

SAMPLE_NAME = "Sample quad"


def curlew() -> CraftDocument:
    """A quad over SBUS, nearly done."""
    craft = _craft("Curlew", "quad X", "5-inch quad for counting nests", board="merle-f7", receiver="pip-s8", transmitter="harrow-16")
    craft.kit.devices = _fitted(
        GPS="tern-8", ESC="tiller-4", beeper="whimbrel", camera="stilt-c", **{"video transmitter": "lapwing-a", "link adapter": "tide-link"}
    )
    craft.wants = Wants(channels=6, telemetry=True, region="LBT", sensors=["gyro", "accelerometer", "barometer", "GPS"])
    craft.wiring = (
        _wires("receiver", SBUS="R2", **{"S.Port": "T4"}) + _wires("GPS", TX="R1", RX="T1") + _wires("ESC", TLM="R5") + _wires("link adapter", TX="R6", RX="T6")
    )
    settings = craft.settings
    settings.ports |= {"U2": "receiver input", "U1": "GPS", "U4": "telemetry", "U5": "ESC telemetry", "U6": "bench link"}
    settings.receiver_input = ReceiverInput(protocol="SBUS", inverted=True)
    settings.telemetry = TelemetrySetup(protocol="S.Port", inverted=True, half_duplex=True)
    settings.arming = Band(channel=5, low=1750, high=2150)
    settings.modes = [ModeBand(mode="angle", channel=6, low=850, high=1250), ModeBand(mode="horizon", channel=6, low=1250, high=1750)]
    settings.lost_link = LostLink(grace_ms=200)
    craft.kit.pack = "tussock-4-1500"
    settings.power.capacity_mah = 1500
    craft.place = Place(mass_kg=0.65, thrust_ratio=6, speed_mps=6, height_m=20, wind_mps=4, home_m=120, people_m=60, water=False)
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
    settings.telemetry = TelemetrySetup(protocol="MAVLink")
    settings.port_baud = {"U1": 38_400}  # left over from the GPS before
    settings.arming = Band(channel=5, low=1750, high=2150)
    settings.modes = [ModeBand(mode="angle", channel=6, low=1250, high=1750)]
    settings.lost_link = LostLink(grace_ms=180, response="land")
    craft.kit.pack = "tussock-6-4000"
    settings.power.capacity_mah = 4000
    craft.place = Place(mass_kg=1.9, thrust_ratio=4, speed_mps=14, height_m=60, wind_mps=3, home_m=1500, water=True)
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
    craft.settings.lost_link = LostLink(grace_ms=200, response="return home", return_height_m=40, return_mps=13, at_home="circle")
    craft.kit.pack = "reedbed-3-3500"
    craft.place = Place(mass_kg=1.9, thrust_ratio=0.7, speed_mps=14, height_m=38, wind_mps=6, obstacle_height_m=31, home_m=310)
    craft.transmitter.channels[1].reverse = True  # somebody mended the elevator's servo, which sits turned, in the transmitter
    roles: dict[str, ServoRole] = {"left aileron": "left aileron", "right aileron": "right aileron", "elevator": "elevator"}
    for device in craft.kit.devices:
        device.role = roles.get(device.name)
    return _completed(craft)


def dunlin() -> CraftDocument:
    """A trainer of which nothing is chosen yet but a pack, and that is not the one that lies there."""
    craft = _craft("Dunlin", "quad X", "Small trainer; on the bench lie a Dabble F3, a Twin Leaf and a Hedge 8")
    craft.kit.pack = "reedbed-3-3500"
    return craft


def coot() -> CraftDocument:
    """A boat with one lead a channel, to be moved over to PPM."""
    craft = _craft("Coot", "boat", "Creek-sounding boat, two drives, the oldest", board="dabble-f3", receiver="six-pack", transmitter="field-9")
    craft.kit.devices = _fitted(**{"left drive": "scull-25", "right drive": "scull-25"})
    craft.wants = Wants(channels=4, telemetry=False, region="LBT", sensors=[])
    craft.wiring = _wires("receiver", CH1="IN1", CH2="IN2", CH3="IN3", CH4="IN4")
    craft.settings.receiver_input = ReceiverInput(protocol="PWM", inverted=False)
    craft.settings.lost_link = LostLink(grace_ms=200)
    craft.settings.reversing_drives = True
    craft.kit.pack = "reedbed-3-3500"
    craft.place = Place(mass_kg=3.2, thrust_ratio=0.3, speed_mps=1.5, height_m=0, wind_mps=1, obstacle_m=40, home_m=200, water=True)
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
    craft.feed = "pack"
    return CraftDocument.model_validate(craft.model_dump())
