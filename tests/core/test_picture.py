"""The on-screen display: where values stand and how they are written, what really comes out of the video transmitter, and what eyes are told by it."""

from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

import scenario
from linkcore.bench.messages import BenchState
from linkcore.chain import still_findings
from linkcore.craft.document import ELEMENTS, CraftDocument, Patch, ScreenElement, ScreenSetup, apply_edits, load
from linkcore.craft.parts import KitParts
from linkcore.devices.text_screen import FACTS, MORE_IS_WORSE, arrange, compose, falls_off, known_on_screen, overlap, place, seen_on
from linkcore.findings import Finding
from linkcore.hops.downlink.causes import causes
from linkcore.hops.downlink.noticing import noticed
from linkcore.hops.downlink.picture import ANSWERS, added, element_for, line_for, with_line
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Peripheral, Screen
from linkcore.protocols.text_frame import MOST, TextDecoder, encode_picture, encode_size, encode_text
from linkcore.wiring.picture import picture_way
from tests.crafts import whole_of
from tests.downlinks import findings, warned
from tests.downlinks import with_line as with_alarm_line
from tests.hand import Hand

PAL, NTSC = shipped().of(Peripheral, "stilt-c").screens
WIDE = shipped().of(Peripheral, "skein-v").screens[0]
SCREENS = st.builds(Screen, format=st.just("digital"), columns=st.integers(24, 80), rows=st.integers(10, 40))
CHOSEN = st.lists(st.sampled_from(ELEMENTS), unique=True, max_size=len(ELEMENTS))


def at(name: str, row: int = 1, column: int = 2, **more: object) -> ScreenElement:
    return ScreenElement(element=name, row=row, column=column, **more)


def shown_on(craft: CraftDocument, *elements: ScreenElement) -> CraftDocument:
    """A craft whose board writes these, and nothing else of it changed."""
    settings_ = craft.settings.model_copy(update={"screen": ScreenSetup(elements=list(elements))})
    return CraftDocument.model_validate(craft.model_copy(update={"settings": settings_}).model_dump())


def without_wire(craft: CraftDocument, device: str, pin: str) -> CraftDocument:
    return craft.model_copy(update={"wiring": [each for each in craft.wiring if (each.device, each.pin) != (device, pin)]})


def rewired(craft: CraftDocument, device: str, pin: str, pad: str) -> CraftDocument:
    return craft.model_copy(
        update={"wiring": [each.model_copy(update={"pad": pad}) if (each.device, each.pin) == (device, pin) else each for each in craft.wiring]}
    )


def in_format(craft: CraftDocument, said: str) -> CraftDocument:
    devices = [each.model_copy(update={"format": said}) if each.name == "camera" else each for each in craft.kit.devices]
    return craft.model_copy(update={"kit": craft.kit.model_copy(update={"devices": devices})})


