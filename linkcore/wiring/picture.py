"""The picture that the pilot sees: where it comes from, how its text gets on it, and what stops it, by parts, wires and settings."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.sensors import USUAL_BAUD
from linkcore.findings import Edit, Mend, work_it_out
from linkcore.parts.models import Peripheral, Screen
from linkcore.wiring.netlist import rail_of, rail_volts

StopCode = Literal["camera", "sender", "board", "wire", "supply", "job", "baud"]


@dataclass(frozen=True)
class PictureStop:
    """What keeps picture or text from the pilot. `says` is the rest of a sentence."""

    code: StopCode
    says: str
    mends: tuple[Mend, ...] = ()


@dataclass(frozen=True)
class PictureWay:
    """How text gets on the picture: over a camera's by the board itself, or as text frames to a digital video link.

    `devices`: what has a part in it, from the camera on; `screen`: its size as set, None without a camera; `screens`: all that it could be set to; `stops`: what is in the way, first what comes first.
    """

    kind: Literal["analog", "digital"]
    devices: tuple[str, ...]
    screen: Screen | None
    screens: tuple[Screen, ...]
    stops: tuple[PictureStop, ...]


def video_devices(parts: KitParts) -> dict[str, Peripheral]:
    """Cameras, video transmitters and video links of a craft."""
    return {name: part for name, part in parts.devices.items() if part.films or part.airs or part.screens}


def screen_of(craft: CraftDocument, parts: KitParts, device: str) -> Screen | None:
    """The size of the picture that a camera or a video link is set to."""
    part = parts.devices.get(device)
    if part is None or not part.screens:
        return None
    wanted = next((each.format for each in craft.kit.devices if each.name == device), None)
    return next((each for each in part.screens if each.format == wanted), part.screens[0])


def picture_way(craft: CraftDocument, parts: KitParts) -> PictureWay | None:
    """The way of the picture; None where nothing of one is fitted, or no board is chosen."""
    video = video_devices(parts)
    if not video or parts.maybe_board is None:
        return None
    link = next((name for name, part in video.items() if part.job == "video link"), None)
    return _digital(craft, parts, link) if link is not None else _analog(craft, parts, video)


def _analog(craft: CraftDocument, parts: KitParts, video: dict[str, Peripheral]) -> PictureWay:
    board = parts.board
    camera = next((name for name, part in video.items() if part.films), None)
    sender = next((name for name, part in video.items() if part.airs), None)
    stops = []
    if camera is None:
        stops.append(PictureStop("camera", "no camera is fitted", (Mend(text="Fit a camera", go="kit"),)))
    if not board.text_screen:
        mend = Mend(text="Choose a board that does, or a video link that takes text frames", go="kit")
        stops.append(PictureStop("board", f"the {board.name} writes no text on a camera's picture", (mend,)))
    if sender is None:
        stops.append(PictureStop("sender", "no video transmitter is fitted", (Mend(text="Fit a video transmitter", go="kit"),)))
    ends: tuple[tuple[str | None, Literal["camera", "video"]], ...] = ((camera, "camera"), (sender, "video"))
    for device, pad in ends:
        if device is not None and board.text_screen:
            stops += _picture_wire(craft, parts, device, pad)
        if device is not None:
            stops += _supplied(craft, parts, device)
    screens = parts.devices[camera].screens if camera else ()
    return PictureWay("analog", tuple(each for each in (camera, sender) if each), screen_of(craft, parts, camera) if camera else None, screens, tuple(stops))


def _digital(craft: CraftDocument, parts: KitParts, link: str) -> PictureWay:
    part, board, settings = parts.devices[link], parts.board, craft.settings
    stops = _supplied(craft, parts, link)
    listens = part.serial.listens if part.serial else None
    patch = next((each for each in craft.wiring if (each.device, each.pin) == (link, listens)), None)
    pad = board.pad(patch.pad) if patch else None
    if pad is None or pad.kind != "tx" or pad.port is None:
        where = f"is on {pad.name}, which does not send" if pad is not None else "goes nowhere"
        stops.append(PictureStop("wire", f"{link}'s {listens} wire {where}", (work_it_out("Work out where it goes"),)))
    elif settings.ports.get(pad.port) != "video link":
        mend = Mend(text=f"Give {pad.port} the job video link", edits=(Edit(path=f"/settings/ports/{pad.port}", value="video link"),))
        free = settings.ports.get(pad.port, "free") == "free" and pad.port in settings.ports
        stops.append(PictureStop("job", f"{pad.port} does not have the job video link", (mend,) if free else (work_it_out("Work out where it goes"),)))
    elif part.serial is not None and (baud := settings.port_baud.get(pad.port, USUAL_BAUD["video link"])) != part.serial.baud:
        rest = {port: told for port, told in settings.port_baud.items() if port != pad.port}
        value = rest if part.serial.baud == USUAL_BAUD["video link"] else {**rest, pad.port: part.serial.baud}
        mend = Mend(text=f"Set {pad.port} to {part.serial.baud} baud", edits=(Edit(path="/settings/port_baud", value=value),))
        stops.append(PictureStop("baud", f"{pad.port} speaks at {baud} baud; {link} listens at {part.serial.baud}", (mend,)))
    if patch is not None and patch.inverter:
        stops.append(PictureStop("wire", f"an inverter sits in {link}'s {listens} wire", (work_it_out("Work out where it goes"),)))
    return PictureWay("digital", (link,), screen_of(craft, parts, link), part.screens, tuple(stops))


def _picture_wire(craft: CraftDocument, parts: KitParts, device: str, kind: Literal["camera", "video"]) -> list[PictureStop]:
    pin = next(pin.name for pin in parts.devices[device].pins if pin.goes_to == kind)
    index = next((number for number, each in enumerate(craft.wiring) if (each.device, each.pin) == (device, pin)), None)
    pads = [pad.name for pad in parts.board.pads if pad.kind == kind]
    pad = parts.board.pad(craft.wiring[index].pad) if index is not None else None
    if pad is not None and pad.kind == kind:
        return []
    if index is None or pad is None:
        return [PictureStop("wire", f"{device}'s {pin} pin goes nowhere", (work_it_out("Work it out: missing wires are completed"),))]
    mend = Mend(text=f"Resolder it to {pads[0]}", edits=(Edit(path=f"/wiring/{index}/pad", value=pads[0]),))
    taken = any(each.pad == pads[0] for each in craft.wiring)
    return [PictureStop("wire", f"{device}'s {pin} wire is on {pad.name}, where no picture goes", () if taken else (mend,))]


def _supplied(craft: CraftDocument, parts: KitParts, device: str) -> list[PictureStop]:
    """Supply and ground as wires; what they carry is the Loom's."""
    ground = supply = False
    for patch in craft.wiring:
        pin, pad = parts.pin(patch.device, patch.pin), parts.board.pad(patch.pad)
        if patch.device == device and pin is not None and pad is not None:
            ground = ground or (pin.kind, pad.kind) == ("ground", "ground")
            rail, asks = rail_of(parts.board, patch), parts.supply(device)
            supply = supply or (pin.kind == "supply" and rail is not None and asks is not None and asks.bears(rail_volts(craft, parts, rail)))
    if ground and supply:
        return []
    lacks = "supply" if ground else "ground" if supply else "supply and ground"
    return [PictureStop("supply", f"{device} has no {lacks}", (Mend(text="Look at its wires", go="loom"),))]
