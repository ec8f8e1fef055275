"""The craft in hands in the real server process: who may hold it, what is refused whole, and what is kept."""

from __future__ import annotations

import scenario
from server.bench.models import BenchRecord
from server.workshops.models import Membership
from tests.server.base import make_craft
from tests.server.viewer import OnTheSocket


class InHandsTest(OnTheSocket):
    def setUp(self):
        super().setUp()
        self.craft = make_craft(scenario.curlew(), "Curlew by the sea")

    def told(self, viewer, holds):
        """What is told of the Airframe, once it is so."""
        report = viewer.until("report", lambda report: report["told"].get("airframe") and holds(report["told"]["airframe"]))
        return report["told"]["airframe"]

    def test_a_reader_looks_on_a_checker_holds_it_and_only_a_builder_changes_what_is_so(self):
        self.write_and_restart()
        teal = Membership.objects.filter(user__username="teal")
        teal.update(role="reader")
        with self.viewer("teal") as viewer:
            for hands in ({"towards_deg": 0}, {"asking": "facing"}, {"meter_v": 16}, {"usb_so": True}):
                viewer.say(type="hands", **hands)
                self.assertIn("you are a reader", viewer.until("trouble")["text"])
        teal.update(role="checker")
        with self.viewer("teal") as viewer:
            viewer.say(type="look", hop="airframe")
            viewer.say(type="hands", body={"sits": {"yaw_deg": 180}})
            self.assertIn("you are a checker", viewer.until("trouble")["text"])
            viewer.say(type="hands", asking="facing", tilt_deg=0)
            self.told(viewer, lambda told: any(mark["taken"] for mark in told["marks"]))

    def test_hands_out_of_their_bounds_or_of_what_can_be_are_refused_whole(self):
        self.write_and_restart()
        with self.viewer() as viewer:
            for wrong in (
                {"towards_deg": 181},
                {"turn_deg": -200},
                {"asking": "everything"},
                {"meter_v": -1},
                {"meter_v": 101},
                {"clamp_a": 501},
                {"put_back_mah": 1e9},
                {"cells_told": 15},
                {"pack_here": "x" * 61},
                {"body": {"sits": {"yaw_deg": 999}}},
            ):
                viewer.say(type="hands", transmitter_on=False, **wrong)
                self.assertIn(next(iter(wrong)), viewer.until("trouble")["text"])
                self.assertTrue(viewer.until("live")["transmitter_on"], "nothing of a message that is refused is done")
            for wrong, said in (
                ({"meter_v": 0}, "the meter reads 0 V"),
                ({"pack_here": "tussock-9"}, "no pack tussock-9"),
                ({"usb_so": True}, "not been found yet"),
            ):
                viewer.say(type="hands", transmitter_on=False, **wrong)
                self.assertIn(said, viewer.until("trouble")["text"])
                self.assertTrue(viewer.until("live")["transmitter_on"])

    def test_two_browsers_see_one_craft_in_hands_and_it_is_kept(self):
        self.write_and_restart()
        with self.viewer("wren") as wren, self.viewer("teal") as teal:
            wren.say(type="look", hop="airframe")
            teal.say(type="look", hop="airframe")
            wren.say(type="hands", tilt_deg=40, towards_deg=0)
            self.assertEqual(self.told(teal, lambda told: told["hands"]["tilt"] == 40)["hands"]["pitch"], -40)
            teal.say(type="hands", tilt_deg=0, meter_v=16.6)
            self.assertEqual(self.told(wren, lambda told: told["pack"]["told_v"] is not None)["pack"]["counts"], [4])
        self.wait_kept(lambda state: state.airframe.pack_v == 16.6)
        state = BenchRecord.objects.get(craft=self.craft).read()
        self.assertIsNotNone(state.body)

    def wait_kept(self, holds):
        """Look at the bench's record until it is so; a bench that nobody looks at any more is put away."""
        with self.viewer() as viewer:
            while not holds(BenchRecord.objects.get(craft=self.craft).read()):
                viewer.until("live")
