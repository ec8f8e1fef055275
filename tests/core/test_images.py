from __future__ import annotations

import itertools
import random
from dataclasses import replace

from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

import scenario
from linkcore.craft.document import BoardSettings, LostLink, StickLines, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.devices.carry_over import carry_over, without_dropped
from linkcore.devices.factory import factory_facts, flashable
from linkcore.devices.firmware import Installed, air, all_as_made, devices_of
from linkcore.devices.hexfile import ERASED, Content, read_binary, read_hex, write_hex
from linkcore.devices.image_facts import ImageError, ImageFacts, SettingsFormat, facts_in, header, settle
from linkcore.devices.outlook import OnShelf, outlook, ways_to_talk
from linkcore.findings import Edit
from linkcore.hops.load.rules import check_load, fitting, judge
from linkcore.parts.catalogue import shipped
from scenario.images import scenario_images
from tests.crafts import crsf_craft, sbus_craft

SHELF = [OnShelf(name, facts, len(content.data), content.address, content.sha256) for name, facts, content in scenario_images(shipped())]
BY_NAME = {each.key: each for each in SHELF}


def record(kind: int, address: int, data: bytes) -> bytes:
    """One line of Intel HEX, its checksum reckoned here by the standard's words: the two's complement of the sum."""
    body = bytes((len(data), address >> 8, address & 0xFF, kind)) + data
    return b":" + (body + bytes((-sum(body) & 0xFF,))).hex().upper().encode() + b"\n"


END = b":00000001FF\n"


class HexTest(SimpleTestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.tuples(st.integers(0, 0x3FFFF), st.binary(min_size=1, max_size=40)), min_size=1, max_size=12), st.randoms())
    def test_records_in_any_order_come_out_where_they_belong(self, placed, rng):
        free = {}
        kept = []
        for address, data in placed:  # leave out what would overlap, or run over a 64 kB edge
            cells = range(address, address + len(data))
            if (address & 0xFFFF) + len(data) <= 0x10000 and not any(cell in free for cell in cells):
                free.update(zip(cells, data, strict=True))
                kept.append((address, data))
        if not kept:
            return
        rng.shuffle(kept)
        text = b"".join(record(4, 0, (address >> 16).to_bytes(2, "big")) + record(0, address & 0xFFFF, data) for address, data in kept) + END
        content = read_hex(text)
        self.assertEqual((content.address, content.end), (min(free), max(free) + 1))
        self.assertEqual(content.data, bytes(free.get(cell, ERASED) for cell in range(content.address, content.end)))
        self.assertEqual(sum(length for _, length in content.gaps), len(content.data) - len(free))
        self.assertEqual(read_hex(write_hex(content)).data, content.data)

    def test_segments_and_start_addresses(self):
        text = record(2, 0, b"\x10\x00") + record(0, 0x10, b"\x01\x02") + record(3, 0, b"\x10\x00\x00\x10") + END
        content = read_hex(text)
        self.assertEqual((content.address, content.data, content.start), (0x10010, b"\x01\x02", 0x10010))
        self.assertEqual(read_hex(record(0, 0, b"x") + record(5, 0, b"\x08\x00\x40\x01") + END).start, 0x08004001)

    def test_each_fault_names_its_line_and_what_to_do(self):
        good = record(0, 0, bytes(16)) + record(0, 16, bytes(16))
        cases = {
            good + b":10002000" + b"00" * 16 + b"D1\n" + END: "line 3: the record's checksum says D1, its bytes give D0",
            good + record(9, 0, b"") + END: "line 3: record type 09 is none",
            good + b":1000200000\n" + END: "line 3: the record's length does not fit",
            good + b":1000\n" + END: "line 3: the record's length does not fit",
            good + b"10002000\n" + END: "line 3: a record begins with a colon",
            good + b":10002000" + b"0G" * 16 + b"D0\n" + END: "line 3: 'G' is no hexadecimal digit",
            good + END + record(0, 32, b"x"): "line 4: there is more after the end record in line 3",
            good: "no end record",
            END: "no data record",
            good + record(0, 8, bytes(4)) + END: "line 3: the record writes to 00000008, where line 1 has written already",
            good + record(0, 0xFFF8, bytes(16)) + END: "line 3: the record begins at FFF8 and runs over",
            good + record(4, 0, b"\x02\x00") + record(0, 0, b"x") + END: "32.0 MB apart",
            good + record(4, 0, b"\x02") + END: "line 3: a record of type 04 has 2 bytes, and this one 1",
            b"": "no end record",
        }
        for text, says in cases.items():
            with self.assertRaises(ImageError) as raised:
                read_hex(text)
            self.assertIn(says, str(raised.exception))

    def test_a_file_of_empty_lines_is_refused_without_being_held(self):
        with self.assertRaisesMessage(ImageError, "more than 2,097,152 lines"):
            read_hex(b"\n" * (3 << 20))
        old = b":0100000001FE\r:00000001FF\r"
        self.assertEqual(read_hex(old).data, b"\x01")

    def test_a_damaged_letter_never_passes_as_another_image(self):
        content = BY_CONTENT["wisp-900-6.1.0-868.hex"]
        text = write_hex(Content(content.address, content.data[:512]))
        rng = random.Random(5)
        for _ in range(300):
            at = rng.randrange(len(text) - len(END))
            if text[at : at + 1] == b"\n":
                continue
            damaged = text[:at] + rng.choice(b"0123456789ABCDEF:G").to_bytes(1, "big") + text[at + 1 :]
            if damaged != text:
                with self.assertRaises(ImageError, msg=at):
                    read_hex(damaged)

    def test_empty_and_too_large_binaries(self):
        for data, says in ((b"", "zero bytes"), (bytes((16 << 20) + 1), "larger than 16 MB")):
            with self.assertRaises(ImageError) as raised:
                read_binary(data)
            self.assertIn(says, str(raised.exception))
        self.assertFalse(read_binary(b"x").placed)


