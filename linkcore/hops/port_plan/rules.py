"""One job per port, every device's job where its wires are, and the receiver read as it speaks."""

from __future__ import annotations

from linkcore.craft.document import RECEIVER, BoardSettings, CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.findings import At, Check, Edit, Finding, Mend, Severity, all_use, work_it_out
from linkcore.parts.models import Board, Output, Pad
from linkcore.protocols.registry import RECEIVER_PROTOCOLS, receiver_protocol
from linkcore.wiring.demands import BENCH_LINK, UNIQUE_JOBS, Demand, Placement, channels_of, demands_of, place_on
from linkcore.wiring.receiver_wire import ReceiverWire, reading_of, receiver_wire

CHECK = Check("port plan")

GET_BACK_IN = "If the bench link is gone, start the board with its boot button held and load it anew; settings that were kept can be put back"


def job_path(port: str) -> str:
    """Where a port's job stands in the craft document."""
    return f"/settings/ports/{port}"


def _job(port: str, job: str = "receiver input") -> Edit:
    return Edit(path=job_path(port), value=job)


def check_ports(document: CraftDocument, parts: KitParts) -> list[Finding]:
    """Findings on the jobs of the ports against the craft's wires and parts. Nothing to say before there is a board."""
    settings = document.settings
    if parts.maybe_board is None:
        return []
    board = parts.maybe_board
    findings = _jobs(board, settings)
    findings += _bench_link(board, settings, parts)
    if parts.maybe_receiver is not None:
        output = parts.spoken
        if output is None:
            findings.append(
                CHECK.stop("ports.no-output", At.device(RECEIVER), "No output of the receiver sends with its jumper as it is.", "No wire carries its channels.")
            )
        elif receiver_protocol(output.protocol).wire == "serial":
            findings += _receiver(document, settings, parts, output)
        else:
            findings += _pulses(document, settings, parts, output)
    findings += _devices(document, settings, parts)
    findings += _shared_pins(document, board, parts)
    return findings


# --- ports and jobs ---------------------------------------------------------------------------------------------


def _jobs(board: Board, settings: BoardSettings) -> list[Finding]:
    findings = []
    for port, job in settings.ports.items():
        if port not in board.ports and job != "free":
            left = {name: given for name, given in settings.ports.items() if name in board.ports}
            findings.append(
                CHECK.stop(
                    "ports.no-such-port",
                    At.ports(port),
                    f"The {board.name} has no port {port}.",
                    f"Its job, {job}, can never run.",
                    Mend(text=f"Remove {port} from the plan", edits=(Edit(path="/settings/ports", value=left),)),
                )
            )
    for unique in UNIQUE_JOBS:
        sharing = [port for port, given in settings.ports.items() if given == unique and port in board.ports]
        if len(sharing) > 1:
            mends = tuple(Mend(text=f"Leave {unique} on {keep} alone", edits=tuple(_job(port, "free") for port in sharing if port != keep)) for keep in sharing)
            findings.append(
                CHECK.stop(
                    "ports.job-twice",
                    At.ports(*sharing),
                    f"{' and '.join(sharing)} both have the job {unique}.",
                    "The board takes the first and leaves the other idle.",
                    *mends,
                )
            )
    for port, job in settings.ports.items():
        if port in board.software_ports and job == "receiver input":
            findings.append(
                CHECK.stop(
                    "ports.too-slow",
                    At.ports(port),
                    f"{port} is a software port and has the receiver job.",
                    "It is too slow: frames would be torn and late.",
                    _free(port),
                )
            )
    return findings


def _bench_link(board: Board, settings: BoardSettings, parts: KitParts) -> list[Finding]:
    """The way back in must never vanish without a word."""
    link = board.link_port
    if link and settings.ports.get(link, "free") not in ("free", BENCH_LINK):
        return [
            CHECK.warn(
                "ports.link-taken",
                At.ports(link),
                f"{link} has the job {settings.ports[link]}, but USB hangs on {link}.",
                f"After the restart the bench link is gone. {GET_BACK_IN}.",
                Mend(text=f"Give {link} back to the bench link", edits=(_job(link, BENCH_LINK),)),
            )
        ]
    adapters = [name for name, part in parts.devices.items() if part.job == BENCH_LINK]
    if adapters and BENCH_LINK not in settings.ports.values():
        return [
            CHECK.warn(
                "ports.link-without-port",
                At.device(adapters[0]),
                f"No port has the bench link's job, but {adapters[0]} is for it.",
                "It hears nothing and answers nothing.",
            )
        ]
    return []


