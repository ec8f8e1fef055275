"""Made-up traffic of every protocol: the bytes of whole frames with their times, and the line that a sender of them makes."""

from __future__ import annotations

import random
from dataclasses import dataclass, replace

import numpy as np

from linkcore.protocols import crsf, dsm, fport, ghst, hub, ibus, mavlink, ppm, pwm, sbus, sport, sumd
from linkcore.protocols.base import SerialSpec
from linkcore.protocols.registry import PROTOCOLS
from linkcore.signal.edges import Edges
from linkcore.signal.uart import send


@dataclass
class Burst:
    """Bytes that follow each other back to back, `pause` seconds behind the one before; `carries`: what a decoder must find in them."""

    data: bytes
    pause: float
    carries: tuple[int, ...] | None


def raws(rng: random.Random, count: int, low: int, high: int) -> list[int]:
    return [rng.randint(low, high) for _ in range(count)]


def _sport(rng: random.Random, index: int) -> list[Burst]:
    number = index % 28
    poll = Burst(sport.encode_poll(number), 0.0105, None)
    if number not in (3, 27):
        return [poll]
    volts = rng.randrange(0, 3000)
    return [poll, Burst(sport.encode_answer(0x0210, volts), 0.0008, (volts,))]


def _ibus_telemetry(rng: random.Random, index: int) -> list[Burst]:
    address = 1 + index % 2
    if index < 4:
        return [Burst(ibus.encode_poll(ibus.DISCOVER, address), 0.006, None), Burst(ibus.encode_discovered(address), 0.0002, None)]
    if index < 6:
        return [Burst(ibus.encode_poll(ibus.TYPE, address), 0.006, None), Burst(ibus.encode_type(address, 3), 0.0002, None)]
    value = rng.randrange(0, 3000)
    return [Burst(ibus.encode_poll(ibus.VALUE, address), 0.006, None), Burst(ibus.encode_value(address, 3, value / 100), 0.0002, (value,))]


def _fport(rng: random.Random, index: int) -> list[Burst]:
    raw = raws(rng, 16, 0, 2047)
    volts = rng.randrange(0, 3000)
    control = Burst(fport.encode(raw, rssi_percent=rng.randint(0, 100)), 0.0035, tuple(raw))
    return [control, Burst(fport.encode_poll(), 0.0001, None), Burst(fport.encode_answer(0x0210, volts), 0.0005, (volts,))]


def _mavlink(rng: random.Random, index: int) -> list[Burst]:
    raw = raws(rng, 8, 1000, 2000)
    channels = {f"chan{number}_raw": raw[number - 1] if number <= 8 else mavlink.UNUSED for number in range(1, 19)}
    return [Burst(mavlink.encode("rc_channels", index, time_boot_ms=index * 20, chancount=8, rssi=200, **channels), 0.012, tuple(raw))]


def burst_of(name: str, rng: random.Random, index: int) -> list[Burst]:
    """The `index`-th turn of a protocol's traffic."""
    if name in ("SBUS", "CRSF"):
        raw = raws(rng, 16, 0, 2047)
        return [Burst(sbus.encode(raw) if name == "SBUS" else crsf.encode_channels(raw), 0.006 if name == "SBUS" else 0.0035, tuple(raw))]
    if name == "DSM2":
        raw = raws(rng, 7, 0, 1023)
        return [Burst(dsm.encode(dict(enumerate(raw)), 0x01, index), 0.0206, tuple(raw))]
    if name == "DSMX":
        ids = (0, 1, 2, 3, 4, 5, 6) if index % 2 == 0 else (7, 8, 9, 10, 11)
        raw = raws(rng, len(ids), 0, 2047)
        return [Burst(dsm.encode(dict(zip(ids, raw, strict=True)), 0xB2, index, second=index % 2 == 1), 0.0096, tuple(raw))]
    if name == "IBUS":
        raw = raws(rng, 14, 0, 4095)
        return [Burst(ibus.encode(raw), 0.0045, tuple(raw))]
    if name == "SUMD":
        raw = raws(rng, 12, 7200, 16800)
        return [Burst(sumd.encode(raw), 0.0075, tuple(raw))]
    if name == "GHST":
        high, low = raws(rng, 4, 0, 4095), raws(rng, 4, 0, 255)
        return [Burst(ghst.encode(ghst.TYPES[index % 3], high, low), 0.0037, (*high, *low))]
    if name == "F.Port":
        return _fport(rng, index)
    if name == "S.Port":
        return _sport(rng, index)
    if name == "hub telemetry":
        volts = rng.randrange(0, 300)
        return [Burst(hub.encode({hub.VOLTAGE: volts, hub.FUEL: rng.randrange(100), hub.CURRENT: rng.randrange(400)}), 0.05, (volts,))]
    if name == "IBUS telemetry":
        return _ibus_telemetry(rng, index)
    if name == "MAVLink":
        return _mavlink(rng, index)
    raise ValueError(name)