BY_CONTENT = {name: content for name, _, content in scenario_images(shipped())}


class HeaderTest(SimpleTestCase):
    def test_every_image_that_ships_says_what_it_is_and_fits_its_target(self):
        targets = {device.flash.target: device for part in shipped().values() if (device := flashable(part)) is not None}
        self.assertEqual({each.facts.target for each in SHELF}, set(targets))
        for name, facts, content in scenario_images(shipped()):
            self.assertEqual(facts_in(content.data), facts, name)
            flash = targets[facts.target].flash
            self.assertTrue(flash.start == content.address and len(content.data) <= flash.room, name)
        self.assertEqual(len({each.sha256 for each in SHELF}), len(SHELF))
        for target in targets:
            of_it = [each.facts for each in SHELF if each.facts.target == target]
            self.assertGreaterEqual(len({facts.version for facts in of_it}), 3, target)

    def test_a_damaged_header_is_no_header_of_another_kind(self):
        facts = ImageFacts(target="X 1", version="1.0.0")
        whole = bytes(32) + header(facts)
        self.assertEqual(facts_in(whole), facts)
        self.assertIsNone(facts_in(bytes(33) + header(facts)), "not at a multiple of 16")
        for at in range(32 + 8, len(whole)):
            with self.assertRaises(ImageError):
                facts_in(whole[:at] + bytes((whole[at] ^ 1,)) + whole[at + 1 :])

    def test_the_form_may_not_contradict_the_header(self):
        inside = ImageFacts(target="X 1", version="1.0.0", region="FCC")
        self.assertEqual(settle(inside, None), inside)
        self.assertEqual(settle(inside, ImageFacts(target="X 1", version="1.0.0")), inside)
        for beside, says in (
            (ImageFacts(target="X 2", version="1.0.0"), "the form says target X 2, the image's own header says X 1"),
            (ImageFacts(target="X 1", version="1.0.0", region="LBT"), "the form says region LBT"),
            (ImageFacts(target="X 1", version="1.0.0", band="2.4 GHz"), "header says none"),
        ):
            with self.assertRaises(ImageError) as raised:
                settle(inside, beside)
            self.assertIn(says, str(raised.exception))
        with self.assertRaises(ImageError):
            settle(None, None)


