"""May this image go on this device, and what will the link be afterwards?"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel

from linkcore.craft.document import CraftDocument
from linkcore.devices.firmware import Device, Installed, Role, air
from linkcore.devices.hexfile import Content
from linkcore.devices.image_facts import number
from linkcore.devices.outlook import OnShelf, Outlook, WayOut, outlook, ways_to_talk
from linkcore.findings import At, Check, Finding, Mend
from linkcore.parts.models import Flash

CHECK = Check("load")
MayGo = Literal["yes", "yes, but", "no"]


class Judged(BaseModel):
    """An image beside a device: may it go on, what speaks against it, and what the link is afterwards (None for a board)."""

    image: str
    role: Role
    may: MayGo
    same: bool
    findings: list[Finding]
    link: Outlook | None


@dataclass(frozen=True)
class Misplaced:
    """Why a program does not lie where a flash has room for it."""

    code: str
    what: str
    why: str


def misplaced(address: int, size: int, flash: Flash) -> Misplaced | None:
    """What is wrong with where a program would lie; None where it fits."""
    end, last = address + size, flash.start + flash.room
    if size > flash.room:
        return Misplaced(
            "load.too-large", f"It has {size} bytes; a {flash.target} holds {flash.room}.", "What does not fit is cut off, and half an image does not run."
        )
    if flash.start <= address and end <= last:
        return None
    why = "It would overwrite the bootloader." if address < flash.start < end else "It would lie where there is no memory for firmware."
    return Misplaced("load.address", f"It goes from {address:08X} to {end:08X}; the flash of a {flash.target} is {flash.start:08X} to {last:08X}.", why)


def started_outside(address: int, size: int, start: int | None) -> Misplaced | None:
    """What is wrong with where a program begins; None where that is in its own bytes, or not said."""
    if start is None or address <= start < address + size:
        return None
    what = f"It starts at {start:08X}, outside its own bytes ({address:08X} to {address + size:08X})."
    return Misplaced("load.start", what, "The device would jump to where this image put nothing, and not start.")


def remarks(content: Content, target: str, flash: Flash | None) -> list[str]:
    """What is worth knowing of an image before it is on a shelf. `target` empty: not known; `flash`: the target's, where a part of that target is known."""
    said = []
    if content.gaps:
        first = ", ".join(f"{length} bytes from {address:08X}" for address, length in content.gaps[:3])
        more = f" and {len(content.gaps) - 3} more" if len(content.gaps) > 3 else ""
        said.append(f"Gaps, written as erased flash reads: {first}{more}.")
    if content.placed and (outside := started_outside(content.address, len(content.data), content.start)) is not None:
        said.append(f"{outside.what} {outside.why}")
    if flash is not None and content.placed and (wrong := misplaced(content.address, len(content.data), flash)) is not None:
        said.append(f"{wrong.what} {wrong.why}")
    if target and flash is None:
        said.append(f"No part of the catalogue is a {target}: nothing here can take it.")
    return said


def judge(image: OnShelf, device: Device, document: CraftDocument, devices: Mapping[Role, Device], installed: Mapping[Role, Installed]) -> Judged:
    """Everything that can be said before a byte is written."""
    now = installed[device.role]
    found = [*_fits(image, device, now), *_region(image, device, document)]
    fits = not any(finding.severity == "stop" for finding in found)
    link = None
    if device.radio is not None:
        after = dict(installed) | {device.role: Installed(facts=image.facts, bootloader=now.bootloader)}
        link = outlook(*air(devices, after))
        if fits:
            found += _link(image, device, link, outlook(*air(devices, installed)))
    same = bool(image.sha256) and image.sha256 == now.sha256
    if fits and now.facts is not None:
        found += _against_present(image, device, now, same=same)
    worst = {finding.severity for finding in found}
    may: MayGo = "no" if "stop" in worst else "yes, but" if "warn" in worst else "yes"
    return Judged(image=image.key, role=device.role, may=may, same=same, findings=found, link=link)