def _free(port: str) -> Mend:
    return Mend(text=f"Leave {port} free", edits=(_job(port, "free"),))


# --- the receiver on a serial line ------------------------------------------------------------------------------


def _receiver(document: CraftDocument, settings: BoardSettings, parts: KitParts, output: Output) -> list[Finding]:
    board = parts.board
    wire = receiver_wire(document, parts)
    listens = "tx" if output.half_duplex else "rx"
    findings = _receiver_wiring(board, wire, listens)
    jobs = [port for port in settings.receiver_ports() if port in board.ports]
    at = wire.pad
    if not jobs:
        belongs = at.port if at and at.port and at.kind == listens and not _others_on(document, parts, at.port, output) else None
        mends: tuple[Mend, ...] = ()
        if belongs and settings.receiver_input.protocol is None:
            mends = _job_and_protocol(document, board, output, wire, belongs)
        elif belongs:
            mends = (Mend(text=f"Give {belongs} the receiver job", edits=(_job(belongs),)),)
        findings.append(
            CHECK.stop(
                "ports.no-receiver-job",
                At.setting("/settings/ports", "ports"),
                "No port has the receiver job.",
                "The board listens nowhere, so no stick can arrive.",
                *mends,
            )
        )
        if settings.receiver_input.protocol is not None:
            both = _job_and_protocol(document, board, output, wire, belongs) if belongs else ()
            findings.append(
                CHECK.warn(
                    "ports.protocol-without-job",
                    At.setting("/settings/receiver_input/protocol", settings.receiver_input.protocol),
                    f"{settings.receiver_input.protocol} is chosen, but no port has the receiver job.",
                    "A board takes the protocol only once a port has the job; your choice is kept until then.",
                    *both,
                )
            )
        return findings
    port = jobs[0]
    pad = board.pad_of(port, listens)  # type: ignore[arg-type]
    if pad is None:
        kind = "TX pad, on which half duplex runs" if output.half_duplex else "RX pad"
        findings.append(CHECK.stop("ports.no-rx-pad", At.ports(port), f"{port} has no {kind}.", "A receiver can never be heard there."))
    elif at is not None and at.kind == listens and at.port != port and at.port is not None:
        there = settings.ports.get(at.port, "free")
        unread = settings.receiver_input.protocol is None
        read = _read_as_spoken(document, board, output, wire, at.port) if unread else (Mend(text=""),)
        displaced = "" if there == "free" else f" ({there} loses it)"
        findings.append(
            CHECK.stop(
                "ports.wire-elsewhere",
                At.pads(at.name) + At.ports(port),
                f"The receiver is soldered to {at.name}, but {port} has its job.",
                f"{at.name} belongs to {at.port}; {port} listens on {pad.name}, where its wire is not.",
                *(Mend(text=f"Move the receiver job to {at.port}{displaced}", edits=(_job(port, "free"), _job(at.port), *each.edits)) for each in read),
                *(_rewire(document, RECEIVER, wire.pin, pad.name)),
            )
        )
    findings += _receiver_input(document, parts, output, wire, settings, port)
    return findings


def _others_on(document: CraftDocument, parts: KitParts, port: str, output: Output) -> bool:
    """Whether anything but the receiver's own line, and what goes with it, is soldered to a port."""
    pads = {pad.name for pad in parts.board.pads if pad.port == port}
    own = {pin for variant in channels_of(document, parts.receiver, output).variants for pin in variant.pins}
    return any(patch.pad in pads and (patch.device != RECEIVER or patch.pin not in own) for patch in document.wiring)


def _job_and_protocol(document: CraftDocument, board: Board, output: Output, wire: ReceiverWire, port: str) -> tuple[Mend, ...]:
    """The receiver job on a port, and its protocol with it, in the order in which a board takes them."""
    found = _read_as_spoken(document, board, output, wire, port)
    return tuple(Mend(text=f"Give {port} the receiver job, then {read.text[0].lower()}{read.text[1:]}", edits=(_job(port), *read.edits)) for read in found)


