"""Can the board read its receiver? Findings from what is on the wire and what the port makes of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from linkcore.devices.port import GOOD_SHARE, PortReading
from linkcore.findings import At, Check, Finding, Mend, all_use
from linkcore.hops.line.compare import Reading, set_so

CHECK = Check("line")


@dataclass(frozen=True)
class LineNow:
    """What can be said of the wire and the port just now; the arguments of check_line."""

    reading: PortReading
    would_read: list[Reading]
    wire_alive: bool
    silent_because: str | None
    rival: str | None = None
    mends_of: Callable[[Reading], tuple[Mend, ...]] = set_so


def check_line(
    reading: PortReading,
    would_read: list[Reading],
    wire_alive: bool,
    silent_because: str | None,
    rival: str | None = None,
    mends_of: Callable[[Reading], tuple[Mend, ...]] = set_so,
) -> list[Finding]:
    """`would_read` were tried on the wire itself; `silent_because` says why nothing can be expected (power, radio, bind).

    `rival` is another device that drives the same wire; `mends_of` tells what makes the port read so.
    """
    if reading.port is None:
        return [
            CHECK.stop(
                "line.no-port",
                At.setting("/settings/ports", "port"),
                "No running port has the receiver job.",
                "A port's job counts after a restart of the board.",
                Mend(text="Give it a port in the Port plan", go="port plan"),
            )
        ]
    where = At(f"{reading.port}, pad {reading.pad}", (*At.ports(reading.port).refs, *(At.pads(reading.pad).refs if reading.pad else ())))
    if rival and not reading.reads:
        why = f"{rival} drives the same wire: where two outputs disagree, nothing can be read. It is mended at the Port plan or the Loom."
        return [CHECK.warn("line.two-outputs", where, f"{all_use(['receiver', rival])} pad {reading.pad}: two outputs pull against each other.", why)]
    if reading.edges_at_pad == 0:
        if silent_because:
            return [CHECK.warn("line.silent", where, "The line is silent.", silent_because)]
        if wire_alive:
            return [
                CHECK.warn(
                    "line.nothing-at-pad",
                    where,
                    f"Nothing arrives at {reading.pad}.",
                    "The receiver's wire carries a signal, but to another pad. The Port plan says which.",
                )
            ]
        return [CHECK.stop("line.dead", where, f"No edges on {reading.pad}.", "Look for supply, ground, the pad, and whether the receiver is bound.")]
    if reading.reads:
        return []
    if reading.good == 0 and reading.without_channels and silent_because:
        return [CHECK.warn("line.no-channels", where, "Whole frames arrive, but none carries channels.", silent_because)]
    if reading.good == 0:
        unable = would_read[0].why_not if would_read and not would_read[0].possible else ""
        mends = tuple(mend for way in would_read[:2] for mend in mends_of(way))
        what = f"{reading.bytes} bytes a second arrive, no frame among them." if reading.bytes else "Pulses arrive, no frame among them."
        if unable and not would_read[0].changes:
            why = f"The port is set correctly, but {unable}."
        elif would_read:
            why = f"The port samples the line in a way that does not fit what is on it{'; ' + unable if unable else ''}."
        else:
            why = "No protocol and no polarity that the board knows reads what is on the wire."
        return [CHECK.stop("line.no-frames", where, what, why, *mends)]
    return [
        CHECK.warn(
            "line.damaged",
            where,
            f"{reading.good_share:.0%} of the frames are whole; {GOOD_SHARE:.0%} are wanted.",
            "Damaged frames are dropped, and each costs a step of the sticks.",
        )
    ]