def _fits(image: OnShelf, device: Device, now: Installed) -> list[Finding]:
    facts, flash, name = image.facts, device.flash, device.name
    if flash is None:
        return [CHECK.stop("load.no-flash", At.device(device.role, name), f"The {name} cannot be flashed.", "Its firmware is what it was made with.")]
    found = []
    if facts.target != flash.target:
        why = f"The {name} is a {flash.target}: another target's firmware drives other pins, and may leave it dead."
        found.append(
            CHECK.stop(
                "load.wrong-target", At.device(device.role, name), f"This image is for {facts.target}.", why, Mend(text=f"Take an image for {flash.target}")
            )
        )
    if facts.band is not None and device.radio is not None and facts.band != device.radio.band:
        why = f"The {name}'s radio is made for {device.radio.band}; it would send beside its filters, and nobody would hear it."
        found.append(CHECK.stop("load.wrong-band", At.device(device.role, name), f"This image is for {facts.band}.", why))
    if number(now.bootloader) < number(facts.least_bootloader):
        what = f"It needs bootloader {facts.least_bootloader}; the {name} has {now.bootloader}."
        found.append(
            CHECK.stop(
                "load.bootloader",
                At.device(device.role, name),
                what,
                "An older bootloader starts it wrongly or not at all.",
                Mend(text="Take an older version"),
            )
        )
    for wrong in (misplaced(image.address, image.size, flash), started_outside(image.address, image.size, image.start)):
        if wrong is not None:
            found.append(CHECK.stop(wrong.code, At.device(device.role, name), wrong.what, wrong.why))
    return found


def _region(image: OnShelf, device: Device, document: CraftDocument) -> list[Finding]:
    region, wants = image.facts.region, document.wants.region
    if region is None or device.radio is None:
        return []
    if region not in device.radio.regions:
        what = f"This image is for {region}; the {device.name} is made for {', '.join(device.radio.regions)}."
        return [
            CHECK.stop("load.wrong-region", At.device(device.role, device.name), what, "It would send where its hardware cannot, and where it may not be used.")
        ]
    if wants and region != wants:
        what = f"This image is for {region}; this craft flies under {wants}."
        return [
            CHECK.warn(
                "load.other-region",
                At.device(device.role, device.name),
                what,
                "A link of another region may not be used there, and ends of different regions do not hear each other.",
            )
        ]
    return []


def _link(image: OnShelf, device: Device, then: Outlook, now: Outlook) -> list[Finding]:
    other = "receiver" if device.role == "transmitter" else "transmitter's end"
    if then.verdict == "do not match":
        what = f"With it, {then.because[0]}."
        if now.verdict != "do not match":
            what = f"The ends would not match: {then.because[0]}."
        mend = Mend(text=f"Flash the {other} to match as well")
        return [
            CHECK.warn(
                "load.ends-part",
                At.device(device.role, device.name),
                what,
                "Two ends that do not understand each other are the commonest cause of a dead link.",
                mend,
            )
        ]
    if then.verdict == "talks with less" and now.verdict != "talks with less":
        return [
            CHECK.warn("load.less", At.device(device.role, device.name), f"The link would do less: {'; '.join(then.because[1:])}.", "The lesser end decides.")
        ]
    return []


def _against_present(image: OnShelf, device: Device, now: Installed, *, same: bool) -> list[Finding]:
    assert now.facts is not None
    mine, its = number(image.facts.version), number(now.facts.version)
    if same:
        return [CHECK.note("load.same", At.device(device.role, device.name), f"The {device.name} runs this very image.", "Flashing it again changes nothing.")]
    if mine < its:
        return [
            CHECK.note(
                "load.older",
                At.device(device.role, device.name),
                f"It is older than what runs: {image.facts.version} instead of {now.facts.version}.",
                "What was mended since is broken again.",
            )
        ]
    if device.role == "board" and mine[0] != its[0]:
        return [
            CHECK.note(
                "load.settings-anew",
                At.device(device.role, device.name),
                f"Version {mine[0]} keeps its settings in another form than version {its[0]}: it starts with none.",
                "They are read and kept first, and offered back afterwards, unless that is skipped.",
            )
        ]
    return []


