"""One job per port, and the receiver's job where its wire is."""

from __future__ import annotations

from dataclasses import dataclass

from linkcore.craft.document import BoardSettings, CraftDocument
from linkcore.findings import Edit, Finding, Mend
from linkcore.parts.catalogue import part
from linkcore.parts.models import Board, Pad, Receiver
from linkcore.protocols.registry import PROTOCOLS

UNIQUE_JOBS = ("receiver input", "bench link", "video transmitter control")


@dataclass(frozen=True)
class ReceiverWire:
    """Where the receiver's signal arrives: its pin, the pad, and what that pad belongs to (None where it leads nowhere)."""

    pin: str
    pad_name: str | None
    pad: Pad | None


def receiver_wire(document: CraftDocument, board: Board, receiver: Receiver) -> ReceiverWire:
    """Follow the wire from the receiver's output to the board."""
    pin = receiver.pin("signal out")
    assert pin is not None, f"{receiver.name} has no output"
    name = document.pad_of(pin.name)
    return ReceiverWire(pin.name, name, board.pad(name) if name else None)


def job_path(port: str) -> str:
    """Where a port's job stands in the craft document."""
    return f"/settings/ports/{port}"


def _job(port: str, job: str = "receiver input") -> Edit:
    return Edit(path=job_path(port), value=job)


def check_ports(document: CraftDocument, settings: BoardSettings) -> list[Finding]:
    """Findings on the jobs in `settings` against the craft's wires and parts."""
    board, receiver = part(Board, document.kit.board), part(Receiver, document.kit.receiver)
    wire = receiver_wire(document, board, receiver)
    findings = _wiring(board, receiver, wire, document)
    jobs = settings.receiver_ports()
    for port in settings.ports:
        if port not in board.ports:
            findings.append(
                _stop(
                    "ports.no-such-port",
                    port,
                    f"The {board.name} has no port {port}.",
                    "Its job can never run.",
                    Mend(text=f"Use one of {', '.join(board.ports)}"),
                )
            )
    for job in UNIQUE_JOBS:
        sharing = [port for port, given in settings.ports.items() if given == job]
        if len(sharing) > 1:
            mends = tuple(Mend(text=f"Leave {job} on {keep} alone", edits=tuple(_job(port, "free") for port in sharing if port != keep)) for keep in sharing)
            findings.append(
                _stop(
                    "ports.job-twice",
                    ", ".join(sharing),
                    f"{' and '.join(sharing)} both have the job {job}.",
                    "The board takes the first and leaves the other idle.",
                    *mends,
                )
            )
    at = wire.pad
    if not jobs:
        mends = (Mend(text=f"Give {at.port} the receiver job", edits=(_job(at.port),)),) if at and at.port and at.kind == "rx" else ()
        findings.append(_stop("ports.no-receiver-job", "ports", "No port has the receiver job.", "The board listens nowhere, so no stick can arrive.", *mends))
        return findings
    port = jobs[0]
    pad = board.pad_of(port, "rx")
    if pad is None:
        findings.append(_stop("ports.no-rx-pad", port, f"{port} has no RX pad.", "A receiver can never be heard there."))
    elif at is not None and at.kind == "rx" and at.port != port and at.port is not None:
        there = settings.ports.get(at.port, "free")
        displaced = "" if there == "free" else f" ({there} loses it)"
        findings.append(
            _stop(
                "ports.wire-elsewhere",
                f"{at.name}, {port}",
                f"The receiver is soldered to {at.name}, but {port} has its job.",
                f"{at.name} belongs to {at.port}; {port} listens on {pad.name}, where nothing is.",
                Mend(text=f"Move the receiver job to {at.port}{displaced}", edits=(_job(port, "free"), _job(at.port))),
                *(_rewire(document, wire.pin, pad.name)),
            )
        )
    findings += _receiver_input(board, receiver, wire, settings, port)
    return findings


