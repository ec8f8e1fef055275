"""Every hop, in the order of work. Whoever goes along the chain goes through this list."""

from __future__ import annotations

from linkcore.findings import HOP_KEYS
from linkcore.hop import Hop
from linkcore.hops.airframe.hop import HOP as AIRFRAME
from linkcore.hops.bind.hop import HOP as BIND
from linkcore.hops.downlink.hop import HOP as DOWNLINK
from linkcore.hops.kit.hop import HOP as KIT
from linkcore.hops.line.hop import HOP as LINE
from linkcore.hops.load.hop import HOP as LOAD
from linkcore.hops.loom.hop import HOP as LOOM
from linkcore.hops.lost_link.hop import HOP as LOST_LINK
from linkcore.hops.port_plan.hop import HOP as PORT_PLAN
from linkcore.hops.sticks.hop import HOP as STICKS
from linkcore.hops.switchboard.hop import HOP as SWITCHBOARD

HOPS: tuple[Hop, ...] = (KIT, PORT_PLAN, LOOM, LOAD, BIND, LINE, STICKS, SWITCHBOARD, LOST_LINK, DOWNLINK, AIRFRAME)
HOP_KEYS[:] = [hop.key for hop in HOPS]