def _read_as_spoken(document: CraftDocument, board: Board, output: Output, wire: ReceiverWire, port: str) -> tuple[Mend, ...]:
    """The port reads what the receiver speaks; where its pad cannot invert, an external inverter goes into the wire as well, if the line runs one way."""
    pad = board.pad_of(port, "tx" if output.half_duplex else "rx")
    index = _wire_index(document, RECEIVER, output.pins[0])
    upside_down = reading_of(output, through_inverter=wire.inverter).inverted
    if not upside_down or pad is None or board.can_invert(pad):
        return (Mend(text=f"Read {output.protocol}", edits=_as_spoken(output, wire)),)
    if output.half_duplex or index is None:
        return ()
    inverter = Edit(path=f"/wiring/{index}/inverter", value=not wire.inverter)
    reading = reading_of(output, through_inverter=not wire.inverter).edits()
    return (Mend(text=f"Read {output.protocol} through an external inverter in the wire", edits=(inverter, *reading)),)


def _receiver_wiring(board: Board, wire: ReceiverWire, listens: str) -> list[Finding]:
    if wire.pad_name is None:
        return [
            CHECK.stop(
                "ports.not-wired",
                At.pin(RECEIVER, wire.pin, wire.pin),
                f"The receiver's {wire.pin} pin goes nowhere.",
                "Without this wire no frame reaches the board.",
                Mend(text=f"Pick the {listens.upper()} pad for the receiver's {wire.pin} pin"),
                work_it_out(),
            )
        ]
    if wire.pad is None:
        return [
            CHECK.stop(
                "ports.no-such-pad",
                At.pads(wire.pad_name),
                f"The {board.name} has no pad {wire.pad_name}.",
                "The wire list names a pad that is not there.",
                Mend(text="Pick a pad that the board has"),
                work_it_out(),
            )
        ]
    if wire.pad.kind != listens:
        needs = "Half duplex runs on a TX pad" if listens == "tx" else "An output needs an RX pad"
        return [
            CHECK.stop(
                "ports.wrong-pad",
                At.pads(wire.pad.name),
                f"The receiver's {wire.pin} pin is on {wire.pad.name}, which does not listen{' both ways' if listens == 'tx' else ''}.",
                f"{needs}.",
                Mend(text=f"Move the wire to {'a TX' if listens == 'tx' else 'an RX'} pad"),
            )
        ]
    return []


def _rewire(document: CraftDocument, device: str, pin: str, pad: str) -> tuple[Mend, ...]:
    index = _wire_index(document, device, pin)
    if index is None or any(patch.pad == pad for patch in document.wiring):
        return ()
    return (Mend(text=f"Resolder the wire to {pad}", edits=(Edit(path=f"/wiring/{index}/pad", value=pad),)),)