class JudgeTest(SimpleTestCase):
    def setUp(self):
        self.craft = apply_edits(crsf_craft(), [Edit(path="/wants/region", value="868")])
        self.parts = KitParts.of(self.craft)
        self.devices = devices_of(self.parts)
        self.installed = all_as_made(self.devices, self.craft)

    def judged(self, name: str, role: str = "receiver", **changes):
        image = BY_NAME[name]
        if changes:
            image = OnShelf(image.key, image.facts, **({"size": image.size, "address": image.address, "sha256": image.sha256} | changes))
        return judge(image, self.devices[role], self.craft, self.devices, self.installed)

    def test_what_cannot_be_flashed_takes_nothing(self):
        made = replace(self.devices["receiver"], flash=None)
        judged = judge(BY_NAME["wisp-900-6.1.0-868.hex"], made, self.craft, self.devices | {"receiver": made}, self.installed)
        self.assertEqual((judged.may, [each.code for each in judged.findings]), ("no", ["load.no-flash"]))

    def test_what_may_go_on_and_what_the_link_is_then(self):
        cases = {
            "wisp-900-6.1.0-868.hex": ("yes", [], "talks"),
            "wisp-900-6.0.0-868.hex": ("yes, but", ["load.less", "load.older"], "talks with less"),
            "wisp-900-5.4.1-868.hex": ("yes, but", ["load.ends-part", "load.older"], "do not match"),
            "wisp-900-6.1.0-915.hex": ("yes, but", ["load.other-region", "load.ends-part"], "do not match"),
            "wisp-900-6.1.1-fcc.hex": ("no", ["load.wrong-region"], "do not match"),
            "wisp-900-6.1.2-868.hex": ("no", ["load.wrong-band"], "do not match"),
            "wisp-900-7.0.0-868.hex": ("no", ["load.bootloader"], "do not match"),
            "wisp-24-6.1.0-fcc.hex": ("no", ["load.wrong-target", "load.wrong-band", "load.wrong-region"], "do not match"),
            "ouzel-h7-4.3.1.hex": ("no", ["load.wrong-target", "load.address"], "talks"),
        }
        for name, (may, codes, verdict) in cases.items():
            found = self.judged(name)
            self.assertEqual((found.may, [each.code for each in found.findings], found.link.verdict), (may, codes, verdict), name)
        board = self.judged("ouzel-h7-5.0.0.hex", "board")
        self.assertEqual((board.may, [each.code for each in board.findings], board.link), ("yes", ["load.settings-anew"], None))

    def test_size_and_place(self):
        flash = self.devices["receiver"].flash
        self.assertEqual([each.code for each in self.judged("wisp-900-6.1.0-868.hex", size=flash.room).findings], [])
        self.assertEqual([each.code for each in self.judged("wisp-900-6.1.0-868.hex", size=flash.room + 1).findings], ["load.too-large"])
        self.assertEqual([each.code for each in self.judged("wisp-900-6.1.0-868.hex", address=flash.start - 16).findings], ["load.address"])
        beyond = flash.start + flash.room - 16
        self.assertEqual([each.code for each in self.judged("wisp-900-6.1.0-868.hex", address=beyond).findings], ["load.address"])

    def test_a_program_that_begins_outside_its_image_may_not_go_on(self):
        image = BY_NAME["wisp-900-6.1.0-868.hex"]
        inside, outside = (image.address, image.address + image.size - 1), (image.address - 1, image.address + image.size)
        for start in inside:
            self.assertEqual(self.judged("wisp-900-6.1.0-868.hex", start=start).may, "yes")
        for start in outside:
            judged = self.judged("wisp-900-6.1.0-868.hex", start=start)
            self.assertEqual((judged.may, [each.code for each in judged.findings]), ("no", ["load.start"]))

    def test_the_shortest_way_is_what_trying_everything_finds(self):
        radios = {role: self.devices[role] for role in ("transmitter", "receiver")}
        for sender, listener in itertools.product(
            [each for each in SHELF if each.facts.target == "WISP NEST 900"], [each for each in SHELF if each.facts.target == "WISP 900"]
        ):
            runs = dict(self.installed)
            runs["transmitter"] = runs["transmitter"].model_copy(update={"facts": sender.facts})
            runs["receiver"] = runs["receiver"].model_copy(update={"facts": listener.facts})
            ways = ways_to_talk(self.devices, runs, fitting(SHELF, self.craft, self.devices, runs))
            fewest = self.tried(runs, radios)
            self.assertEqual(len(ways[0].steps) if ways else None, fewest, (sender.key, listener.key))
            for way in ways:
                after = dict(runs) | {step.role: Installed(facts=step.image.facts) for step in way.steps}
                self.assertEqual(outlook(*air(self.devices, after)), way.then)
                self.assertNotEqual(way.then.verdict, "do not match")

    def tried(self, runs, radios):
        """The fewest images that end the silence, by trying every pair."""
        best = None
        choices = {}
        for role, device in radios.items():
            may = []
            for image in SHELF:
                judged = judge(image, device, self.craft, self.devices, runs)
                if judged.may != "no" and image.facts.region in (None, "868"):
                    may.append(image.facts)
            choices[role] = [runs[role].facts, *may]
        for sender, listener in itertools.product(*(enumerate(choices[role]) for role in ("transmitter", "receiver"))):
            speaks = (radios["transmitter"].speaks(sender[1]), radios["receiver"].speaks(listener[1]))
            if outlook(*speaks).verdict != "do not match":
                count = (sender[0] > 0) + (listener[0] > 0)
                best = count if best is None else min(best, count)
        return best

    def test_findings_about_what_is_installed(self):
        self.assertEqual(check_load(self.craft, self.devices, self.installed), [])
        older = dict(self.installed)
        older["receiver"] = older["receiver"].model_copy(update={"facts": BY_NAME["wisp-900-5.4.1-868.hex"].facts})
        self.assertEqual([each.code for each in check_load(self.craft, self.devices, older)], ["load.ends-silent"])
        gone = dict(self.installed) | {"transmitter": Installed()}
        self.assertEqual([each.code for each in check_load(self.craft, self.devices, gone)], ["load.no-program"])
        there = dict(self.installed)
        for role, name in (("receiver", "wisp-900-6.0.2-915.hex"), ("transmitter", "wisp-nest-900-6.0.2-915.hex")):
            there[role] = there[role].model_copy(update={"facts": BY_NAME[name].facts})
        self.assertEqual([each.code for each in check_load(self.craft, self.devices, there)], ["load.other-region"] * 2)

    def test_every_demo_craft_but_avocet_talks_as_it_was_made(self):
        for make in scenario.CRAFTS:
            craft = make()
            devices = devices_of(KitParts.of(craft))
            if {"receiver", "transmitter"} <= set(devices):
                self.assertEqual(check_load(craft, devices, all_as_made(devices, craft)), [], craft.name)
        merle = flashable(shipped()["merle-f7"])
        self.assertEqual(factory_facts(merle).version, merle.flash.version)


