"""How a board sits in its craft, found from poses: against rotations made another way, with hands that err, and with poses that are none."""

from __future__ import annotations

import io
import json
import math
import unittest
from contextlib import redirect_stderr

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from commands.calc import main
from linkcore.craft.facing import Facing, angle_deg, in_words, mountings, nearest, right_angled
from linkcore.hops.airframe.cells import cell_counts
from linkcore.hops.airframe.facing import LEAST_SAMPLES, POSES, FacingError, Pose, find_facing
from linkcore.hops.airframe.six_positions import DIRECTIONS, calibrate, recognise
from linkcore.parts.models import CELL_VOLTS
from tests.boards import STILL, board_axes, contradiction_of, held, mounted, poses_of, turned_about

ANGLES = st.floats(-179, 180)


class RotationTest(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(roll=ANGLES, pitch=st.floats(-89, 89), yaw=ANGLES)
    def test_three_turns_are_the_axes_as_they_were_turned_and_are_read_back(self, roll, pitch, yaw):
        facing = Facing(roll_deg=roll, pitch_deg=pitch, yaw_deg=yaw)
        np.testing.assert_allclose(facing.matrix, board_axes(roll, pitch, yaw), atol=1e-9)
        np.testing.assert_allclose(Facing.of(facing.matrix, places=9).matrix, facing.matrix, atol=1e-8)

    @settings(max_examples=60, deadline=None)
    @given(roll=ANGLES, yaw=ANGLES, up=st.sampled_from((-90, 90)))
    def test_straight_up_or_down_yaw_has_all_of_it(self, roll, yaw, up):
        found = Facing.of(Facing(roll_deg=roll, pitch_deg=up, yaw_deg=yaw).matrix, places=9)
        self.assertEqual((found.roll_deg, abs(found.pitch_deg)), (0, 90))
        np.testing.assert_allclose(found.matrix, board_axes(roll, up, yaw), atol=1e-6)

    def test_there_are_24_right_angled_ways_and_as_many_between(self):
        ways = {tuple(np.round(each, 6).ravel() + 0.0) for each in mountings()}
        self.assertEqual((len(ways), sum(right_angled(each) for each in mountings())), (48, 24))
        for each in mountings():
            self.assertAlmostEqual(float(np.linalg.det(each)), 1.0)
            self.assertTrue(np.allclose(nearest(each), each))

    def test_words(self):
        for facing, said in (
            (Facing(), "USB points back"),
            (Facing(yaw_deg=90), "USB points left"),
            (Facing(roll_deg=180, yaw_deg=-90), "USB points right, upside down"),
            (Facing(yaw_deg=45), "USB points back and left"),
            (Facing(roll_deg=90), "USB points back, on its edge, its top facing right"),
            (Facing(pitch_deg=90), "USB points down, on its edge, its top facing back"),
        ):
            self.assertEqual(in_words(facing.matrix), said, facing)
        self.assertEqual(in_words(Facing(yaw_deg=90).matrix, "left"), "USB points forward")


class FindTest(unittest.TestCase):
    def test_the_example(self):
        poses = [Pose(pose=name, accelerometer_g=[reading] * LEAST_SAMPLES) for name, reading in zip(POSES, ((0, 0, -1), (0, 1, 0), (-1, 0, 0)), strict=True)]
        found = find_facing(poses)
        self.assertEqual(found.facing, Facing(yaw_deg=90))
        self.assertEqual((found.rest, found.says[0]), (Facing(), "USB points left."))

    def test_without_an_error_of_the_hands_it_is_found_to_a_tenth_of_a_degree_in_any_order(self):
        for seed in range(60):
            meant, board, rng = mounted(seed)
            poses = [held(name, board, rng.uniform(30, 90), rng, noise_g=0.0) for name in POSES]
            rng.shuffle(poses)
            found = find_facing(poses)
            self.assertTrue(np.allclose(found.mounting.matrix, meant, atol=1e-6))
            self.assertLess(found.unexplained_deg, 2.0)
        meant, board, rng = mounted(5)
        exact = [held(name, meant, 60, rng, noise_g=0.0) for name in POSES]
        self.assertLess(angle_deg(find_facing(exact).facing.matrix, meant), 0.01)

    def test_hands_that_err_leave_the_mounting_right_and_the_rest_near(self):
        off = []
        for seed in range(150):
            meant, board, poses = poses_of(seed)
            found = find_facing(poses)
            self.assertTrue(np.allclose(found.mounting.matrix, meant, atol=1e-6), f"seed {seed}")
            off.append(angle_deg(found.facing.matrix, board))
        self.assertLess(float(np.mean(off)), 2.0)
        self.assertLess(max(off), 4.0)

    def test_a_pose_that_is_held_again_makes_it_surer(self):
        once, thrice = [], []
        for seed in range(60):
            _, board, rng = mounted(seed)
            poses = [held(name, board, 60, rng, rng.uniform(0, 3)) for _ in range(3) for name in POSES]
            once.append(angle_deg(find_facing(poses[:3]).facing.matrix, board))
            thrice.append(angle_deg(find_facing(poses).facing.matrix, board))
        self.assertLess(np.mean(thrice), 0.85 * np.mean(once))

    def test_poses_that_contradict_each_other_are_refused(self):
        for seed in range(120):
            with self.assertRaises(FacingError, msg=f"seed {seed}"):
                find_facing(contradiction_of(seed))

    def test_what_is_no_pose_says_which_and_what_to_do(self):
        *_, poses = poses_of(3)
        level = poses[0]
        moved = [tuple(0.2 * math.sin(index) + each for each in reading) for index, reading in enumerate(level.accelerometer_g)]
        clipped = [(reading[0], reading[1], reading[2] * 0 + 1.9) for reading in level.accelerometer_g]
        for changed, says in (
            (
                {"accelerometer_g": level.accelerometer_g[: LEAST_SAMPLES - 1], "gyro_dps": None},
                f"“level” has {LEAST_SAMPLES - 1} readings; hold the pose until there are {LEAST_SAMPLES}",
            ),
            ({"gyro_dps": STILL[:-3]}, "“level” has gaps: 40 readings of the accelerometer and 37 of the gyro"),
            ({"accelerometer_g": [*level.accelerometer_g[:-1], (math.nan, 0, 0)]}, "reading 40 of the accelerometer is no number"),
            ({"accelerometer_g": moved}, "“level” was not at rest: readings scatter by"),
            ({"gyro_dps": [(0, 40, 0)] * 40}, "“level” was not at rest: it turned by 40 degrees a second"),
            ({"accelerometer_g": clipped}, "an axis is clipped, or the accelerometer is not calibrated"),
        ):
            with self.assertRaises(FacingError) as refused:
                find_facing([level.model_copy(update=changed), *poses[1:]])
            self.assertIn(says, str(refused.exception))
        with self.assertRaisesRegex(FacingError, "right side down is missing"):
            find_facing(poses[:2])
        with self.assertRaisesRegex(FacingError, "nose down and right side down are missing"):
            find_facing(poses[:1])


class CalcTest(unittest.TestCase):
    def calc(self, said: object) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with redirect_stderr(err):
            status = main(["calc", "facing"], io.StringIO(said if isinstance(said, str) else json.dumps(said)), out)
        return status, out.getvalue(), err.getvalue()

    def test_it_prints_what_was_found(self):
        _, board, poses = poses_of(8)
        status, out, _ = self.calc({"poses": [each.model_dump() for each in poses]})
        answer = json.loads(out)
        self.assertEqual(status, 0)
        self.assertEqual(set(answer["facing"]), {"roll_deg", "pitch_deg", "yaw_deg"})
        self.assertLess(angle_deg(Facing.model_validate(answer["facing"]).matrix, board), 4)
        self.assertIn("USB points", answer["says"][0])

    def test_bad_input_says_where(self):
        for said, place in (
            ({"poses": [{"pose": "belly up", "accelerometer_g": []}]}, "poses/0/pose"),
            ({"poses": [{"pose": "level", "accelerometer_g": [[0, 1]]}]}, "poses/0/accelerometer_g/0"),
            ({"poses": []}, "level and nose down and right side down are missing"),
            ([], "valid dictionary"),
            ("{", "no JSON"),
        ):
            status, out, err = self.calc(said)
            self.assertEqual((status, out), (2, ""))
            self.assertIn(place, err)


class SixPositionsTest(unittest.TestCase):
    def read(self, rng: np.random.Generator, offset: np.ndarray, scale: np.ndarray, direction: int, tilt_deg: float) -> list[tuple[float, ...]]:
        """What an axis that is off reads in a position, tilted by hands: a = true / s + b."""
        true = np.zeros(3)
        true[direction // 2] = 1 - 2 * (direction % 2)
        true = turned_about(rng.normal(size=3), tilt_deg) @ true
        return [tuple(true / scale + offset + rng.normal(0, 0.004, 3)) for _ in range(200)]

    def test_positions_in_any_order_are_recognised_and_offset_and_scale_found(self):
        for seed in range(80):
            rng = np.random.default_rng(seed)
            offset, scale = rng.uniform(-0.1, 0.1, 3), rng.uniform(0.95, 1.05, 3)
            found = {}
            for number, direction in enumerate(rng.permutation(6)):
                name, mean = recognise(self.read(rng, offset, scale, int(direction), rng.uniform(0, 3)))
                self.assertEqual(name, DIRECTIONS[direction])
                found[name] = mean
                self.assertEqual(len(calibrate(found).open), 5 - number)
            kept = calibrate(found)
            np.testing.assert_allclose(kept.offset_g, offset, atol=0.005)
            np.testing.assert_allclose(kept.scale, scale, atol=0.005)
            self.assertIsNone(kept.worst)

    def test_the_worst_position_is_named(self):
        rng = np.random.default_rng(1)
        held_ = dict(recognise(self.read(rng, np.zeros(3), np.ones(3), direction, 0)) for direction in range(6))
        held_["y down"] = held_["y down"] + np.array((0.25, 0, 0))  # it was pushed
        self.assertEqual(calibrate(held_).worst, "y down")

    def test_what_is_no_position_is_refused_and_nothing_kept(self):
        rng = np.random.default_rng(2)
        with self.assertRaisesRegex(FacingError, "between two positions"):
            recognise(self.read(rng, np.zeros(3), np.ones(3), 0, 40))
        with self.assertRaisesRegex(FacingError, "not at rest"):
            recognise([(0, 0, -1.0), (0, 0.3, -0.9)] * 20)
        held_ = dict(recognise(self.read(rng, np.zeros(3), np.ones(3), direction, 0)) for direction in range(6))
        held_["z up"] = np.array((0.0, 0.0, 0.55))
        with self.assertRaisesRegex(FacingError, "z would have an offset of -0.2. g and a scale of 1.2.: it is clipped"):
            calibrate(held_)


class CellsTest(unittest.TestCase):
    def test_the_count_is_right_for_every_voltage_and_asked_only_where_two_fit(self):
        for chemistry, (full, _, empty) in CELL_VOLTS.items():
            asked = tried = 0
            for cells in range(1, 9):
                for per_cell in np.linspace(empty, full, 40):
                    volts = cells * float(per_cell)
                    counts = cell_counts(volts, chemistry, most=8)
                    inside = [count for count in range(1, 9) if count * empty <= volts <= count * full]
                    self.assertIn(cells, counts)
                    self.assertLessEqual(set(inside), set(counts))
                    tried, asked = tried + 1, asked + (len(counts) > 1)
            self.assertLess(asked / tried, 0.65, chemistry)
        self.assertEqual((cell_counts(16.6, "LiPo"), cell_counts(25.2, "LiPo", most=6), cell_counts(2.0, "LiPo")), ([4], [6], []))
