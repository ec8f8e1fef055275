"""Every protocol by name."""

from __future__ import annotations

from collections.abc import Mapping

from linkcore.protocols import crsf, dsm, esc, fport, ghst, hub, ibus, mavlink, nmea, ppm, pwm, sbus, sport, sumd, text_frame, ubx
from linkcore.protocols.base import ProtocolSpec, SerialSpec

_ALL: tuple[ProtocolSpec, ...] = (
    *(pwm.SPEC, ppm.SPEC, sbus.SPEC, dsm.DSM2, dsm.DSMX, ibus.SPEC, sumd.SPEC, crsf.SPEC, fport.SPEC, ghst.SPEC),
    *(sport.SPEC, hub.SPEC, ibus.TELEMETRY, mavlink.SPEC),
)
PROTOCOLS: Mapping[str, ProtocolSpec] = {spec.name: spec for spec in _ALL}
RECEIVER_PROTOCOLS: Mapping[str, ProtocolSpec] = {spec.name: spec for spec in _ALL if spec.role == "receiver"}
SERIAL_PROTOCOLS: Mapping[str, SerialSpec] = {spec.name: spec for spec in _ALL if isinstance(spec, SerialSpec)}
# What other devices say on their own wires. They carry no channels and no telemetry home, so nothing but their wires is looked for in them.
DEVICE_PROTOCOLS: Mapping[str, SerialSpec] = {spec.name: spec for spec in (nmea.SPEC, ubx.SPEC, esc.SPEC, mavlink.SPEC, sport.SPEC, text_frame.SPEC)}


def protocol(name: str) -> ProtocolSpec:
    """The spec called `name`, letter case aside; raise ValueError listing those there are."""
    for known, spec in PROTOCOLS.items():
        if known.lower() == name.lower():
            return spec
    raise ValueError(f"no protocol called {name!r}; there are {', '.join(PROTOCOLS)}")


def receiver_protocol(name: str) -> ProtocolSpec:
    """The spec of a protocol that carries channels from a receiver; raise ValueError listing those there are."""
    found = RECEIVER_PROTOCOLS.get(name)
    if found is None:
        raise ValueError(f"no receiver protocol is called {name!r}; there are {', '.join(RECEIVER_PROTOCOLS)}")
    return found
