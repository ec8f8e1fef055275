"""Every protocol by name."""

from __future__ import annotations

from linkcore.protocols import crsf, sbus
from linkcore.protocols.base import ProtocolSpec

PROTOCOLS: dict[str, ProtocolSpec] = {spec.name: spec for spec in (sbus.SPEC, crsf.SPEC)}


def protocol(name: str) -> ProtocolSpec:
    """The spec called `name`, letter case aside; raise ValueError listing those there are."""
    for known, spec in PROTOCOLS.items():
        if known.lower() == name.lower():
            return spec
    raise ValueError(f"no protocol called {name!r}; there are {', '.join(PROTOCOLS)}")
