"""Whether board, pin and ESC speak of the same thing, as often as all of them bear."""

from __future__ import annotations

from collections.abc import Iterator

from linkcore.craft.document import DriveSetup
from linkcore.devices.drive_kinds import BUSY, FULL, KINDS, KINDS_OF_MCU, RATES_HZ, fastest, load
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.parts.models import DriveKind
from linkcore.reads import View
from linkcore.wiring.outputs import motor_pads, wired_outputs

CHECK = Check("airframe")
_WHY_ESC = "It hears nothing that it knows, and its motor never turns, or runs up at once."


def common_kinds(view: View) -> list[DriveKind]:
    """The kinds that MCU class, every pin with a motor and every ESC do, the better one first."""
    board, wired = view.parts.board, wired_outputs(view.craft, view.parts)
    pads = {pad.name: pad for pad in board.pads}
    motors = motor_pads(view.craft, view.parts)
    return [
        kind
        for kind in KINDS
        if kind in KINDS_OF_MCU[board.mcu] and all(kind in view.parts.devices[wired[pad]].takes and (kind != "digital" or pads[pad].digital) for pad in motors)
    ]


def check_drive(view: View) -> Iterator[Finding]:
    """What is set of the drive, against board, pins and ESCs."""
    board, drive, wired = view.parts.board, view.craft.settings.drive, wired_outputs(view.craft, view.parts)
    motors = motor_pads(view.craft, view.parts)
    if motors:
        yield from _kind(view, drive, wired, motors)
    rates = RATES_HZ.get(drive.kind)
    if motors and rates is not None and not rates[0] <= drive.pulse_hz <= rates[1]:
        most = min(drive.pulse_hz, rates[1]) if drive.pulse_hz > rates[1] else rates[0]
        yield CHECK.stop(
            "airframe.drive-rate",
            At.setting("/settings/drive/pulse_hz", "pulse rate"),
            f"{drive.kind.capitalize()} go out {rates[0]} to {rates[1]} times a second; {drive.pulse_hz} are set.",
            "Pulses that run into each other are no pulses.",
            Mend(text=f"Set {most} pulses a second", edits=(Edit(path="/settings/drive/pulse_hz", value=most),)),
        )
    loop_hz = drive.loop_hz or board.loop_hz
    share = load(board.mcu, drive.kind, len(motors), loop_hz)
    if share > BUSY:
        slower = fastest(board.mcu, drive.kind, len(motors))
        says = CHECK.stop if share > FULL else CHECK.warn
        yield says(
            "airframe.loop-load",
            At.setting("/settings/drive/loop_hz", "loop rate"),
            f"{loop_hz} loops a second take {100 * share:.0f} % of what an {board.mcu} has; {100 * BUSY:.0f} % leave it time for the rest.",
            "It skips loops, and then frames of the receiver." if share > FULL else "What comes beside it, telemetry and the picture, comes late.",
            Mend(text=f"Set {slower} loops a second", edits=(Edit(path="/settings/drive/loop_hz", value=slower),)),
        )


def _kind(view: View, drive: DriveSetup, wired: dict[str, str], motors: list[str]) -> Iterator[Finding]:
    board = view.parts.board
    common = common_kinds(view)
    mends = (Mend(text=f"Drive them by {common[0]}", edits=(Edit(path="/settings/drive/kind", value=common[0]),)),) if common else ()
    deaf = sorted({wired[pad] for pad in motors if drive.kind not in view.parts.devices[wired[pad]].takes})
    if deaf:
        takes = " or ".join(view.parts.devices[deaf[0]].takes)
        yield CHECK.stop(
            "airframe.drive-esc",
            At.setting("/settings/drive/kind", "drive") + At.device(deaf[0]),
            f"The board sends {drive.kind}; the {deaf[0]} takes {takes}.",
            _WHY_ESC,
            *(mends or (Mend(text="Fit ESCs that all take one kind", go="kit"),)),
        )
    pads = {pad.name: pad for pad in board.pads}
    dumb = [pad for pad in motors if drive.kind == "digital" and not pads[pad].digital]
    if drive.kind not in KINDS_OF_MCU[board.mcu] or dumb:
        who = (
            f"An {board.mcu} class MCU gives no {drive.kind}"
            if drive.kind not in KINDS_OF_MCU[board.mcu]
            else f"The pin of {dumb[0]} gives no digital commands"
        )
        yield CHECK.stop(
            "airframe.drive-pin",
            At.setting("/settings/drive/kind", "drive") + At.pads(*(dumb or motors)),
            f"{who}.",
            "Digital commands need a timer that a memory channel feeds; without one the pin stays still.",
            *(mends or (Mend(text="Move its ESC to another output", go="loom"),)),
        )