def _receiver_input(document: CraftDocument, parts: KitParts, output: Output, wire: ReceiverWire, settings: BoardSettings, port: str) -> list[Finding]:
    chosen, receiver, board = settings.receiver_input, parts.receiver, parts.board
    arrives_inverted = reading_of(output, through_inverter=wire.inverter).inverted
    spoken = _as_spoken(output, wire)
    if chosen.protocol is None:
        return [
            CHECK.stop(
                "ports.no-protocol",
                At.ports(port),
                f"{port} has the receiver job, but no protocol is chosen.",
                "The board does not know how to read the frames.",
                *_read_as_spoken(document, board, output, wire, port),
            )
        ]
    findings = []
    if chosen.protocol not in RECEIVER_PROTOCOLS:
        findings.append(
            CHECK.stop(
                "ports.unknown-protocol",
                At.ports(port),
                f"{chosen.protocol} is no protocol that this board reads.",
                f"It reads {', '.join(RECEIVER_PROTOCOLS)}.",
            )
        )
    elif chosen.protocol != output.protocol:
        findings.append(
            CHECK.stop(
                "ports.other-protocol",
                At.ports(port),
                f"{port} reads {chosen.protocol}; the {receiver.name} speaks {output.protocol}.",
                "Bytes arrive, but no frame will ever be whole.",
                Mend(text=f"Read {output.protocol}", edits=spoken),
            )
        )
    elif chosen.inverted != arrives_inverted:
        by = "'s line passes an inverter and" if wire.inverter else "'s output"
        findings.append(
            CHECK.stop(
                "ports.inversion",
                At.ports(port),
                f"The {receiver.name}{by} is {'inverted' if arrives_inverted else 'not inverted'}; {port} samples it as if it were{' not' if arrives_inverted else ''}.",
                "Read upside down, hardly a byte has its stop bit where it belongs.",
                Mend(text=f"Set {port} to {'inverted' if arrives_inverted else 'not inverted'}", edits=spoken),
            )
        )
    if chosen.protocol == output.protocol and chosen.half_duplex != output.half_duplex:
        one_wire = f"The {receiver.name} speaks both ways on one wire, which is the port's TX pad"
        findings.append(
            CHECK.stop(
                "ports.half-duplex",
                At.ports(port),
                f"{port} is set to {'half' if chosen.half_duplex else 'full'} duplex; {output.protocol} from the {receiver.name} needs {'half' if output.half_duplex else 'full'} duplex.",
                f"{one_wire}; the port listens on RX." if output.half_duplex else f"The port listens on its TX pad; the {receiver.name} sends to RX.",
                Mend(text=f"Set {port} to {'half' if output.half_duplex else 'full'} duplex", edits=spoken),
            )
        )
    pad = board.pad_of(port, "tx" if output.half_duplex else "rx")
    if chosen.inverted and pad is not None and not board.can_invert(pad):
        others = [other.name for other in board.pads if other.kind == pad.kind and board.can_invert(other)]
        text = f"Use {' or '.join(others)}, which has an inverter" if others else "Use a receiver output that is not inverted"
        findings.append(
            CHECK.stop(
                "ports.cannot-invert",
                At.pads(pad.name),
                f"Pad {pad.name} cannot invert.",
                f"An {board.mcu} class UART has no inversion of its own, and no inverter sits on this pad.",
                Mend(text=text),
                *(_put_inverter(document, output) if not output.half_duplex and not wire.inverter else ()),
            )
        )
    return findings


def _put_inverter(document: CraftDocument, output: Output) -> tuple[Mend, ...]:
    index = _wire_index(document, RECEIVER, output.pins[0])
    if index is None:
        return ()
    upright = Edit(path="/settings/receiver_input/inverted", value=reading_of(output, through_inverter=True).inverted)
    return (Mend(text="Put an external inverter into the wire", edits=(Edit(path=f"/wiring/{index}/inverter", value=True), upright)),)


def _wire_index(document: CraftDocument, device: str, pin: str) -> int | None:
    """Where a wire stands in the document's list."""
    return next((i for i, patch in enumerate(document.wiring) if (patch.device, patch.pin) == (device, pin)), None)


def _as_spoken(output: Output, wire: ReceiverWire) -> tuple[Edit, ...]:
    return reading_of(output, through_inverter=wire.inverter).edits()


# --- the receiver on pulses -------------------------------------------------------------------------------------