class ArrangeTest(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(chosen=CHOSEN, screens=st.lists(SCREENS, min_size=1, max_size=2))
    def test_all_of_each_is_seen_in_every_format_and_what_can_kill_is_nearest_to_the_middle(self, chosen, screens):
        placed = arrange([at(name) for name in chosen], screens)
        self.assertEqual({each.element for each in placed}, set(chosen))
        for number, each in enumerate(placed):
            self.assertFalse(any(falls_off(each, screen) for screen in screens))
            self.assertFalse(any(overlap(each, other) for other in placed[:number]))
        middle = (min(each.rows for each in screens) + 1) // 2
        far = [abs(each.row - middle) for each in sorted(placed, key=lambda each: ELEMENTS.index(each.element))]
        if all(2 * FACTS[name].width + 2 <= min(each.columns for each in screens) for name in chosen):
            self.assertEqual(far, sorted(far))

    @settings(max_examples=100, deadline=None)
    @given(chosen=CHOSEN.filter(bool), screen=SCREENS)
    def test_one_more_leaves_the_others_where_they_are(self, chosen, screen):
        before = arrange([at(name) for name in chosen[1:]], [screen])
        after = added(before, at(chosen[0]), [screen])
        self.assertEqual(after[:-1], before)
        self.assertFalse(falls_off(after[-1], screen) or any(overlap(after[-1], other) for other in before))

    def test_what_has_no_room_says_so(self):
        full = [at("height", row=row, column=column) for row in range(1, 14) for column in (2, 11, 20)]
        with self.assertRaisesRegex(ValueError, "no room left for used on 30 by 13"):
            place(at("used"), full, [NTSC])

    @settings(max_examples=300, deadline=None)
    @given(
        name=st.sampled_from([each for each in ELEMENTS if each != "flight mode"]), value=st.floats(-1e7, 1e7), column=st.integers(1, 30), marked=st.booleans()
    )
    def test_every_value_keeps_to_its_width_and_is_read_as_it_was_written(self, name, value, column, marked):
        value = abs(value) if "voltage" in name else value  # no pack stands below nothing
        element = at(name, row=3, column=min(column, 31 - FACTS[name].width))
        rows = compose([element], {name: value}, [name] if marked else [], PAL)
        self.assertEqual([len(row) for row in rows], [30] * 16)
        self.assertTrue(all(" " <= letter <= "~" for row in rows for letter in row))
        self.assertEqual("".join(rows).replace(" ", ""), rows[2].replace(" ", ""))
        text, seen_marked = seen_on(rows, element)
        self.assertEqual(seen_marked, marked)
        if abs(value) < 10 and name not in ("armed for", "heading"):
            figures = text.removeprefix(FACTS[name].before).removesuffix(FACTS[name].after)
            self.assertAlmostEqual(float(figures), value, delta=0.5 * 10 ** -FACTS[name].places + 1e-9)

    def test_what_is_not_known_is_no_figure(self):
        self.assertEqual(seen_on(compose([at("height")], {}, [], PAL), at("height")), ("H --m", False))
        self.assertIsNone(seen_on(compose([], {}, [], PAL), at("height")))
        self.assertIsNone(seen_on(compose([at("height", row=14)], {"height": 3.0}, [], NTSC), at("height", row=14)))


class TextFrameTest(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(
        rows=st.lists(st.text(st.characters(min_codepoint=32, max_codepoint=126), max_size=60), min_size=1, max_size=20),
        cuts=st.lists(st.integers(1, 40), max_size=20),
    )
    def test_a_picture_arrives_whole_however_it_is_cut(self, rows, cuts):
        data, frames, decoder = encode_picture(rows), [], TextDecoder()
        for cut in [*cuts, len(data)]:
            frames += decoder.feed(data[:cut])
            data = data[cut:]
        self.assertEqual([frames[0].sensor, frames[-1].sensor], ["screen_begin", "screen_end"])
        page = [[" "] * 80 for _ in rows]
        for frame in frames[1:-1]:
            for offset, letter in enumerate(frame.values["text"]):
                page[frame.values["row"] - 1][frame.values["column"] - 1 + offset] = letter
        self.assertEqual(["".join(row).rstrip() for row in page], [row.rstrip() for row in rows])

    @settings(max_examples=150, deadline=None)
    @given(byte=st.integers(0, 10_000), bit=st.integers(0, 7))
    def test_a_flipped_bit_loses_text_and_never_invents_any(self, byte, bit):
        whole = encode_size(40, 18) + encode_picture([" 3.71V", "", "LQ 100   H 12m"])
        said = {tuple(sorted(frame.values.items())) for frame in TextDecoder().feed(whole)}
        broken = bytearray(whole)
        broken[byte % len(broken)] ^= 1 << bit
        decoder = TextDecoder()
        found = [frame for frame in [*decoder.feed(bytes(broken)), *decoder.finish()] if hasattr(frame, "values")]
        self.assertLessEqual({tuple(sorted(frame.values.items())) for frame in found}, said)

    def test_what_cannot_be_sent_is_refused(self):
        for text in ("3.71 V ✓", "x" * MOST):
            with self.assertRaises(ValueError):
                encode_text(1, 1, text)


class AnalogTest(unittest.TestCase):
    def pilot_sees(self, craft: CraftDocument, seconds: float = 4.0, **hands: object) -> tuple[str, str]:
        hand = Hand(craft)
        hand.do(seconds, **hands)
        return hand.bench.video.picture.why, "|".join(row.strip() for row in hand.bench.video.picture.rows if row.strip())

    def test_the_board_writes_what_it_knows_over_the_cameras_picture(self):
        craft = shown_on(scenario.curlew(), at("voltage"), at("LQ", row=2), at("satellites", row=3), at("ESC temperature", row=4), at("RSSI", row=5))
        why, text = self.pilot_sees(craft, 8.0)
        self.assertEqual((why, text), ("", "16.79V|LQ 100|SAT 12|ESC 15C|RS --"))
        _, text = self.pilot_sees(craft, 8.0, gps_fix=False, loss_percent=60)
        self.assertRegex(text, r"^16\.79V\|LQ [3-5]\d\|SAT 3\|")

    def test_one_wire_or_supply_less_and_it_is_gone(self):
        craft = shown_on(scenario.curlew(), at("voltage"))
        for broken, why in (
            (without_wire(craft, "camera", "VIDEO"), "no camera's picture reaches the board"),
            (without_wire(craft, "camera", "GND"), "no camera's picture reaches the board"),
            (without_wire(craft, "camera", "V+"), "no camera's picture reaches the board"),
            (rewired(craft, "camera", "VIDEO", "R3"), "no camera's picture reaches the board"),
            (without_wire(craft, "video transmitter", "VIDEO"), "nothing reaches video transmitter"),
            (rewired(craft, "video transmitter", "VIDEO", "T3"), "nothing reaches video transmitter"),
            (without_wire(craft, "video transmitter", "V+"), "video transmitter has no power"),
        ):
            self.assertEqual(self.pilot_sees(broken), (why, ""))
            way = picture_way(broken, KitParts.of(broken))
            self.assertEqual(len(way.stops), 1, "what is seen on the bench is what parts and wires tell")
            self.assertTrue(findings(broken)["downlink.picture"].what)
        self.assertEqual(self.pilot_sees(craft, pack=False, usb=True), ("video transmitter has no power", ""))

    def test_the_shorter_format_has_no_last_rows(self):
        craft = shown_on(scenario.curlew(), at("voltage", row=13), at("height", row=15))
        self.assertEqual(self.pilot_sees(craft)[1], "16.79V|H 0m")
        self.assertEqual(self.pilot_sees(in_format(craft, "NTSC"))[1], "16.79V")

    def test_the_draft_changes_nothing_until_it_is_written(self):
        craft = shown_on(scenario.curlew(), at("voltage"))
        hand = Hand(craft)
        hand.passes(3.0)
        hand.bench.take_document(shown_on(craft, at("height")))
        hand.passes(1.0)
        self.assertIn("16.79V", hand.bench.video.picture.rows[0])
        hand.bench.write(hand.bench.document.settings)
        hand.passes(1.0)
        self.assertEqual(hand.bench.video.picture.rows[0].strip(), "H 0m")

    def test_a_value_over_its_line_is_marked_and_a_new_mode_for_a_while(self):
        craft = shown_on(scenario.curlew(), at("cell voltage", line=3.54), at("flight mode", row=2))
        hand = Hand(craft)
        hand.do(8.0, switches={"S2": 0})
        row = hand.bench.video.picture.rows
        self.assertEqual((row[0].strip(), row[1].strip()), ("4.20V", "ANGLE"))
        marks = set()
        hand.do(0.0, pack_left_percent=5, switches={"S2": 1})
        for _ in range(12):
            hand.passes(0.25)
            marks.add(tuple(row.strip() for row in hand.bench.video.picture.rows[:2]))
        self.assertTrue(any(cell.startswith(">3.5") and mode == ">HORIZON<" for cell, mode in marks), marks)
        self.assertTrue(any(cell.startswith("3.5") for cell, _ in marks), "the mark blinks, the value stays")
        hand.passes(6.0)
        self.assertEqual(hand.bench.video.picture.rows[1].strip(), "HORIZON")

    def test_the_time_and_the_distance_are_the_boards_own(self):
        craft = shown_on(scenario.curlew(), at("armed for"), at("distance", row=2))
        hand = Hand(craft)
        hand.do(4.0, left={"x": 0, "y": -1})
        hand.do(1.0, switches={"S1": 1})
        self.assertTrue(hand.board.armed)
        hand.do(6.0, distance_m=300)
        seconds, away = (row.strip() for row in hand.bench.video.picture.rows[:2])
        self.assertRegex(seconds, "^00:0[5-7]$")
        self.assertAlmostEqual(float(away.removeprefix("D ").removesuffix("m")), 298, delta=3)

    def test_the_picture_rings_out_the_wires_that_it_comes_by(self):
        hand = Hand(shown_on(scenario.curlew(), at("voltage")))
        hand.passes(4.0)
        rung = {key for key in hand.bench.new_rings if key.startswith(("camera", "video transmitter"))}
        self.assertEqual(len(rung), 6, rung)
        silent = Hand(scenario.curlew())
        silent.passes(4.0)
        self.assertFalse([key for key in silent.bench.new_rings if key.startswith(("camera", "video transmitter"))], "a picture without text tells nothing")


class DigitalTest(unittest.TestCase):
    def link(self, craft: CraftDocument, seconds: float = 3.0) -> Hand:
        hand = Hand(craft, BenchState(stored=craft.settings, running=craft.settings))
        hand.passes(seconds)
        return hand

    def text(self, hand: Hand) -> str:
        return "|".join(row.strip() for row in hand.bench.video.picture.rows if row.strip())

    def test_text_frames_cross_the_wire_to_a_link_that_has_told_its_size(self):
        craft = shown_on(scenario.avocet(), at("cell voltage", row=18, column=33), at("height", row=14))
        hand = self.link(craft)
        self.assertEqual(self.text(hand), "H 0m|4.20V")
        self.assertEqual([len(row) for row in hand.bench.video.picture.rows], [40] * 18)
        rung = [key for key in hand.bench.new_rings if key.startswith("video link")]
        self.assertEqual(sorted(rung), ["video link/GND/G", "video link/RX/T3", "video link/TX/R3", "video link/V+/9V"])
        unheard = self.link(without_wire(craft, "video link", "TX"))
        self.assertEqual(self.text(unheard), "", "to a board that knows no size the picture is the smallest there is")

    def test_job_wire_and_rate_decide(self):
        craft = shown_on(scenario.avocet(), at("voltage"))
        slow = craft.model_copy(deep=True)
        slow.settings.port_baud["U3"] = 57_600
        jobless = craft.model_copy(deep=True)
        jobless.settings.ports["U3"] = "free"
        turned = craft.model_copy(
            update={"wiring": [each.model_copy(update={"inverter": (each.device, each.pin) == ("video link", "RX")}) for each in craft.wiring]}
        )
        for broken, code in (
            (slow, "baud"),
            (jobless, "job"),
            (turned, "wire"),
            (without_wire(craft, "video link", "RX"), "wire"),
            (without_wire(craft, "video link", "GND"), "supply"),
        ):
            hand = self.link(broken)
            self.assertEqual((self.text(hand), picture_way(broken, KitParts.of(broken)).stops[0].code), ("", code))
            finding = findings(broken)["downlink.picture"]
            for mend in finding.mends:
                if mend.edits:
                    mended = apply_edits(broken, mend.edits)
                    self.assertNotIn("downlink.picture", findings(mended))
                    self.assertRegex(self.text(self.link(mended)), r"^25\.\d\dV$")

    def test_what_is_told_no_more_is_shown_no_more(self):
        hand = self.link(shown_on(scenario.avocet(), at("voltage")))
        self.assertTrue(self.text(hand))
        hand.bench.take_document(without_wire(hand.bench.document, "video link", "RX"))
        hand.passes(3.0)
        self.assertEqual((hand.bench.video.picture.why, self.text(hand)), ("", ""))


class EyesTest(unittest.TestCase):
    def of(self, craft: CraftDocument) -> dict[str, Finding]:
        return findings(craft)

    def test_each_answer_brings_a_value_that_the_board_knows_and_its_line(self):
        craft = with_alarm_line(scenario.curlew(), signal="lq_percent", line=70, begins_at=60)
        parts = KitParts.of(craft)
        found = {answer.says: element_for(answer, craft, parts) for answer in ANSWERS}
        self.assertEqual(found["that the signal gets weak"], "LQ")
        self.assertTrue(all(found.values()), found)
        lines = {name: line.limit for name in found.values() if (line := line_for(name, craft, parts))}
        self.assertEqual(lines, {"cell voltage": 3.54, "LQ": 70.0, "armed for": lines["armed for"], "distance": 240.0, "height": 120.0})
        self.assertAlmostEqual(
            lines["armed for"], 3600 * 1.5 * 0.8 / 7.7, delta=5
        )  # 1500 mAh, a fifth of them a reserve, at the 7.7 A that steady flight is said to draw
        self.assertTrue(all(line.above == (name in MORE_IS_WORSE) for name in found.values() if (line := line_for(name, craft, parts))))
        bare = scenario.coot()
        bare.kit.devices = [*bare.kit.devices, *[each for each in scenario.curlew().kit.devices if each.name in ("camera", "video transmitter")]]
        self.assertTrue(known_on_screen(bare, KitParts.of(bare))["LQ"], "a receiver that flags nothing lets the board count nothing")

    def test_eyes_are_a_second_way_and_only_where_they_are_told(self):
        craft = warned(with_alarm_line(scenario.curlew()))
        one = next(each for each in self.all_of(craft) if each.code == "downlink.one-way" and each.where == "pack low")
        mend = next(each for each in one.mends if each.text == "Show cell voltage on the picture")
        seen = apply_edits(craft, mend.edits)
        self.assertNotIn("pack low", self.one_way(seen))
        for blind in (
            without_wire(seen, "camera", "VIDEO"),
            in_format(shown_on(seen, at("cell voltage", row=15, line=3.54)), "NTSC"),
            shown_on(seen, at("cell voltage")),
        ):
            self.assertIn("pack low", self.one_way(blind), "what is not seen, or not judged, is no way")

    def test_what_cannot_be_seen_is_said_and_each_mend_mends_it(self):
        craft = with_alarm_line(scenario.curlew(), signal="lq_percent", line=70, begins_at=60)
        good = with_line("cell voltage", craft, KitParts.of(craft)).model_copy(update={"row": 7, "column": 2})
        rssi = at("RSSI", row=9)
        for elements, code, says in (
            ([good, at("height", row=17)], "downlink.element", "it falls off the picture in PAL"),
            ([good, at("current", row=4, column=25)], "downlink.element", "it falls off the picture in PAL"),
            ([good, at("current", row=15)], "downlink.element", "it would fall off in NTSC, which has 13 rows"),
            ([good, at("current", row=7, column=6)], "downlink.element", "it overlaps"),
            ([good, at("current", row=3), at("current", row=4)], "downlink.element", "it is there twice"),
            ([good, rssi], "downlink.element", "no channel carries RSSI to the board"),
            ([good.model_copy(update={"row": 1})], "downlink.sight", "has to be looked for"),
            ([good, at("current", row=8, column=12)], "downlink.sight", "covers the view ahead"),
            ([good.model_copy(update={"line": None})], "downlink.no-line", "never marks it"),
            ([good.model_copy(update={"line": 3.3})], "downlink.line-differs", "marks cell voltage under 3.3 V; the line stands under 3.54 V"),
        ):
            wrong = shown_on(craft, *elements)
            before = {(each.code, each.where) for each in self.all_of(wrong)}
            found = next(each for each in self.all_of(wrong) if each.code == code)
            self.assertIn(says, found.what)
            self.assertTrue(found.mends)
            for mend in found.mends:
                mended = apply_edits(wrong, mend.edits)
                after = self.all_of(mended)
                self.assertNotIn((found.code, found.what), {(each.code, each.what) for each in after}, mend.text)
                worse = {(each.code, each.where) for each in after if each.severity in ("stop", "warn")} - before
                self.assertLessEqual({code for code, _ in worse}, {"downlink.unnoticed"} if mend.text.startswith("Take cell") else set(), mend.text)

    def test_a_value_that_no_device_tells_the_board_is_not_seen(self):
        craft = shown_on(scenario.curlew(), at("distance", row=7, line=240, above=True), at("flight mode", row=8))
        for broken, seen in ((craft, {"eyes"}), (without_wire(craft, "GPS", "TX"), set())):
            parts = KitParts.of(broken)
            found = {each.notice: each for each in noticed(broken, parts, causes(broken, parts))}
            self.assertEqual((set(found["too far"].ways), set(found["wrong mode"].ways)), (seen, {"eyes"}))
            self.assertEqual(found["too far"].blind, "" if seen else "the picture does not show distance: GPS's TX pin goes nowhere")

    def one_way(self, craft: CraftDocument) -> list[str]:
        return [each.where for each in self.all_of(craft) if each.code == "downlink.one-way"]

    def all_of(self, craft: CraftDocument) -> list[Finding]:
        return [each for each in still_findings(whole_of(craft)) if each.hop == "downlink"]

    def test_values_on_no_picture_are_a_finding(self):
        craft = shown_on(scenario.sandpiper(), at("cell voltage"))
        self.assertIn("no camera and no video link is fitted", self.of(craft)["downlink.picture"].what)

    def test_seen_and_marked_is_proven_and_another_format_is_to_be_seen_anew(self):
        craft = with_alarm_line(scenario.curlew(), signal="lq_percent", line=70, begins_at=60)
        parts = KitParts.of(craft)
        elements = arrange([with_line(name, craft, parts) for name in ("cell voltage", "LQ", "height")], parts.devices["camera"].screens)
        hand = Hand(shown_on(craft, *elements))
        hand.passes(5.0)
        self.assertNotIn("the picture shows it", hand.proven("downlink"))
        hand.do(4.0, pack_left_percent=4)
        hand.do(2.0, pack_left_percent=100)
        self.assertNotIn("the picture shows it", hand.proven("downlink"), "the signal was not seen to be marked")
        hand.do(4.0, loss_percent=60)
        hand.do(2.0, loss_percent=0)
        self.assertIn("the picture shows it", hand.proven("downlink"))
        hand.bench.take_document(in_format(hand.bench.document, "NTSC"))
        state = next(each for each in hand.report().chain if each.hop == "downlink")
        self.assertEqual(next(each.standing for each in state.proofs if each.name == "the picture shows it"), "changed")

    def test_a_craft_from_before_opens_and_unknown_values_are_refused_with_their_place(self):
        old = scenario.curlew().model_dump(mode="json")
        del old["settings"]["screen"]
        self.assertEqual(load(old).settings.screen.elements, [])
        old["settings"]["screen"] = {"elements": [{"element": "smell", "row": 1, "column": 1}]}
        with self.assertRaisesRegex(ValueError, "settings/screen/elements/0/element"):
            load(old)


class PartTest(unittest.TestCase):
    def test_facts_that_contradict_each_other_are_refused(self):
        camera = shipped().of(Peripheral, "stilt-c").model_dump(mode="json")
        with self.assertRaisesRegex(ValueError, "a camera names the formats"):
            Peripheral.model_validate(camera | {"screens": []})
        board = KitParts.of(scenario.curlew()).board
        with self.assertRaisesRegex(ValueError, "camera pad"):
            type(board).model_validate(board.model_dump(mode="json", exclude={"inverting_pads"}) | {"text_screen": False})

    def test_a_wire_that_is_not_there_is_completed(self):
        craft = scenario.curlew()
        self.assertIn(Patch(device="camera", pin="VIDEO", pad="CAM"), craft.wiring)
        self.assertIn(Patch(device="video transmitter", pin="VIDEO", pad="VTX"), craft.wiring)
