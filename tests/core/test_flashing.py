from __future__ import annotations

from django.test import SimpleTestCase

import scenario
from linkcore.bench.messages import BenchState
from linkcore.devices.board_api import Refused
from linkcore.devices.connection import look
from linkcore.devices.factory import build, factory_facts, flashable, program_kilobytes
from linkcore.devices.firmware import Device, as_made
from linkcore.devices.flash_job import FlashJob, FlashOrder
from linkcore.devices.hexfile import Content
from linkcore.parts.catalogue import shipped
from linkcore.standins.bootloader import DeviceKept, StandInFlash
from scenario.bench import older_receiver
from tests import hazards
from tests.crafts import crsf_craft
from tests.hand import Hand
from tests.hazards import IMAGES


class PlainBootloader:
    """Writes down what it is asked, and keeps bytes as flash does."""

    def __init__(self, flash):
        self.flash, self.asked, self.pages, self.erased = flash, [], {}, set()

    def ask(self, t):
        self.asked.append("ask")
        return t + 0.1

    def erase(self, sector, t):
        self.asked.append(f"erase {sector}")
        self.erased.add(sector)
        return t + 0.01

    def write(self, page, data, t):
        assert page * self.flash.page // self.flash.sector in self.erased
        self.pages[page] = data
        return t + 0.001

    def read(self, page, t):
        return self.pages[page], t + 0.001

    def finish(self, size, sha256, t):
        self.asked.append(f"finish {size}")
        return t + 0.1