class CarryOverTest(SimpleTestCase):
    def test_what_comes_back_what_is_renamed_and_what_is_gone(self):
        kept = sbus_craft().settings.model_copy(deep=True)
        kept.lost_link = LostLink(grace_ms=600, throttle_fallback="hold", response="land")
        kept.stick_lines = StickLines(low=1090, high=1910)
        form = SettingsFormat(dropped=("lost_link/throttle_fallback",), renamed={"stick_lines": "stick ends", "channel_map": "order"})
        blank = BoardSettings(ports=dict.fromkeys(kept.ports, "free"))
        found = carry_over(kept, blank, form)
        says = {line.path: (line.says, line.kept, line.now, line.new_name) for line in found.lines}
        self.assertEqual(says["lost_link/throttle_fallback"], ("dropped", "hold", "low", ""))
        self.assertEqual(says["lost_link/grace_ms"], ("comes back", "600 ms", "400 ms", ""))
        self.assertEqual(says["stick_lines/low"], ("renamed", "1090 us", "1080 us", "stick ends"))
        self.assertEqual(says["channel_map"], ("as it is", "AETR", "AETR", "order"))
        self.assertEqual([line.path for line in found.lost], ["lost_link/throttle_fallback"])
        craft = sbus_craft()
        back = apply_edits(craft, found.edits).settings
        self.assertEqual(back, without_dropped(kept, form))
        self.assertEqual((back.lost_link.throttle_fallback, back.lost_link.grace_ms, back.stick_lines), ("low", 600, kept.stick_lines))

    def test_nothing_dropped_nothing_changed(self):
        kept = sbus_craft().settings
        self.assertEqual(without_dropped(kept, SettingsFormat()), kept)
        self.assertEqual(carry_over(kept, kept, SettingsFormat()).lines, [])