def _pulses(document: CraftDocument, settings: BoardSettings, parts: KitParts, output: Output) -> list[Finding]:
    """PPM and PWM arrive on inputs with a timer; no port takes part."""
    board, findings = parts.board, []
    for port in settings.receiver_ports():
        findings.append(
            CHECK.stop(
                "ports.pulses-need-no-port",
                At.ports(port),
                f"{port} has the receiver job, but {output.protocol} needs an input with a timer, not a UART.",
                "The port would listen for bytes that never come.",
                _free(port),
            )
        )
    wire = receiver_wire(document, parts)
    read = Mend(text=f"Read {output.protocol}", edits=_as_spoken(output, wire))
    if settings.receiver_input.protocol is None:
        findings.append(
            CHECK.stop(
                "ports.no-protocol",
                At.setting("/settings/receiver_input/protocol", "inputs"),
                "No receiver protocol is chosen.",
                "The board does not know how to read the pulses.",
                read,
            )
        )
    elif settings.receiver_input.protocol != output.protocol:
        findings.append(
            CHECK.stop(
                "ports.other-protocol",
                At.setting("/settings/receiver_input/protocol", "inputs"),
                f"The board reads {settings.receiver_input.protocol}; the {parts.receiver.name} sends {output.protocol}.",
                f"Its jumper ({parts.receiver.jumper}) decides which it sends." if parts.receiver.jumper else "Nothing that arrives has the form it expects.",
                read,
            )
        )
    if wire.pad_name is None:
        text = f"The receiver's {wire.pin} pin goes nowhere."
        findings.append(
            CHECK.stop(
                "ports.not-wired",
                At.pin(RECEIVER, wire.pin, wire.pin),
                text,
                "Without this wire no pulse reaches the board.",
                work_it_out(),
            )
        )
        return findings
    for pin in output.pins:
        name = document.pad_of(pin)
        pad = board.pad(name) if name else None
        if name and pad is None:
            findings.append(
                CHECK.stop("ports.no-such-pad", At.pads(name), f"The {board.name} has no pad {name}.", "The wire list names a pad that is not there.")
            )
        elif pad is not None and output.protocol not in pad.reads and pad.kind not in ("ground", "supply"):
            able = [each.name for each in board.pads if output.protocol in each.reads]
            findings.append(
                CHECK.stop(
                    "ports.no-timer",
                    At.pads(pad.name),
                    f"The receiver's {pin} is on {pad.name}, which cannot measure {output.protocol}.",
                    f"It needs a timer: {', '.join(able)}." if able else f"No pad of the {board.name} can.",
                )
            )
    return findings


# --- the other devices ------------------------------------------------------------------------------------------


def _devices(document: CraftDocument, settings: BoardSettings, parts: KitParts) -> list[Finding]:
    """Every other demand: soldered to one port, which has its job and can do it; no two on one port."""
    board, findings = parts.board, []
    on_port: dict[str, list[Demand]] = {}
    for demand in demands_of(document, parts):
        pads = {pin: board.pad(pad) for pin in demand.variants[0].pins if (pad := document.pad_of(pin, demand.device))}
        ports = list(dict.fromkeys(pad.port for pad in pads.values() if pad is not None and pad.port))
        for port in ports:
            on_port.setdefault(port, []).append(demand)
        if demand.job in ("receiver input", BENCH_LINK) and demand.device in (RECEIVER, BENCH_LINK):
            findings += _both_ways(document, board, demand, pads)
            continue
        if ports:
            findings += _device(document, board, settings, demand, ports, pads)
    clashes = [
        _clash(document, board, port, sharing)
        for port, demands in on_port.items()
        if len(sharing := [demand for demand in demands if not _shares(demand, demands)]) > 1
    ]
    told = {ref for clash in clashes for ref in clash.about if ref.thing == "port"}  # a port with two claims need not be said to have the wrong job as well
    return [*(each for each in findings if each.code != "ports.job-elsewhere" or not told & set(each.about)), *clashes]


def _shares(demand: Demand, demands: list[Demand]) -> bool:
    """A receiver's telemetry may sit on the port that its channels come in on."""
    return demand.device == RECEIVER and demand.job == "telemetry" and any(other.device == RECEIVER and other is not demand for other in demands)


def _clash(document: CraftDocument, board: Board, port: str, demands: list[Demand]) -> Finding:
    pads = [pad.name for pad in board.pads if pad.port == port]
    soldered = [patch.pad for patch in document.wiring]
    shared = [pad for pad in pads if soldered.count(pad) > 1]
    on = f" (pad{'s' if len(shared) > 1 else ''} {', '.join(shared)})" if shared else ""
    return CHECK.stop(
        "ports.clash",
        At(f"{port} ({', '.join(pads)})", At.ports(port).refs + At.pads(*pads).refs),
        f"{all_use([_name(demand) for demand in demands])} {port}{on}.",
        "A port has one job: they would talk over each other, and the board reads neither.",
        work_it_out("Work it out: another port may be free for one of them"),
    )


def _name(demand: Demand) -> str:
    if demand.device == RECEIVER:
        return "the receiver" if demand.job == "receiver input" else "the receiver's telemetry"
    return demand.device


