"""A MAVLink telemetry log (`.tlog`): each message behind the time of its arrival, eight bytes, us since 1970, most significant first.

Frames are the messages by their sequence numbers (a byte that counts on, by each sender and component), so what is missing between two of them was lost. RSSI is what the radio
or the receiver gives as a share of 254 (RADIO_STATUS, RC_CHANNELS; 255: not known). Distance is counted from the first position. Source: MAVLink's common message set, and its
packet serialisation.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from typing import Any

import numpy as np

from linkcore.signal.flight_log import FEWEST_ROWS, FlightLog, from_start
from linkcore.signal.recordings import ByteStream, RecordingError

UNKNOWN_RSSI = 255
FULL_RSSI = 254
MOST_GAP = 100  # messages missing at once that still count as lost; more is a restart of the sender
STARTS = {0xFE: 8, 0xFD: 12}  # what a frame of MAVLink 1 or 2 has around its payload
PIECE = 1 << 20


def read_mavlink_log(stream: ByteStream) -> FlightLog:
    """Read all of it; raise RecordingError where it is none, or says nothing of the link."""
    rows: list[tuple[float, float, float, float]] = []
    where: list[tuple[float, float]] = []
    seen: dict[tuple[int, int], int] = {}
    rssi, place, strange = float("nan"), (float("nan"), float("nan")), 0
    for t, message in _messages(stream):
        if message is None:
            strange += 1
            continue
        kind = message.get_type()
        if kind in ("RADIO_STATUS", "RADIO") or (kind == "RC_CHANNELS" and message.rssi != 0):
            rssi = float("nan") if message.rssi == UNKNOWN_RSSI else 100 * message.rssi / FULL_RSSI
        elif kind == "GLOBAL_POSITION_INT" and (message.lat or message.lon):
            place = message.lat / 1e7, message.lon / 1e7
        header = message.get_header()
        sender = header.srcSystem, header.srcComponent
        before, seen[sender] = seen.get(sender), header.seq
        missing = 0 if before is None else (header.seq - before - 1) % 256
        missing = 0 if missing > MOST_GAP else missing
        rows.append((t, rssi, missing + 1, missing))
        where.append(place)
    table = np.array(rows, dtype=np.float64).reshape(-1, 4)
    known = np.isfinite(table[:, 1])
    if known.sum() < FEWEST_ROWS:
        raise RecordingError(
            f"the log has {len(rows)} MAVLink messages, and {int(known.sum())} of them with an RSSI (RADIO_STATUS or RC_CHANNELS): too few to say anything"
        )
    table, places = table[known], np.array(where, dtype=np.float64)[known]
    order = np.argsort(table[:, 0], kind="stable")
    table, places = table[order], places[order]
    says = [f"{int((~known).sum())} messages from before the first RSSI were left out"] if (~known).any() else []
    says += [f"{strange} messages could not be read"] if strange else []
    says.append("frames are MAVLink messages, counted by their sequence numbers; RSSI is the radio's own share of 254")
    there = np.isfinite(places[:, 0])
    distance = None
    if there.sum() >= FEWEST_ROWS:
        first = int(np.flatnonzero(there)[0])
        distance = np.where(there, from_start(places[:, 0] - 0.0, places[:, 1] - 0.0, first), np.nan)
    return FlightLog("rssi_percent", table[:, 1], table[:, 2], table[:, 3], table[:, 0] - table[0, 0], distance, says)


def _messages(stream: ByteStream) -> Iterator[tuple[float, Any]]:
    """(s since 1970, the message; None where it could not be read)."""
    from pymavlink.dialects.v20 import common  # its definitions take a while: only where such a log is read

    reader = common.MAVLink(None)
    reader.robust_parsing = True
    held, found = b"", False
    while piece := stream.read(PIECE):
        held += piece
        at = 0
        while len(held) - at >= 8 + 3:
            around = STARTS.get(held[at + 8])
            if around is None:  # out of step: look for the next frame
                at += 1
                continue
            signed = 13 if held[at + 8] == 0xFD and held[at + 10] & 1 else 0
            size = held[at + 9] + around + signed
            if len(held) - at < 8 + size:
                break
            (us,) = struct.unpack(">Q", held[at : at + 8])
            try:
                message = reader.decode(bytearray(held[at + 8 : at + 8 + size]))
            except common.MAVError:
                at += 1
                yield us / 1e6, None
                continue
            at += 8 + size
            found = True
            yield us / 1e6, message
        held = held[at:]
    if not found:
        raise RecordingError("no MAVLink message is in it; a telemetry log has each message behind eight bytes of time")
