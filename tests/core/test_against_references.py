"""The fast readers against slow, plain ones that do the same thing step by step."""

from __future__ import annotations

import io
import random

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from linkcore.protocols import crsf, sbus
from linkcore.protocols.base import BadFrame, ChannelFrame
from linkcore.signal.edges import Edges
from linkcore.signal.uart import FRAMING_ERROR, PARITY_ERROR, UartReceiver, UartSettings
from linkcore.signal.vcd import VcdReader

settings.register_profile("steady", deadline=None, derandomize=True)
settings.load_profile("steady")


# --- a UART, one event after the other ----------------------------------------------------------------------------


def plain_uart(edges: Edges, uart: UartSettings, until: float) -> list[tuple[int, int]]:
    """(value, errors) of each byte: walk from fall to fall, look at the level in the middle of each bit."""
    level_flip = int(uart.inverted)
    times = edges.times.tolist()

    def level(when: float) -> int:
        return (edges.level ^ level_flip) ^ (sum(t <= when for t in times) & 1)

    out = []
    armed_from = -1.0
    for index, fall in enumerate(times):
        high_before = ((edges.level ^ level_flip) ^ (index & 1)) == 1
        if not high_before or fall < armed_from:
            continue
        rise = times[index + 1] if index + 1 < len(times) else np.inf
        if rise - fall < 0.5 * uart.bit_s:
            continue
        bits = [level(fall + (place + 1.5) * uart.bit_s) for place in range(uart.data_bits + (uart.parity != "none") + 1)]
        stop_at = fall + (len(bits) + 0.5) * uart.bit_s
        if stop_at > until:
            break
        value = sum(bit << place for place, bit in enumerate(bits[: uart.data_bits]))
        errors = 0 if bits[-1] else FRAMING_ERROR
        if uart.parity != "none":
            ones = sum(bits[: uart.data_bits]) + bits[uart.data_bits]
            errors |= PARITY_ERROR if ones % 2 != (uart.parity == "odd") else 0
        out.append((value, errors))
        armed_from = stop_at
    return out


class UartReferenceTest(SimpleTestCase):
    @given(
        widths=st.lists(st.integers(1, 400), max_size=120),
        level=st.integers(0, 1),
        parity=st.sampled_from(["none", "even", "odd"]),
        inverted=st.booleans(),
        cuts=st.lists(st.integers(0, 120), max_size=6),
    )
    def test_any_line_however_it_comes_is_read_alike(self, widths, level, parity, inverted, cuts):
        """Widths in hundredths of a bit from a spike to four bits: garbage, such as a wrongly set port meets."""
        uart = UartSettings(100_000, 8, parity, 1, inverted=inverted)
        # an odd number of thousandths keeps toggles off the sampling instants, where either reading would be right
        times = np.cumsum([width * uart.bit_s / 100 + 1.7e-9 for width in widths]) + 1.3e-9
        until = (float(times[-1]) if len(times) else 0.0) + 0.013e-3
        port = UartReceiver(uart, level)
        read = []
        for piece in np.split(times, sorted(min(cut, len(times)) for cut in cuts)):
            got = port.feed(piece, float(piece[-1]) if len(piece) else 0.0)
            read += list(zip(got.data.tolist(), got.errors.tolist(), strict=True))
        got = port.feed(np.empty(0), until)
        read += list(zip(got.data.tolist(), got.errors.tolist(), strict=True))
        self.assertEqual(read, plain_uart(Edges(level, times), uart, until))


# --- a value change dump, word by word ---------------------------------------------------------------------------


def plain_vcd(body: str, code: str) -> tuple[int | None, list[int]]:
    """(first level, toggle times in steps)."""
    now, level, first, out = 0, None, None, []
    words = iter(body.split())
    for word in words:
        if word.startswith("#"):
            now = int(word[1:])
        elif word.startswith("$"):
            if word not in ("$dumpvars", "$dumpall", "$dumpon", "$dumpoff", "$end"):
                while next(words) != "$end":
                    pass
        elif word[0] in "bBrR":
            next(words)
        elif word[1:] == code and word[0] in "01":
            value = int(word[0])
            if level is None:
                first = value
            elif value != level:
                out.append(now)
            level = value
    return first, out


CODES = ["!", "#", "ab", "a", "0", "b1", "$x"]
entries = st.one_of(
    st.tuples(st.just("time"), st.integers(0, 10**9)),
    st.tuples(st.just("change"), st.tuples(st.sampled_from("01xz"), st.sampled_from(CODES))),
    st.tuples(st.just("change"), st.tuples(st.sampled_from("01"), st.just("!"))),
    st.tuples(st.just("vector"), st.tuples(st.sampled_from(["b101", "B0x1z", "r1.5", "R-2"]), st.sampled_from(CODES))),
    st.tuples(st.just("comment"), st.sampled_from(["", "0! #5", "words and #1 more", "$dumpvars 1!"])),
    st.tuples(st.just("dump"), st.sampled_from(["$dumpvars", "$dumpall", "$dumpoff", "$dumpon"])),
)


