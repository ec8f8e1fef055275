"""An evening at a craft of which everything may be wrong, in the order in which a pilot goes: what was proven stays so, until hands or settings touch what it rests on."""

from __future__ import annotations

import unittest

from linkcore.standins.drives import DrivesTruth
from linkcore.standins.held import BodyTruth
from tests.in_hands import HELD_S, curlew, findings, mend, take_poses, told
from tests.motors import Turner, learn_ends

SEED = 2  # its accelerometer is off, its pack is read wrongly, motors are exchanged and reversed, an ESC does not know its ends


class EveningTest(unittest.TestCase):
    def setUp(self):
        self.hand = curlew(BodyTruth.any(SEED))
        self.hand.do(0, drives=DrivesTruth.any(SEED, self.hand.bench.document, self.hand.bench.parts).model_dump())
        self.turner = Turner(self.hand)

    def test_all_five_proofs_come_one_after_the_other_and_none_goes(self):
        so_far = set()
        for name, step in (
            ("facing", self.facing),
            ("level", self.level),
            ("end points", self.ends),
            ("power", self.power),
            ("motors", self.motors),
            ("motors", self.hover),
        ):
            step()
            so_far.add(name)
            self.assertEqual(set(self.hand.proven("airframe")), so_far, step.__name__)
        airframe = next(each for each in self.hand.report().chain if each.hop == "airframe")
        self.assertEqual((airframe.coin, airframe.why), ("rings true", "proven"))
        self.assertFalse([each for each in findings(self.hand).values() if each.severity == "stop"])
        motors = self.hand.bench.turning.truth.motors.values()
        self.assertEqual({(each.low_us, each.high_us, each.open_phase) for each in motors}, {(1000.0, 2000.0, False)}, "and all of it is so")
        self.assertGreater(self.hand.bench.board.running.drive.idle_percent, max(each.starts_percent for each in motors) + 1)

    def mend_all(self, *codes: str) -> None:
        for code in codes:
            if code in findings(self.hand):
                mend(self.hand, code)

    def facing(self) -> None:
        take_poses(self.hand)
        self.mend_all("airframe.facing")
        self.hand.do(0.4, usb_so=True)

    def level(self) -> None:
        self.hand.do(HELD_S, asking="level")
        mend(self.hand, "airframe.gravity")
        for mark in told(self.hand).marks:  # where the map says that they lie: this board sits at 45 degrees
            self.hand.do(HELD_S, tilt_deg=mark.tilt, towards_deg=mark.towards)
        mend(self.hand, "airframe.gravity")
        self.hand.do(0.3, tilt_deg=0)
        self.hand.do(HELD_S, asking="level")
        self.mend_all("airframe.level")

    def ends(self) -> None:
        for output in ("M1", "M2", "M3", "M4"):
            learn_ends(self.turner, output)

    def power(self) -> None:
        hand = self.hand
        hand.do(0.3, meter_v=told(hand).pack.meter_v)
        self.mend_all("airframe.voltage")
        hand.do(0.2, clamp_a=told(hand).pack.clamp_a)
        hand.do(0.5, switches={"S1": 1})
        hand.do(0.6, left={"x": 0, "y": 0.2})
        hand.do(0.1, clamp_a=told(hand).pack.clamp_a)
        hand.do(0.9, left={"x": 0, "y": -1}, switches={"S1": 0})
        self.mend_all("airframe.current")

    def motors(self) -> None:
        for _ in range(8):
            self.turner.make_ready()
            self.turner.all_of_them(craft=False)
            wrong = [code for code in findings(self.hand) if code.startswith("airframe.motor-") or code == "airframe.idle"]
            if not wrong:
                return
            mend(self.hand, wrong[0])
        self.fail(f"never right: {wrong}")

    def hover(self) -> None:
        """The first: a motor stops, and with a little more none does."""
        self.hand.do(0.3, flown="a motor stopped")
        mend(self.hand, "airframe.idle")
        self.hand.do(0.3, flown="no motor stopped")
        self.assertFalse({"airframe.idle", "airframe.idle-flown"} & set(findings(self.hand)))