def _wiring(board: Board, receiver: Receiver, wire: ReceiverWire, document: CraftDocument) -> list[Finding]:
    if wire.pad_name is None:
        return [
            _stop(
                "ports.not-wired",
                wire.pin,
                f"The receiver's {wire.pin} pin goes nowhere.",
                "Without this wire no frame reaches the board.",
                Mend(text="Pick the RX pad that it is soldered to"),
            )
        ]
    if wire.pad is None:
        return [
            _stop(
                "ports.no-such-pad",
                wire.pad_name,
                f"The {board.name} has no pad {wire.pad_name}.",
                "The wire list names a pad that is not there.",
                Mend(text="Pick a pad that the board has"),
            )
        ]
    if wire.pad.kind != "rx":
        return [
            _stop(
                "ports.wrong-pad",
                wire.pad.name,
                f"The receiver's {wire.pin} pin is on {wire.pad.name}, which does not listen.",
                "An output needs an RX pad.",
                Mend(text="Move the wire to an RX pad"),
            )
        ]
    missing = [pin for pin in receiver.pins if pin.kind in ("supply", "ground") and document.pad_of(pin.name) is None]
    return [
        _stop(
            f"ports.no-{pin.kind}",
            pin.name,
            f"The receiver's {pin.name} pin goes nowhere.",
            "It has no power." if pin.kind == "supply" else "Without common ground its levels mean nothing.",
        )
        for pin in missing
    ]


def _rewire(document: CraftDocument, pin: str, pad: str) -> tuple[Mend, ...]:
    index = next((i for i, patch in enumerate(document.wiring) if patch.pin == pin), None)
    if index is None:
        return ()
    return (Mend(text=f"Resolder the wire to {pad}", edits=(Edit(path=f"/wiring/{index}/pad", value=pad),)),)


def _receiver_input(board: Board, receiver: Receiver, wire: ReceiverWire, settings: BoardSettings, port: str) -> list[Finding]:
    chosen = settings.receiver_input
    if chosen.protocol is None:
        return [
            _stop(
                "ports.no-protocol",
                port,
                f"{port} has the receiver job, but no protocol is chosen.",
                "The board does not know how to read the frames.",
                Mend(text=f"Read {receiver.protocol}, as the {receiver.name} speaks it", edits=_as_spoken(receiver)),
            )
        ]
    findings = []
    if chosen.protocol not in PROTOCOLS:
        findings.append(_stop("ports.unknown-protocol", port, f"{chosen.protocol} is no protocol that this board reads.", f"It reads {', '.join(PROTOCOLS)}."))
    elif chosen.protocol != receiver.protocol:
        findings.append(
            _stop(
                "ports.other-protocol",
                port,
                f"{port} reads {chosen.protocol}; the {receiver.name} speaks {receiver.protocol}.",
                "Bytes arrive, but no frame will ever be whole.",
                Mend(text=f"Read {receiver.protocol}", edits=_as_spoken(receiver)),
            )
        )
    elif chosen.inverted != receiver.inverted_output:
        findings.append(
            _stop(
                "ports.inversion",
                port,
                f"The {receiver.name}'s output is {'inverted' if receiver.inverted_output else 'not inverted'}; {port} samples it as if it were{' not' if receiver.inverted_output else ''}.",
                "Read upside down, hardly a byte has its stop bit where it belongs.",
                Mend(text=f"Set {port} to {'inverted' if receiver.inverted_output else 'not inverted'}", edits=_as_spoken(receiver)),
            )
        )
    pad = board.pad_of(port, "rx")
    if chosen.inverted and pad is not None and not board.can_invert(pad):
        others = [other.name for other in board.pads if other.kind == "rx" and board.can_invert(other)]
        text = f"Use {' or '.join(others)}, which has an inverter" if others else "Use a receiver output that is not inverted"
        findings.append(
            _stop(
                "ports.cannot-invert",
                pad.name,
                f"Pad {pad.name} cannot invert.",
                f"An {board.mcu} class UART has no inversion of its own, and no inverter sits on this pad.",
                Mend(text=text),
            )
        )
    return findings


def _as_spoken(receiver: Receiver) -> tuple[Edit, ...]:
    return (
        Edit(path="/settings/receiver_input/protocol", value=receiver.protocol),
        Edit(path="/settings/receiver_input/inverted", value=receiver.inverted_output),
    )


def _stop(code: str, where: str, what: str, why: str, *mends: Mend) -> Finding:
    return Finding(code=code, severity="stop", hop="port plan", where=where, what=what, why=why, mends=mends)