def may_take(
    images: Iterable[OnShelf], device: Device, document: CraftDocument, devices: Mapping[Role, Device], installed: Mapping[Role, Installed]
) -> list[OnShelf]:
    """The images that nothing forbids on a device, those for another region than the craft's left out."""
    fit = []
    for image in images:
        judged = judge(image, device, document, devices, installed)
        if judged.may != "no" and not any(finding.code == "load.other-region" for finding in judged.findings):
            fit.append(image)
    return fit


def fitting(
    images: Iterable[OnShelf], document: CraftDocument, devices: Mapping[Role, Device], installed: Mapping[Role, Installed]
) -> dict[Role, list[OnShelf]]:
    """The images that may go on each end of the link."""
    shelf = list(images)
    ends: tuple[Role, ...] = ("transmitter", "receiver")
    return {role: may_take(shelf, devices[role], document, devices, installed) for role in ends if role in devices and devices[role].flash is not None}


def then_flash(
    image: OnShelf, role: Role, devices: Mapping[Role, Device], installed: Mapping[Role, Installed], fits: Mapping[Role, list[OnShelf]]
) -> WayOut | None:
    """The shortest way to a link that talks once `image` is on `role`, leaving that end alone; None where there is none, or nothing is needed."""
    after = dict(installed) | {role: Installed(facts=image.facts, bootloader=installed[role].bootloader)}
    others = {each: known for each, known in fits.items() if each != role}
    way = next(iter(ways_to_talk(devices, after, others, most=1)), None)
    return way if way and way.steps else None


def check_load(document: CraftDocument, devices: Mapping[Role, Device], installed: Mapping[Role, Installed]) -> list[Finding]:
    """What the firmware that is on the devices does to the link now."""
    found = []
    whole = True
    for role, device in devices.items():
        if device.flash is not None and installed[role].facts is None:
            whole = False
            what, why = (
                f"The {device.name} has no whole firmware and waits in its bootloader.",
                "A device without firmware does nothing; its bootloader was never overwritten.",
            )
            found.append(CHECK.stop("load.no-program", At.device(role), what, why, Mend(text="Flash it again in Load", go="load")))
    if not whole or not {"transmitter", "receiver"} <= set(devices):
        return found
    sends, hears = (devices[role].radio for role in ("transmitter", "receiver"))
    if outlook(sends, hears).verdict == "do not match":
        return found  # hardware that never understands each other is the Kit's matter
    link = outlook(*air(devices, installed))
    if link.verdict == "do not match":
        why = "No frame crosses the air, whatever is bound: the commonest cause of a dead link."
        found.append(
            CHECK.stop(
                "load.ends-silent",
                At("link", (*At.device("transmitter").refs, *At.device("receiver").refs)),
                f"The two ends do not understand each other: {link.because[0]}.",
                why,
                Mend(text="Flash one end to match: Load shows the shortest way below the devices", go="load"),
            )
        )
    elif link.verdict == "talks with less":
        found.append(
            CHECK.note(
                "load.less",
                At("link", (*At.device("transmitter").refs, *At.device("receiver").refs)),
                f"The link does less than it could: {'; '.join(link.because[1:])}.",
                "The lesser end decides.",
            )
        )
    for role in ("transmitter", "receiver"):
        facts, wants = installed[role].facts, document.wants.region
        if wants and facts and facts.region and facts.region != wants:
            why = "A link of another region may not be used there."
            found.append(
                CHECK.warn(
                    "load.other-region", At.device(role), f"The {devices[role].name} runs firmware for {facts.region}; this craft flies under {wants}.", why
                )
            )
    return found