SERIAL = ("SBUS", "DSM2", "DSMX", "IBUS", "SUMD", "CRSF", "F.Port", "GHST", "S.Port", "hub telemetry", "IBUS telemetry", "MAVLink")


def timed(name: str, seed: int, turns: int, start: float = 0.03, byte_s: float | None = None) -> tuple[list[Burst], bytes, list[float]]:
    """(bursts, bytes, times of their start bits) of some turns of traffic."""
    rng = random.Random(seed)
    spec = PROTOCOLS[name]
    assert isinstance(spec, SerialSpec)
    step = byte_s or spec.uart.byte_s
    bursts, data, times, now = [], b"", [], start
    for index in range(turns):
        for burst in burst_of(name, rng, index):
            now += burst.pause if bursts else 0.0
            bursts.append(burst)
            times += [now + at * step for at in range(len(burst.data))]
            data += burst.data
            now += len(burst.data) * step
    return bursts, data, times


def line(name: str, *, inverted: bool, error: float = 0.0, damage: float = 0.0, cut: float = 0.0, seed: int = 1, seconds: float = 1.0) -> tuple[Edges, float]:
    """About a second of a line: its baud off by `error`, a share of bursts damaged, begun `cut` of a burst late."""
    if name in ("PPM", "PWM"):
        return _pulses(name, inverted, error, damage, cut, seed, seconds)
    rng = random.Random(seed)
    spec = PROTOCOLS[name]
    assert isinstance(spec, SerialSpec)
    uart = replace(spec.uart, baud=round(spec.uart.baud * (1 + error)), inverted=inverted)
    turns = 400 if name != "hub telemetry" else 40
    bursts, data, times = timed(name, seed, turns, start=0.0 if cut else 0.03, byte_s=uart.byte_s)
    hurt = bytearray(data)
    at = 0
    for burst in bursts:
        if rng.random() < damage:
            hurt[at + rng.randrange(len(burst.data))] ^= 1 << rng.randrange(8)
        at += len(burst.data)
    begin = cut * len(bursts[0].data) * uart.byte_s
    edges = send(bytes(hurt), np.array(times), uart).between(begin, begin + seconds)
    return Edges(edges.level, edges.times - begin), seconds


def _pulses(name: str, inverted: bool, error: float, damage: float, cut: float, seed: int, seconds: float) -> tuple[Edges, float]:
    rng = random.Random(seed)
    pieces = []
    period = 0.0225 if name == "PPM" else 0.02
    for index in range(int(seconds / period) + 1):
        us = [float(rng.randint(1000, 2000)) for _ in range(8 if name == "PPM" else 1)]
        if rng.random() < damage:
            us[rng.randrange(len(us))] = 2500.0
        made = ppm.edges(us, index * period) if name == "PPM" else pwm.edges(us, index * period)
        pieces.append(index * period + 0.004 + (made - index * period) * (1 + error))
    begin = cut * 0.01
    edges = Edges(int(inverted), np.concatenate(pieces)).between(begin, seconds)
    return Edges(edges.level, edges.times - begin), seconds - begin


def nmea(body: str) -> bytes:
    total = 0
    for letter in body.encode():
        total ^= letter
    return f"${body}*{total:02X}\r\n".encode()


def ubx(kind: int, payload: bytes) -> bytes:
    body = bytes((1, kind)) + len(payload).to_bytes(2, "little") + payload
    one = two = 0
    for byte in body:
        one = (one + byte) & 0xFF
        two = (two + one) & 0xFF
    return b"\xb5\x62" + body + bytes((one, two))
