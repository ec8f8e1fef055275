"""Whatever image goes on whatever flash, and wherever it breaks off: a device runs a whole program or none."""

from __future__ import annotations

from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from linkcore.devices.connection import Seen, recovery
from linkcore.devices.firmware import Device, as_made
from linkcore.devices.flash_job import SAFE_TO_STOP, FlashJob, FlashOrder
from linkcore.devices.hexfile import ERASED, Content
from linkcore.devices.image_facts import ImageFacts
from linkcore.hops.load.rules import misplaced
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Board, Flash
from linkcore.standins.bootloader import DeviceKept, StandInBootloader, StandInFlash

READY = Seen(sight="ready", says="")
GONE = Seen(sight="not plugged in", says="Nothing is plugged in.", do="Plug it in.")
FACTS = ImageFacts(target="ANY 1", version="1.0.0")


@st.composite
def flashes(draw) -> Flash:
    page = draw(st.sampled_from((16, 64, 256)))
    sector = page * (-(-256 // page) + draw(st.integers(0, 7)))
    sectors = max(2, -(-4096 // sector)) + draw(st.integers(0, 12))
    start = draw(st.integers(0, 1 << 20))
    return Flash(target="ANY 1", start=start, size=sector * sectors, page=page, sector=sector, page_ms=1, sector_ms=2, ways=("adapter",))


@st.composite
def placed(draw) -> tuple[Flash, Content]:
    flash = draw(flashes())
    offset = draw(st.integers(0, min(600, flash.room - 1)))
    data = draw(st.binary(min_size=1, max_size=min(1500, flash.room - offset)))
    return flash, Content(flash.start + offset, data)


def device(flash: Flash) -> tuple[StandInFlash, Device]:
    part = shipped()["wisp-900"].model_copy(update={"flash": flash})
    found = Device("receiver", part, part.radio, flash)
    return StandInFlash(found, DeviceKept(part=part.id, installed=as_made(found))), found


def job_on(memory: StandInFlash, content: Content, looks, *, full_erase: bool = False) -> FlashJob:
    seen = iter(looks)
    boot = StandInBootloader(memory, "adapter", FACTS, lambda: next(seen, READY), strikes=lambda _: None, finished=lambda _: None)
    order = FlashOrder(role="receiver", image="x", way="adapter", full_erase=full_erase)
    return FlashJob(order, content, memory.flash, boot, device="Any", image_said="any", t=0.0)


class AnyImageTest(SimpleTestCase):
    @settings(max_examples=120, deadline=None)
    @given(placed(), st.booleans())
    def test_every_byte_arrives_and_what_lies_before_it_reads_erased(self, both, full_erase):
        flash, content = both
        self.assertIsNone(misplaced(content.address, len(content.data), flash))
        memory, _ = device(flash)
        job = job_on(memory, content, [], full_erase=full_erase)
        job.run_until(1e6)
        self.assertEqual((job.state.state, job.state.percent), ("done", 100.0))
        offset = content.address - flash.start
        self.assertEqual(bytes(memory.memory[: offset + len(content.data)]), bytes([ERASED]) * offset + content.data)
        self.assertEqual(memory.installed.facts, FACTS)

    @settings(max_examples=120, deadline=None)
    @given(placed(), st.integers(0, 400))
    def test_a_cable_pulled_at_any_step_leaves_the_old_program_or_none_and_a_second_try_works(self, both, steps):
        flash, content = both
        memory, found = device(flash)
        before = memory.installed
        job = job_on(memory, content, [READY] * steps + [GONE] * 1000)
        job.run_until(1e6)
        if job.state.state == "done":
            self.assertEqual(memory.installed.facts, FACTS)
            return
        self.assertEqual(job.state.state, "failed")
        self.assertIn(memory.installed.facts, (None, before.facts))
        whole = memory.installed.facts is not None
        self.assertEqual(whole, steps <= 1, "the first erase takes the old program away")
        self.assertEqual(recovery("receiver", found.name, flash.ways, has_program=whole)[0].startswith("The Wisp 900 still runs"), whole)
        memory.power_up()
        self.assertEqual(memory.runs, whole)
        again = job_on(memory, content, [])
        again.run_until(1e6)
        self.assertEqual((again.state.state, memory.installed.facts), ("done", FACTS))

    @settings(max_examples=60, deadline=None)
    @given(placed(), st.data())
    def test_a_weak_page_is_never_taken_for_a_whole_program(self, both, data):
        flash, content = both
        memory, _ = device(flash)
        pages = -(-(content.end - flash.start) // flash.page)
        job = job_on(memory, content, [])
        t = 0.0
        while job.state.state != "writing":
            t += 0.0005
            job.run_until(t)
        memory.weaken(data.draw(st.integers(job.state.done, max(job.state.done, pages - 1))))
        job.run_until(1e6)
        self.assertEqual((job.state.state, memory.installed.facts), ("failed", None))
        self.assertIn("reads back wrong", job.state.says)

    @settings(max_examples=60, deadline=None)
    @given(placed(), st.floats(0, 3))
    def test_a_stop_is_taken_only_where_it_leaves_something_that_runs_or_says_so(self, both, when):
        flash, content = both
        memory, _ = device(flash)
        job = job_on(memory, content, [])
        job.run_until(when)
        at = job.state.state
        self.assertEqual(job.stop(), at in SAFE_TO_STOP)
        job.run_until(1e6)
        self.assertEqual(job.state.state, "stopped" if at in SAFE_TO_STOP else "done")
        self.assertTrue(job.state.over and job.state.ended_t is not None)


class FactsOfPartsTest(SimpleTestCase):
    def test_flash_that_cannot_be_is_refused(self):
        good = {"target": "ANY 1", "size": 8192, "ways": ["adapter"]}
        self.assertEqual(Flash.model_validate(good).sector, 4096)
        for wrong, says in (
            ({"sector": 4000}, "whole pages"),
            ({"size": 10000}, "whole sectors"),
            ({"size": 4096}, "two sectors at least"),
            ({"ways": []}, "at least 1 item"),
            ({"target": "any"}, "should match pattern"),
            ({"version": "1"}, "should match pattern"),
            ({"size": 32 << 20}, "less than or equal"),
            ({"start": 0xFFFFF000}, "beyond what 32 bits"),
        ):
            with self.assertRaises(ValidationError, msg=wrong) as raised:
                Flash.model_validate(good | wrong)
            self.assertIn(says, str(raised.exception))

    def test_bind_pulses_leave_on_a_pad_that_listens(self):
        merle = shipped()["merle-f4"].model_dump(mode="json", exclude={"inverting_pads"})
        self.assertEqual(Board.model_validate(merle).bind_pads, ("R1",))
        for pad in ("T1", "R9", "G"):
            with self.assertRaisesRegex(ValidationError, f"bind pad {pad}"):
                Board.model_validate(merle | {"bind_pads": [pad]})
