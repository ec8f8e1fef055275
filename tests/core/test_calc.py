from __future__ import annotations

import contextlib
import io
import json
import tempfile
from pathlib import Path

from django.test import SimpleTestCase

import scenario
from commands.calc import main
from linkcore.craft.document import apply_edits, load
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.hops.port_plan.rules import check_ports
from linkcore.parts.catalogue import shipped
from linkcore.parts.files import facts_of, write_parts
from linkcore.parts.models import Board
from tests.thumbs import session


class CalcTest(SimpleTestCase):
    def calc(self, what: str, document: object, *more: str) -> tuple[int, dict, str]:
        out, told = io.StringIO(), io.StringIO()
        text = document if isinstance(document, str) else json.dumps(document)
        with contextlib.redirect_stderr(told):
            status = main(["calc", what, *more], io.StringIO(text), out)
        return status, json.loads(out.getvalue() or "{}"), told.getvalue()

    def test_a_plan_with_the_edits_that_take_it(self):
        craft = scenario.avocet()
        status, answer, _ = self.calc("ports", craft.model_dump(mode="json"))
        self.assertEqual((status, answer["plans"][0]["title"], [each["code"] for each in answer["findings"]]), (0, "Move ESC to R7", ["ports.clash"]))
        after = apply_edits(load(craft.model_dump(mode="json")), [Edit.model_validate(edit) for edit in answer["plans"][0]["edits"]])
        self.assertEqual(check_ports(after, KitParts.of(after)), [])

    def test_a_clash_and_a_faulty_loom_have_a_status_of_their_own(self):
        craft = scenario.coot().model_dump(mode="json")
        status, answer, _ = self.calc("ports", craft | {"kit": craft["kit"] | {"board": "merle-f7"}, "wiring": []})
        self.assertEqual((status, answer["plans"], len(answer["clash"])), (3, [], 1))
        status, answer, _ = self.calc("loom", scenario.avocet().model_dump(mode="json"))
        self.assertEqual((status, "loom.two-drivers" in [each["code"] for each in answer["findings"]]), (3, True))
        status, answer, _ = self.calc("loom", scenario.curlew().model_dump(mode="json"))
        self.assertEqual((status, len(answer["wires"]), answer["usb"]["limit_ma"]), (0, 29, 500))

    def test_what_the_craft_does_when_the_link_dies(self):
        craft = scenario.sandpiper().model_dump(mode="json")
        status, answer, _ = self.calc("loss", craft)
        self.assertEqual((status, [(each["code"], each["severity"]) for each in answer["findings"]]), (3, [("lostlink.low-return", "stop")]))
        self.assertEqual((answer["reaction"]["motors_stop_s"], list(answer["path"][0])), (None, ["t", "height_m", "distance_m"]))
        self.assertAlmostEqual(answer["reaction"]["reacts_s"], 0.8, delta=0.01)
        craft["settings"]["lost_link"]["return_height_m"] = 60
        status, answer, _ = self.calc("loss", craft)
        self.assertEqual((status, [each["severity"] for each in answer["findings"]], max(each["height_m"] for each in answer["path"])), (0, ["warn"], 60.0))
        status, _, told = self.calc("loss", craft | {"place": craft["place"] | {"height_m": -1}})
        self.assertEqual((status, told), (2, "bell: standard input: place/height_m: Input should be greater than or equal to 0\n"))

    def test_the_way_home_and_what_keeps_each_sensor(self):
        status, answer, _ = self.calc("downlink", scenario.curlew().model_dump(mode="json"))
        self.assertEqual(answer["way"], {"protocol": "S.Port", "port": "U4", "pad": "T4", "baud": 57600, "inverted": True, "half_duplex": True})
        cell = next(each for each in answer["sensors"] if each["name"] == "cell voltage")
        self.assertEqual((cell["unit"], round(cell["every_s"], 1), cell["missing_because"]), ("V", 4.0, None))
        self.assertEqual((status, [each["code"] for each in answer["findings"]]), (0, ["downlink.slow"]))
        status, answer, _ = self.calc("downlink", scenario.coot().model_dump(mode="json"))
        self.assertEqual((answer["way"], answer["because"]), (None, "None can come: the Six Pack sends none back."))
        self.assertTrue(all(each["missing_because"] for each in answer["sensors"]))

    def test_own_parts_come_from_a_file(self):
        craft = scenario.curlew()
        craft.kit.board = "own-merle"
        facts = facts_of(shipped().of(Board, "merle-f7")) | {"id": "own-merle", "usb_ma": 100}
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "parts.json"
            file.write_text(json.dumps(write_parts([facts])))
            status, answer, _ = self.calc("loom", craft.model_dump(mode="json"), "--parts", str(file))
            self.assertEqual((status, "loom.usb-over" in [each["code"] for each in answer["findings"]]), (0, True))
            file.write_text(json.dumps(write_parts([facts | {"rails": []}])))
            status, _, told = self.calc("loom", craft.model_dump(mode="json"), "--parts", str(file))
            self.assertEqual((status, "parts.json: parts/0" in told), (2, True))

    def test_what_cannot_be_read_is_told_in_one_line(self):
        lost = scenario.curlew().model_dump(mode="json")
        for document, said in (
            ("{", "no JSON"),
            ({"format": "x"}, "this is no craft document"),
            (scenario.dunlin().model_dump(mode="json"), "no board is chosen yet"),
            (lost | {"kit": lost["kit"] | {"board": "gone"}}, "the catalogue has no board 'gone'"),
        ):
            for what in ("ports", "loom"):
                status, _, told = self.calc(what, document)
                self.assertEqual((status, told.count("\n"), said in told), (2, 1, True), told)

    def frames(self, folder, samples, **extra):
        """A file of frames as decode prints them; `extra` goes into every line."""
        file = Path(folder) / "frames.jsonl"
        lines = [{"line": {"protocol": "SBUS"}}, *({"t": t, "kind": "channels", "channels": channels, **extra} for t, channels in samples), {"summary": {}}]
        file.write_text("\n".join(map(json.dumps, lines)))
        return str(file)

    def test_travel_from_frames_finds_the_channels_and_what_to_dial(self):
        made = next(each for each in map(session, range(40)) if each.mix is None and not each.reversed)
        craft = scenario.curlew()
        craft.settings.channel_map = made.order
        with tempfile.TemporaryDirectory() as folder:
            file = self.frames(folder, [(t, channels) for t, channels, _ in made.samples], failsafe=False)
            _, answer, _ = self.calc("travel", craft.model_dump(mode="json"), "--frames", file)
            lost = self.frames(folder, [(t, channels) for t, channels, _ in made.samples], frame_lost=True)
            status, nothing, _ = self.calc("travel", craft.model_dump(mode="json"), "--frames", lost)
        self.assertEqual(answer["found"]["order"], made.order)
        roll = next(each for each in answer["axes"] if each["axis"] == "roll")
        self.assertEqual(roll["channel"], made.channel("aileron"))
        self.assertEqual((answer["left_out"], nothing["left_out"], status), (0, len(made.samples), 3))
        self.assertEqual({each["measured"] for each in nothing["axes"]}, {None})

    def test_travel_from_figures_read_off(self):
        seen = [text for axis in ("roll", "pitch", "yaw") for text in ("--seen", f"{axis}=1100,1500,1900")]
        status, answer, _ = self.calc("travel", scenario.curlew().model_dump(mode="json"), *seen, "--seen", "throttle=1300,1990")
        axes = {each["axis"]: each for each in answer["axes"]}
        self.assertEqual(axes["roll"]["dial"], {"sub_trim_us": 0, "travel_low_percent": 150, "travel_high_percent": 150})
        self.assertLessEqual(abs(axes["roll"]["predicted"]["low"] - 1020), 2, "150 % is its limit")
        self.assertEqual(status, 3)
        self.assertIn("low travel is at its limit of 150 %", axes["throttle"]["unreachable"][0])

    def test_bands_and_truth_by_the_model_memory_or_by_frames(self):
        craft = scenario.curlew()
        status, answer, _ = self.calc("bands", craft.model_dump(mode="json"))
        self.assertEqual((status, [each["measured"] for each in answer["switches"]]), (0, [False, False]))
        mended = apply_edits(craft, [Edit.model_validate(edit) for edit in answer["suggestion"]["edits"]])
        self.assertEqual(self.calc("bands", mended.model_dump(mode="json"))[1]["suggestion"]["edits"], [])
        status, answer, _ = self.calc("truth", craft.model_dump(mode="json"))
        rows = {tuple(row["places"]): (row["arm"], row["mode"]) for row in answer["rows"]}
        self.assertEqual((status, len(rows), rows["high", "mid"]), (0, 6, (True, "horizon")))
        craft.settings.arming, craft.settings.modes = None, []
        self.assertEqual(self.calc("truth", craft.model_dump(mode="json"))[0], 3)
        self.assertEqual(self.calc("bands", craft.model_dump(mode="json"))[1]["suggestion"]["why_not"], "no mode band is in use yet")

    def test_detents_are_those_of_the_frames_where_there_are_any(self):
        craft = scenario.curlew()
        flips = [(1000, 1010), (1000, 1480), (1000, 1950), (2000, 1950)]
        sticks = [1500.0, 1500.0, 1000.0, 1500.0]
        with tempfile.TemporaryDirectory() as folder:
            samples = [(round(0.02 * index, 2), [*sticks, *map(float, flips[index // 40])]) for index in range(160)]
            status, answer, _ = self.calc("bands", craft.model_dump(mode="json"), "--frames", self.frames(folder, samples))
        self.assertEqual(status, 0)
        self.assertEqual([[value for value, _ in each["detents"]] for each in answer["switches"]], [[1000, 2000], [1010, 1480, 1950]])
        self.assertEqual({each["measured"] for each in answer["switches"]}, {True})

    def test_frames_that_cannot_be_read_are_told_with_their_line(self):
        craft = scenario.curlew().model_dump(mode="json")
        good = {"t": 1.0, "kind": "channels", "channels": [1500.0]}
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "frames.jsonl"
            for lines, said in (
                ("{", "line 1: no JSON"),
                ('{"x": 1}', "line 1: no frame"),
                (json.dumps(good) + "\n" + json.dumps(good | {"t": 0.5}), "line 2: this frame is 0.500 s before"),
                (json.dumps(good | {"t": None}), "line 1: this frame has no time"),
                (json.dumps(good | {"channels": [-3]}), "line 1: channels/0"),
                (json.dumps(good | {"numbers": [1, 2]}), "line 1: 2 numbers for 1 channels"),
            ):
                file.write_text(lines)
                status, _, told = self.calc("travel", craft, "--frames", str(file))
                self.assertEqual((status, f"frames.jsonl: {said}" in told), (2, True), told)
            status, _, told = self.calc("travel", craft, "--frames", str(Path(folder) / "gone"))
            self.assertEqual((status, "No such file" in told), (2, True), told)

    def test_measurements_are_asked_for_where_they_are_needed_and_refused_where_not(self):
        for arguments in (("travel",), ("loom", "--seen", "roll=1000,1500,2000"), ("ports", "--frames", "x"), ("travel", "--seen", "roll=1900,1500,1000")):
            with self.assertRaises(SystemExit) as left, contextlib.redirect_stderr(io.StringIO()):
                main(["calc", *arguments], io.StringIO("{}"), io.StringIO())
            self.assertEqual(left.exception.code, 2)
