"""A key that is held, through the real server: whose it is the server says, it is never asked for too often, and what is so of a craft's motors is kept."""

from __future__ import annotations

import json
import time

import scenario
from server.bench.models import BenchRecord
from server.workshops.models import Membership
from tests.server.base import make_craft
from tests.server.viewer import PATIENCE_S, OnTheSocket

EVERY_S = 0.05
TURNS_WITHIN = 60  # holds


class HeldKeyTest(OnTheSocket):
    def setUp(self):
        super().setUp()
        self.craft = make_craft(scenario.curlew(), "Curlew with its props off")

    def ready(self, viewer):
        viewer.say(type="look", hop="airframe")
        viewer.until("report", lambda report: report["told"].get("airframe"))
        viewer.say(type="hands", props_off=True, by="somebody else")
        viewer.until("report", lambda report: report["told"].get("airframe") and not report["told"]["airframe"]["motors"]["locked"])

    def ended(self, viewer):
        """What is told of the motors once one has stopped."""
        said = viewer.until("report", lambda report: report["told"].get("airframe") and report["told"]["airframe"]["motors"]["stage"] == "answer")
        return said["told"]["airframe"]["motors"]

    def hold(self, viewer, press):
        """The key is down until something turns, which is said anew 20 times a second; under another's name, which the server corrects."""
        for _ in range(TURNS_WITHIN):
            viewer.say(type="hands", turn="M1", press=press, by="nobody")
            viewer.passes(EVERY_S)
            if viewer.now("live")["turn"]["output"] == "M1":
                return
        self.fail("M1 never turned")

    def test_a_hold_is_its_sender_s_whoever_they_say_they_are_and_another_person_ends_it(self):
        with self.viewer("wren") as wren, self.viewer("teal") as teal:
            self.ready(wren)
            self.hold(wren, "mine")
            teal.say(type="hands", turn="M1", press="theirs", by="somebody else")
            teal.passes(EVERY_S)
            motors = self.ended(wren)
        self.assertEqual(motors["ended"]["why"], "somebody else took the key")
        self.assertEqual(motors["props_off_s"], 0)

    def test_a_hundred_holds_are_never_asked_for_too_often_and_letting_go_is_heard_behind_them(self):
        with self.viewer("wren") as wren:
            self.ready(wren)
            self.hold(wren, "many")
            for _ in range(120):
                wren.say(type="hands", turn="M1", press="many")
            wren.say(type="hands", let_go=True)
            self.assertEqual(self.ended(wren)["ended"]["why"], "the key was let go")

    def test_a_reader_turns_nothing_and_what_cannot_be_is_refused_whole(self):
        with self.viewer("wren") as wren:
            for wrong in ({"turn": "M1"}, {"turn": "M9", "press": "x"}, {"moved": "front left", "moved_turns": "clockwise"}, {"swap_wires": "nothing"}):
                wren.say(type="hands", transmitter_on=False, **wrong)
                wren.until("trouble")
                self.assertTrue(wren.until("live")["transmitter_on"])
            wren.say_raw(json.dumps({"type": "hands", "turn": "x" * 41, "press": "y"}))
            self.assertIn("turn", wren.until("trouble")["text"])
        Membership.objects.filter(user__username="teal").update(role="reader")
        with self.viewer("teal") as teal:
            teal.say(type="hands", turn="M1", press="x")
            self.assertIn("you are a reader", teal.until("trouble")["text"])

    def test_what_is_so_of_the_motors_is_kept_and_in_no_document(self):
        with self.viewer("wren") as wren:
            wren.say(type="hands", swap_wires="M2")
            wren.until("live")
            until = time.monotonic() + PATIENCE_S
            while time.monotonic() < until:
                kept = BenchRecord.objects.get(craft=self.craft).read().drives
                if kept and kept.motors["M2"].turns == "clockwise":
                    break
                wren.until("live")
        self.assertEqual(kept.motors["M2"].turns, "clockwise")
        self.craft.refresh_from_db()
        self.assertNotIn("drives", self.craft.document)