class JobTest(SimpleTestCase):
    def job(self, content, **order):
        device = flashable(shipped()["wisp-900"])
        boot = PlainBootloader(device.flash)
        job = FlashJob(FlashOrder(role="receiver", image="x", way="bridge", **order), content, device.flash, boot, device="W", image_said="I", t=0.0)
        return job, boot, device.flash

    def test_the_record_goes_first_and_only_what_is_needed_is_erased(self):
        flash = flashable(shipped()["wisp-900"]).flash
        job, boot, _ = self.job(Content(flash.start + 100, bytes(range(256)) * 20))
        job.run_until(100)
        self.assertEqual(job.state.state, "done")
        self.assertEqual(boot.asked, ["ask", "erase 63", "erase 0", "erase 1", "finish 5220"])
        written = b"".join(boot.pages[page] for page in sorted(boot.pages))
        self.assertEqual(written[:5220], b"\xff" * 100 + bytes(range(256)) * 20)
        self.assertEqual(set(written[5220:]), {0xFF})
        job, boot, _ = self.job(Content(flash.start, b"x"), full_erase=True)
        job.run_until(100)
        self.assertEqual(len(boot.erased), flash.size // flash.sector)

    def test_it_moves_on_with_the_clock_alone_and_its_share_only_grows(self):
        flash = flashable(shipped()["wisp-900"]).flash
        job, _, _ = self.job(Content(flash.start, bytes(20000)))
        shares, states = [], []
        for tick in range(600):
            job.run_until(tick * 0.001)
            shares.append(job.state.percent)
            states.append(job.state.state)
        self.assertEqual(shares, sorted(shares))
        self.assertEqual(
            [state for index, state in enumerate(states) if index == 0 or state != states[index - 1]], ["erasing", "writing", "verifying", "restarting", "done"]
        )
        self.assertEqual(shares[-1], 100)

    def test_it_stops_only_where_that_is_safe(self):
        flash = flashable(shipped()["wisp-900"]).flash
        for at, may in ((-1, True), (0.12, False), (0.2, False)):
            job, _boot, _ = self.job(Content(flash.start, bytes(60000)))
            job.run_until(at)
            self.assertEqual((job.state.can_stop, job.stop()), (may, may), job.state.state)
            job.run_until(50)
            self.assertEqual(job.state.state, "stopped" if may else "done")


class MemoryTest(SimpleTestCase):
    def memory(self):
        part = shipped()["wisp-900"]
        device = Device("receiver", part, part.radio, part.flash)
        return StandInFlash(device, DeviceKept(part=part.id, installed=as_made(device))), device

    def test_it_holds_the_very_program_that_its_maker_ships(self):
        memory, device = self.memory()
        made = flashable(device.part)
        program = build(factory_facts(made), made.flash, program_kilobytes(device.part)).data
        self.assertEqual(bytes(memory.memory[: len(program)]), program)

    def test_writing_clears_bits_and_erasing_sets_them(self):
        memory, _ = self.memory()
        before = memory.read(0)
        memory.write(0, b"\x0f" * 256)
        self.assertEqual(memory.read(0), bytes(byte & 0x0F for byte in before), "flash that was not erased keeps its zeros")
        memory.erase(0)
        self.assertEqual(memory.read(0), b"\xff" * 256)
        self.assertIsNone(memory.installed.facts)
        memory.weaken(1)
        memory.write(1, b"\x55" * 256)
        self.assertNotEqual(memory.read(1), b"\x55" * 256)
        memory.erase(0)
        memory.write(1, b"\x55" * 256)
        self.assertEqual(memory.read(1), b"\x55" * 256)


class LookTest(SimpleTestCase):
    def test_a_busy_port_a_charge_only_cable_and_a_missing_driver_are_told_apart(self):
        seen = {"plugged": True, "device_shows": True, "port_shows": True, "held_by": "", "answers": True, "name": "X"}
        cases = {
            "ready": {},
            "not plugged in": {"plugged": False, "device_shows": False, "port_shows": False},
            "supply only": {"device_shows": False, "port_shows": False},
            "no driver": {"port_shows": False},
            "busy": {"held_by": "a terminal"},
            "no answer": {"answers": False},
        }
        told = {sight: look(**(seen | change)) for sight, change in cases.items()}
        self.assertEqual({sight: found.sight for sight, found in told.items()}, {sight: sight for sight in cases})
        self.assertEqual(len({found.says for found in told.values()}), len(cases))
        self.assertTrue(all(found.do for sight, found in told.items() if sight != "ready"))


class BenchFlashTest(SimpleTestCase):
    def pilot(self, craft=None, **state) -> Hand:
        craft = craft or crsf_craft()
        hand = Hand(craft, BenchState(stored=craft.settings, running=craft.settings, read_back=craft.settings, usb=True, **state))
        hand.passes(1.5)
        return hand

    def order(self, hand, name, role, way, **more):
        facts, content = IMAGES[name]
        return hand.bench.loading.start(FlashOrder(role=role, image=name, way=way, **more), content, facts, hand.bench.t)

    def finish(self, hand, job):
        for _ in range(400):
            if job.over:
                return
            hand.passes(0.1)

    def test_a_receiver_is_flashed_through_the_board_and_the_link_follows_its_firmware(self):
        hand = self.pilot()
        job = self.order(hand, "wisp-900-5.4.1-868.hex", "receiver", "bridge")
        hand.passes(1)
        self.assertEqual(hand.bench.live().light, hand.bench.receiver_part.binding.lights["bootloader"])
        self.assertNotIn("load.no-program", hand.codes())
        self.finish(hand, job)
        hand.passes(2)
        self.assertEqual((job.state, hand.board.link, hand.report().told.load.link.verdict), ("done", "lost", "do not match"))
        self.assertIn("load.ends-silent", hand.codes())
        self.finish(hand, self.order(hand, "wisp-900-6.1.0-868.hex", "receiver", "bridge"))
        hand.passes(2)
        self.assertEqual((hand.board.link, hand.coins()["load"]), ("good", "rings true"))

    def test_less_firmware_carries_less(self):
        hand = self.pilot()
        self.finish(hand, self.order(hand, "wisp-900-6.0.0-868.hex", "receiver", "bridge"))
        hand.passes(2)
        self.assertEqual(hand.report().told.load.link.verdict, "talks with less")
        hand.do(1.0, switches={"S5": 1, "S6": 1})
        channels = hand.board.channels
        self.assertEqual([round(us) for us in channels[8:10]], [1500, 1500], "channels 9 and up stay where they rest")
        self.assertGreater(channels[4], 0)

    def test_a_pulled_cable_leaves_a_bootloader_and_the_tool_says_how_to_go_on(self):
        hand = self.pilot()
        hand.do(0.1, fault={"kind": "cable pulled", "at_percent": 40})
        job = self.order(hand, "wisp-900-6.1.0-868.hex", "receiver", "bridge")
        self.finish(hand, job)
        self.assertEqual((job.state, round(job.percent), hand.bench.usb), ("failed", 40, False))
        self.assertIn("not lost", job.recover[0])
        self.assertIn("through the board", job.recover[1])
        hand.passes(1)
        self.assertIn("load.no-program", hand.codes())
        air = next(way for way in hand.report().told.load.devices[1].ways if way.way == "over the air")
        self.assertIn("needs it", air.seen.says)
        hand.do(1.5, usb=True)
        job = self.order(hand, "wisp-900-6.1.0-868.hex", "receiver", "bridge")
        self.finish(hand, job)
        hand.passes(2)
        self.assertEqual((job.state, hand.board.link), ("done", "good"))

    def test_a_bad_page_is_found_by_reading_back(self):
        hand = self.pilot()
        hand.do(0.1, fault={"kind": "bad page", "at_percent": 50})
        job = self.order(hand, "wisp-900-6.1.0-868.hex", "receiver", "bridge")
        self.finish(hand, job)
        self.assertEqual(job.state, "failed")
        self.assertRegex(job.says, r"page \d+ reads back wrong: [0-9A-F]{8} holds [0-9A-F]{2}, [0-9A-F]{2} was written")
        self.finish(hand, again := self.order(hand, "wisp-900-6.1.0-868.hex", "receiver", "bridge"))
        self.assertEqual(again.state, "done")

    def test_what_stands_in_the_way_is_told_before_anything_is_erased(self):
        for kind, says in (("busy port", "has it open"), ("charge-only cable", "no data"), ("no driver", "driver is missing")):
            hand = self.pilot()
            hand.do(0.1, fault={"kind": kind})
            job = self.order(hand, "ouzel-h7-4.3.1.hex", "board", "request")
            self.finish(hand, job)
            self.assertEqual(job.state, "failed")
            self.assertIn(says, job.says)
            self.assertIn("nothing was erased", job.recover[0])
            hand.passes(1.5)
            self.assertEqual(hand.bench.board.booting(hand.bench.t), False)

    def test_a_board_starts_without_settings_after_a_full_erase_and_keeps_them_otherwise(self):
        hand = self.pilot()
        self.finish(hand, self.order(hand, "ouzel-h7-4.3.1.hex", "board", "request"))
        hand.passes(2)
        self.assertEqual((hand.bench.board.stored, hand.board.link), (hand.bench.document.settings, "good"))
        self.finish(hand, self.order(hand, "ouzel-h7-4.3.1.hex", "board", "request", full_erase=True))
        hand.passes(2)
        self.assertEqual(set(hand.bench.board.stored.ports.values()), {"free"})
        self.assertIn("/ports/U6", [each.path for each in hand.report().differences], "the screen knows that the board is blank")
        self.finish(hand, self.order(hand, "ouzel-h7-5.0.0.hex", "board", "request"))
        hand.passes(2)
        held = hand.bench.document.settings.model_copy(deep=True)
        held.lost_link.throttle_fallback = "hold"
        hand.bench.write(held)
        self.assertEqual(hand.bench.read_back().lost_link.throttle_fallback, "low", "this version no longer has it")

    def test_the_bootloader_button_gets_a_board_back_that_no_longer_answers(self):
        hand = self.pilot()
        hand.do(0.1, fault={"kind": "power lost", "at_percent": 60})
        job = self.order(hand, "ouzel-h7-4.3.1.hex", "board", "request")
        self.finish(hand, job)
        self.assertEqual((job.state, hand.bench.powered), ("failed", False))
        with self.assertRaisesRegex(Refused, "bootloader"):
            hand.do(1.5, usb=True)
            hand.bench.read_back()
        hand.do(0.2, usb=False)
        hand.do(0.2, boot_button=True)
        hand.do(1.0, usb=True)
        job = self.order(hand, "ouzel-h7-4.3.1.hex", "board", "button")
        self.finish(hand, job)
        self.assertEqual(job.state, "done")

    def test_one_job_a_device_and_the_bridge_needs_the_board(self):
        hand = self.pilot()
        first = self.order(hand, "wisp-900-6.1.0-868.hex", "receiver", "bridge")
        with self.assertRaisesRegex(Refused, "already"):
            self.order(hand, "wisp-900-6.1.0-868.hex", "receiver", "adapter")
        with self.assertRaisesRegex(Refused, "through the board"):
            self.order(hand, "ouzel-h7-4.3.1.hex", "board", "request")
        with self.assertRaisesRegex(Refused, "its ways are"):
            self.order(hand, "wisp-900-6.1.0-868.hex", "receiver", "button")
        self.finish(hand, first)
        self.finish(hand, job := self.order(hand, "ouzel-h7-4.3.1.hex", "board", "request"))
        self.assertEqual(job.state, "done")

    def test_avocets_bridge_is_blocked_until_its_clash_is_solved(self):
        craft = scenario.avocet()
        state = older_receiver(craft).model_copy(update={"usb": True})
        hand = Hand(craft, state)
        hand.passes(1.5)
        seen = {way.way: way.seen for device in hand.report().told.load.devices if device.role == "receiver" for way in device.ways}
        self.assertEqual(seen["bridge"].sight, "no answer")
        self.assertIn("ESC", seen["bridge"].says)
        self.assertIn("There is no link", seen["over the air"].says)

    def test_random_mishaps_leave_nothing_that_cannot_be_brought_back(self):
        for seed in range(12):
            outcome = hazards.mishap(crsf_craft(), seed)
            self.assertTrue(hazards.right(outcome), outcome)
