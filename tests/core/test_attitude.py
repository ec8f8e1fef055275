"""What a board makes of its readings, and what the bench lets it read: against rotations made another way."""

from __future__ import annotations

import math
import random
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

import scenario
from linkcore.craft.document import AccelerometerSetup, BoardSettings, CraftDocument, LevelTrim, apply_edits
from linkcore.craft.facing import Facing, attitude_deg, tilt_deg, tipped
from linkcore.craft.parts import KitParts
from linkcore.devices.attitude import craft_pull, level_for, level_pull, roll_pitch_deg
from linkcore.devices.pack import counted_cells, open_volts, shown_a, shown_mah, shown_v
from linkcore.hops.airframe.facing import FacingError, find_facing
from linkcore.hops.airframe.measure import AirframeMeasure, AmpsRead, ChargeRead, CompassAt, LevelRead, VoltsRead
from linkcore.hops.airframe.rules import check_measured, check_set
from linkcore.hops.airframe.view import READS
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Pack
from linkcore.reads import Whole
from linkcore.standins.held import UP, BodyTruth, HeldCraft
from linkcore.wiring.outputs import SURFACES, fits, outputs_for, wired_outputs
from tests.boards import poses_of, turned_about
from tests.kits import random_craft

SMALL = st.floats(-15, 15)
MEASURED = 120


def board(**changes: object) -> BoardSettings:
    return BoardSettings.model_validate({"ports": {}, **changes})