def _both_ways(document: CraftDocument, board: Board, demand: Demand, pads: dict[str, Pad | None]) -> list[Finding]:
    """A line that runs both ways needs both its wires, on both pads of one port."""
    variant = demand.variants[0]
    ports = {pad.port for pad in pads.values() if pad is not None}
    if variant.form == "full" and len(pads) == 2 and len(ports) > 1:
        where = At.pads(*(pad.name for pad in pads.values() if pad is not None), joined=" and ")
        return [
            CHECK.warn(
                "ports.two-ports", where, f"The wires of {_name(demand)} are on {where.text}, two different ports.", "One of the two ways will stay silent."
            )
        ]
    return []


def _device(document: CraftDocument, board: Board, settings: BoardSettings, demand: Demand, ports: list[str], pads: dict[str, Pad | None]) -> list[Finding]:
    port, who = ports[0], _name(demand)
    job = settings.ports.get(port, "free")
    findings = _both_ways(document, board, demand, pads)
    fits = [place_on(board, demand, variant, port) for variant in demand.variants]
    if all(isinstance(fit, str) for fit in fits):
        findings.append(
            CHECK.stop("ports.cannot-do", At.ports(port), f"{port} cannot serve {who}.", f"{fits[0]}.", work_it_out("Work it out: another port may serve"))
        )
        return findings
    findings += _inverter(document, demand, next(fit for fit in fits if isinstance(fit, Placement)))
    if job != demand.job:
        severity: Severity = "warn" if job == "free" else "stop"
        elsewhere = [other for other, given in settings.ports.items() if given == demand.job and other != port]
        move = tuple(_job(other, "free") for other in elsewhere if not _used(document, board, other, demand))
        why = (
            f"{elsewhere[0]} has the job {demand.job}, and its wires are not there."
            if elsewhere
            else f"It is deaf to {who} until the port has the job {demand.job}."
        )
        mends = (Mend(text=f"Give {port} the job {demand.job}", edits=(*move, _job(port, demand.job))),) if job == "free" else (work_it_out(),)
        what = f"{who[0].upper()}{who[1:]} is soldered to {port}, which {'has no job' if job == 'free' else f'has the job {job}'}."
        findings.append(CHECK.says(severity, "ports.job-elsewhere", At.ports(port), what, why, *mends))
    return findings


def _inverter(document: CraftDocument, demand: Demand, place: Placement) -> list[Finding]:
    """Where nothing on the board inverts a device's line, an inverter sits in its wire, and nowhere else."""
    for pin, pad in place.patches:
        index = _wire_index(document, demand.device, pin)
        if index is None:
            continue
        there, needed = document.wiring[index].inverter, place.inversion == "external"
        put = (Mend(text="Put one in" if needed else "Remove it", edits=(Edit(path=f"/wiring/{index}/inverter", value=needed),)),)
        if needed and not there:
            what = f"The line of {_name(demand)} is inverted, {pad} cannot invert, and no inverter sits in the wire."
            return [CHECK.stop("ports.no-inverter", At.pads(pad), what, "Read upside down, hardly a byte has its stop bit where it belongs.", *put)]
        if there and not needed:
            what = f"An inverter sits in the wire of {_name(demand)} to {pad}, which needs none."
            return [CHECK.stop("ports.inverter-too-many", At.pads(pad), what, "It turns the levels over once too often.", *put)]
    return []


def _used(document: CraftDocument, board: Board, port: str, besides: Demand) -> bool:
    """Whether another device's wire is on a port."""
    pads = {pad.name for pad in board.pads if pad.port == port}
    return any(patch.pad in pads and patch.device != besides.device for patch in document.wiring)


def _shared_pins(document: CraftDocument, board: Board, parts: KitParts) -> list[Finding]:
    used: dict[str, set[str]] = {}
    for patch in document.wiring:
        pad = board.pad(patch.pad)
        if pad is not None and pad.pin:
            used.setdefault(pad.pin, set()).add(pad.name)
    return [
        CHECK.stop(
            "ports.shared-pin",
            At.pads(*sorted(names), joined=" and "),
            f"{' and '.join(sorted(names))} are one pin of the MCU ({pin}), and both are used.",
            "Only one of the two can work.",
            work_it_out("Work it out: it keeps such pads apart"),
        )
        for pin, names in used.items()
        if len(names) > 1
    ]