class VcdReferenceTest(SimpleTestCase):
    HEADER = "$timescale 1 us $end\n$var wire 1 ! rx $end\n$var wire 1 ab tx $end\n$enddefinitions $end\n"

    @given(
        items=st.lists(entries, max_size=60),
        gaps=st.lists(st.sampled_from(["\n", " ", "\r\n", "\t", "\n\n"]), min_size=1, max_size=7),
        chunk=st.integers(1, 90),
        code=st.sampled_from(["!", "ab"]),
    )
    def test_any_dump_in_any_pieces_is_read_alike(self, items, gaps, chunk, code):
        text, now, at = "\n", 0, 0
        for kind, what in items:
            if kind == "time":
                now += what
                words = [f"#{now}"]
            elif kind == "change":
                words = ["".join(what)]
            elif kind == "vector":
                words = list(what)
            elif kind == "comment":
                words = ["$comment", *what.split(), "$end"]
            else:
                words = [what, "$end"]
            for word in words:
                text += word + gaps[at % len(gaps)]
                at += 1
        reader = VcdReader(io.BytesIO((self.HEADER + text).encode()), chunk)
        line = next(line for line in reader.lines if line.code == code.encode())
        times = [round(t * 1e6) for block in reader.edges(line) for t in block]
        first, expected = plain_vcd(text, code)
        self.assertEqual(times, expected)
        if first is not None:
            self.assertEqual(reader.recording.level, first)


# --- frames that were hurt on the way -------------------------------------------------------------------------------


def hurt(frame: bytes, how: str, rng: random.Random) -> tuple[bytes, list[int]]:
    """(bytes, UART errors) of a frame after an accident."""
    data = bytearray(frame)
    errors = [0] * len(data)
    at = rng.randrange(len(data))
    if how == "flip":
        data[at] ^= 1 << rng.randrange(8)
        errors[at] = PARITY_ERROR
    elif how == "lose":
        del data[at], errors[at]
    elif how == "cut":
        del data[at:], errors[at:]
    return bytes(data), errors


class HurtFramesTest(SimpleTestCase):
    """What is whole gets through, and what is not never passes for something else.

    A byte too many is left out: behind it a CRC of 8 bits still fits one time in 256, and SBUS has none at all.
    """

    def send(self, name: str, seed: int, accidents_: tuple[str, ...] = ("flip", "lose", "cut")):
        rng = random.Random(seed)
        spec = sbus.SPEC if name == "SBUS" else crsf.SPEC
        whole, accidents, data, times, errors = [], 0, b"", [], []
        for index in range(60):
            raw = [rng.randrange(2048) for _ in range(16)]
            frame = sbus.encode(raw) if name == "SBUS" else crsf.encode_channels(raw)
            how = rng.choice(["none", "none", *accidents_]) if index else "none"
            if how == "none":
                whole.append(raw)
                piece, wrong = frame, [0] * len(frame)
            else:
                piece, wrong = hurt(frame, how, rng)
                if name == "CRSF":
                    wrong = [0] * len(piece)  # no parity: a flipped bit passes the UART unseen
                accidents += bool(piece)
            data += piece
            errors += wrong
            times += [0.01 * (index + 1) + place * spec.uart.byte_s for place in range(len(piece))]
        return spec, whole, accidents, data, times, errors

    def test_timed(self):
        for name in ("SBUS", "CRSF"):
            for seed in range(40):
                with self.subTest(name, seed=seed):
                    spec, whole, accidents, data, times, errors = self.send(name, seed)
                    decoder = spec.decoder()
                    frames = decoder.feed(data, times, errors) + decoder.finish()
                    self.assertEqual([list(frame.raw) for frame in frames if isinstance(frame, ChannelFrame)], whole)
                    bad = sum(isinstance(frame, BadFrame) for frame in frames)
                    self.assertTrue(abs(bad - accidents) <= 1, (bad, accidents))  # one at the very end may still be open

    def test_untimed_crsf_keeps_every_whole_frame(self):
        for seed in range(40):
            _, whole, _, data, _, _ = self.send("CRSF", seed, ("flip",))
            decoder = crsf.CrsfDecoder()
            frames = [list(frame.raw) for frame in decoder.feed(data) + decoder.finish() if isinstance(frame, ChannelFrame)]
            self.assertEqual(frames, whole, seed)

    def test_untimed_sbus_finds_its_step_again(self):
        rng = random.Random(5)
        frames = [[rng.randrange(2048) for _ in range(16)] for _ in range(50)]
        data = b"".join(sbus.encode(raw) for raw in frames)
        for at in (0, 1, 24, 25, 333):
            decoder = sbus.SbusDecoder()
            found = [list(frame.raw) for frame in decoder.feed(data[:at] + b"\x0f\x00\x55" + data[at:]) + decoder.finish() if isinstance(frame, ChannelFrame)]
            self.assertTrue(all(raw in frames for raw in found[3:]), at)
            self.assertGreaterEqual(len(found), 45, at)