class PoseTest(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(tilt=st.floats(0, 179), towards=st.floats(-180, 180), turn=st.floats(-180, 180))
    def test_a_tipped_craft_feels_the_pull_where_it_is_tipped_to(self, tilt, towards, turn):
        pull = tipped(tilt, towards, turn) @ UP
        down, way = math.radians(tilt), math.radians(towards)
        np.testing.assert_allclose(pull, (-math.sin(down) * math.cos(way), -math.sin(down) * math.sin(way), -math.cos(down)), atol=1e-9)
        self.assertAlmostEqual(tilt_deg(pull), tilt, places=4)

    @settings(max_examples=200, deadline=None)
    @given(tilt=st.floats(0, 80), towards=st.floats(-180, 180), turn=st.floats(-179, 179))
    def test_it_is_the_rotation_that_turning_and_tipping_one_after_the_other_make(self, tilt, towards, turn):
        way = math.radians(towards)
        about = np.array((math.sin(way), -math.cos(way), 0.0))  # nose down is a turn about the left wing
        axes = np.eye(3) @ turned_about(np.array((0.0, 0.0, 1.0)), turn).T
        axes = axes @ turned_about(axes.T @ about, tilt).T
        np.testing.assert_allclose(tipped(tilt, towards, turn), axes, atol=1e-9)

    def test_roll_pitch_and_heading_are_as_pilots_say_them(self):
        for pose, said in (
            ((30, 0, 0), (0, -30, 0)),
            ((30, 90, 0), (30, 0, 0)),
            ((30, 180, 0), (0, 30, 0)),
            ((30, -90, 0), (-30, 0, 0)),
            ((0, 0, -90), (0, 0, 270)),
        ):
            np.testing.assert_allclose(attitude_deg(tipped(*pose)), said, atol=1e-6)


class IdeaTest(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(seed=st.integers(0, 10_000), tilt=st.floats(0, 70), towards=st.floats(-180, 180))
    def test_a_board_that_is_set_as_it_is_believes_what_is_so(self, seed, tilt, towards):
        truth = BodyTruth.any(seed)
        held = HeldCraft(truth, seed)
        held.tilt_deg, held.towards_deg, held.turn_deg = tilt, towards, 40
        setup = AccelerometerSetup(offset_g=list(truth.offset_g), scale=list(truth.scale))
        idea = held.idea(board(facing=truth.sits.model_dump(), accelerometer=setup.model_dump()), 0.0)
        roll, pitch, heading = held.attitude_deg
        self.assertAlmostEqual(math.cos(math.radians(idea.roll - roll)), 1, places=5)
        self.assertAlmostEqual(idea.pitch, pitch, delta=0.02)
        self.assertAlmostEqual(math.cos(math.radians(idea.heading - heading)), 1, places=5)
        self.assertAlmostEqual(idea.tilt, tilt, delta=0.05)

    @settings(max_examples=150, deadline=None)
    @given(roll=SMALL, pitch=SMALL, facing=st.sampled_from([Facing(), Facing(yaw_deg=90), Facing(roll_deg=180, yaw_deg=45), Facing(pitch_deg=90)]))
    def test_what_is_taken_for_level_is_level_and_the_facing_stays(self, roll, pitch, facing):
        read = facing.matrix @ Facing(roll_deg=roll, pitch_deg=pitch).matrix @ UP
        plain = board(facing=facing.model_dump())
        found = level_for(plain, read)
        self.assertAlmostEqual(found.roll_deg, roll, delta=0.02)
        self.assertAlmostEqual(found.pitch_deg, pitch, delta=0.02)
        trimmed = plain.model_copy(update={"level": found})
        self.assertLess(tilt_deg(level_pull(trimmed, read)), 0.03)
        np.testing.assert_allclose(roll_pitch_deg(craft_pull(trimmed, read)), (roll, pitch), atol=1e-6)

    def test_no_craft_stands_so_far_from_level(self):
        self.assertIsNone(level_for(board(), tipped(25, 0, 0) @ UP))
        self.assertEqual(level_for(board(), UP), LevelTrim())

    def test_iron_and_motors_turn_the_compass_as_vectors_add(self):
        held = HeldCraft(BodyTruth(iron=(0.2, -0.1), compass_deg_a=0.5), 1)
        for heading in range(0, 360, 30):
            north = np.array((math.cos(math.radians(heading)), -math.sin(math.radians(heading))))  # along the craft's axes: forward, right
            field = north + np.array((0.2, -0.1))
            reads = math.degrees(math.atan2(-field[1], field[0])) % 360
            self.assertAlmostEqual(math.cos(math.radians(heading + held.compass_off_deg(heading, 0) - reads)), 1, places=9)
            self.assertAlmostEqual(held.compass_off_deg(heading, 8) - held.compass_off_deg(heading, 0), 4)

    def test_the_same_seed_is_the_same_craft(self):
        self.assertEqual((BodyTruth.any(4), BodyTruth.usual(4)), (BodyTruth.any(4), BodyTruth.usual(4)))
        self.assertNotEqual(BodyTruth.any(4), BodyTruth.any(5))


class ShownTest(unittest.TestCase):
    @settings(max_examples=100, deadline=None)
    @given(read=st.floats(0, 100), slope=st.floats(0.2, 5), offset=st.floats(-20, 20), hours=st.floats(0, 1))
    def test_what_is_counted_is_what_was_shown_over_the_time(self, read, slope, offset, hours):
        power = board(power={"current_slope": slope, "current_offset_a": offset, "voltage_scale": 1.1}).power
        self.assertAlmostEqual(shown_mah(power, 1000 * read * hours, hours), 1000 * shown_a(power, read) * hours, places=3)
        self.assertAlmostEqual(shown_v(power, read), 1.1 * read)

    def test_a_board_counts_the_cells_of_a_full_pack(self):
        for pack in shipped().all_of(Pack):
            self.assertEqual(counted_cells(open_volts(pack, 1.0)), pack.cells, pack.name)


class OutputsTest(unittest.TestCase):
    def test_every_motor_and_servo_that_is_wired_has_an_output_of_its_kind(self):
        for seed in range(60):
            craft = random_craft(random.Random(seed), 6)
            parts = KitParts.of(craft)
            wired, told = wired_outputs(craft, parts), outputs_for(craft, parts)
            for pad, role in told.items():
                self.assertTrue(pad not in wired or fits(role, wired[pad], parts), f"seed {seed}: {pad} {role}")
            motors = [role for role in told.values() if role not in SURFACES]
            self.assertEqual(len(motors), len(set(motors)), f"seed {seed}: a place has one motor")


class MendsTest(unittest.TestCase):
    """Whatever was measured and set: a mend's edits take its finding away, and bring no stop."""

    def measured(self, rng: random.Random) -> AirframeMeasure:
        seen = AirframeMeasure()
        try:
            seen.found = find_facing(poses_of(rng.randint(0, 5000))[2])
        except FacingError:
            return seen
        if rng.random() < 0.2:
            seen.usb_not = seen.found.says[0]
        pull = seen.found.facing.matrix @ turned_about(np.array((rng.gauss(0, 1), rng.gauss(0, 1), 0.1)), rng.uniform(0, 12)) @ UP * rng.uniform(0.93, 1.07)
        seen.level = LevelRead(mean_g=(float(pull[0]), float(pull[1]), float(pull[2])), scatter_g=0.004)
        true = rng.uniform(14.2, 16.7)
        seen.pack_v = rng.choice([true, 8.3, 12.4])
        seen.volts = VoltsRead(read_v=true * rng.uniform(0.85, 1.15), true_v=true)
        slope, offset = rng.uniform(0.8, 1.2), rng.uniform(-1, 1)
        seen.amps = [AmpsRead(read_a=each, true_a=slope * each + offset) for each in (0.5, 20.0)]
        if rng.random() < 0.4:
            seen.charge = ChargeRead(read_mah=800, hours=0.2, put_back_mah=800 * rng.uniform(0.85, 1.15))
        seen.compass_rest = {index: CompassAt(off_deg=rng.uniform(-20, 20), heading_deg=45.0 * index, motors_a=0) for index in range(8)}
        seen.compass_motors = CompassAt(off_deg=rng.uniform(-30, 30), heading_deg=90, motors_a=15)
        return seen

    def said(self, craft: CraftDocument, seen: AirframeMeasure) -> dict:
        view = READS.view(Whole(craft, craft.settings, KitParts.of(craft)))
        return {each.code: each for each in [*check_set(view), *check_measured(view, seen)]}

    def test_every_mend_of_every_finding(self):
        tried = 0
        for seed in range(MEASURED):
            rng = random.Random(seed)
            craft = scenario.curlew()
            craft.settings.power.cells = rng.choice([None, 4, 3])
            craft.settings.mixing.layout = rng.choice([None, "plane", "quad X"])
            seen = self.measured(rng)
            before = self.said(craft, seen)
            for code, finding in before.items():
                for mend in finding.mends:
                    if not mend.edits:
                        continue
                    tried += 1
                    after = self.said(apply_edits(craft, mend.edits), seen)
                    if code != "airframe.pack":  # another pack asks to be measured anew
                        self.assertNotIn(code, after, f"seed {seed}: {mend.text}")
                        self.assertFalse({each for each in after if after[each].severity == "stop"} - set(before), f"seed {seed}: {code}")
        self.assertGreater(tried, 2 * MEASURED)
