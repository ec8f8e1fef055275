from __future__ import annotations

import inspect
import re

from django.test import SimpleTestCase

import scenario
from linkcore.craft.document import Airframe, CraftDocument, CraftError, Fitted, Kit, apply_edits
from linkcore.craft.parts import KitParts, spoken_output
from linkcore.craft.starting import new_craft
from linkcore.findings import Edit
from linkcore.hops.kit import ability as kit_rules
from linkcore.hops.kit.ability import ability, sensor_states
from linkcore.hops.kit.exchange import add_device, exchange, remove_device, rename_device, what_else_fits
from linkcore.hops.kit.rules import check_kit
from linkcore.hops.kit.starting import starting_point
from linkcore.parts.catalogue import UnknownPart, shipped
from linkcore.parts.models import Peripheral, Receiver, Transmitter
from tests.crafts import sbus_craft
from tests.wired import other


def codes(craft: CraftDocument, catalogue=None) -> set[str]:
    return {finding.code for finding in check_kit(craft, KitParts.of(craft, catalogue))}


def with_kit(**changes: str) -> CraftDocument:
    craft = sbus_craft()
    craft.kit = craft.kit.model_copy(update=changes)
    return craft


def wanting(**wants: object) -> CraftDocument:
    craft = sbus_craft()
    craft.wants = craft.wants.model_validate(craft.wants.model_dump() | wants)
    return craft


class AbilityTest(SimpleTestCase):
    def test_each_set_of_the_demo_and_what_it_can_do(self):
        expected = {
            "Curlew": ("SBUS", 16, "S.Port", "Harrow Tine", ["FCC", "LBT"], 0.625),
            "Avocet": ("CRSF", 16, "CRSF", "Wisp", ["868", "915"], 0.625),
            "Sandpiper": ("F.Port", 16, "F.Port", "Harrow Tine", ["FCC", "LBT"], 0.625),
            "Coot": ("PWM", 6, None, "Field F", ["FCC", "LBT"], 1.0),
        }
        for make in (scenario.curlew, scenario.avocet, scenario.sandpiper, scenario.coot):
            craft = make()
            can = ability(craft, KitParts.of(craft))
            found = (can.protocol, can.channels, can.telemetry, can.air.name if can.air else None, can.regions, can.step_us)
            self.assertEqual(found, expected[craft.name], craft.name)

    def test_the_least_of_transmitter_air_and_wire_limits_the_channels(self):
        coot = scenario.coot()
        coot.kit.jumper_fitted = True
        can = ability(coot, KitParts.of(coot))
        self.assertEqual((can.channels, can.channels_limit), (8, "PPM on the Six Pack"))
        coot.kit.receiver, coot.kit.jumper_fitted = "brook-6", False
        can = ability(coot, KitParts.of(coot))
        self.assertEqual((can.channels, can.channels_limit), (9, "the Field 9"))
        ten = other(shipped().of(Transmitter, "field-9"), channels=12)
        self.assertEqual(ability(coot, KitParts.of(coot, ten)).channels_limit, "the air (Field F)")

    def test_nothing_is_claimed_of_parts_that_are_not_there(self):
        craft = scenario.dunlin()
        can = ability(craft, KitParts.of(craft))
        self.assertEqual((can.air, can.protocol, can.channels, can.telemetry, can.rails), (None, None, None, None, []))
        craft.kit.receiver = "pip-s8"
        can = ability(craft, KitParts.of(craft))
        self.assertEqual((can.protocol, can.air, can.rails), ("SBUS", None, []))

    def test_the_jumper_and_the_wire_decide_which_output_speaks(self):
        pack = shipped().of(Receiver, "six-pack")
        coot = scenario.coot()
        self.assertEqual(spoken_output(coot, pack).protocol, "PWM")
        coot.kit.jumper_fitted = True
        self.assertEqual(spoken_output(coot, pack).protocol, "PPM")
        craft = with_kit(receiver="pip-s4")
        self.assertTrue(spoken_output(craft, shipped().of(Receiver, "pip-s4")).inverted)
        craft.wiring = [patch.model_copy(update={"pin": "SBUS-N"}) if patch.pin == "SBUS" else patch for patch in craft.wiring]
        self.assertFalse(spoken_output(craft, shipped().of(Receiver, "pip-s4")).inverted)


class KitRuleTest(SimpleTestCase):
    """Every rule: a kit that breaks it, and one that only just does not."""

    def broken(self, code: str, craft: CraftDocument, sound: CraftDocument, catalogue=None, sound_catalogue=None) -> None:
        with self.subTest(code):
            self.assertIn(code, codes(craft, catalogue))
            self.assertNotIn(code, codes(sound, sound_catalogue))

    def test_the_ends_of_the_link(self):
        sound = sbus_craft()
        self.broken("kit.no-shared-radio", with_kit(receiver="wisp-24"), with_kit(receiver="wisp-24", module="wisp-nest-24"))
        pip = shipped().of(Receiver, "pip-s8")
        air = pip.radio.model_dump()
        self.broken("kit.family", sound, sound, other(pip, radio=air | {"family": "Rake"}), other(pip, radio=air | {"family": "Tine"}))
        self.broken("kit.region", sound, sound, other(pip, radio=air | {"regions": ["915"]}), other(pip, radio=air | {"regions": ["915", "LBT"]}))
        self.broken("kit.region", wanting(region="868"), wanting(region="LBT"))
        self.broken("kit.no-bay", with_kit(transmitter="field-9", module="wisp-nest-24"), with_kit(module="wisp-nest-24"))

    def test_what_is_wanted_of_it(self):
        self.broken("kit.too-few-channels", wanting(channels=17), wanting(channels=16))
        quiet = wanting(telemetry=True)
        quiet.kit.receiver = "pip-s4"
        self.broken("kit.no-telemetry", quiet, wanting(telemetry=True))
        deaf = with_kit(receiver="six-pack", board="merle-f7")
        self.broken("kit.cannot-read", deaf, with_kit(receiver="six-pack", board="dabble-f3"))

    def test_a_sensor_that_is_not_fitted_is_no_fault_unless_it_is_expected(self):
        self.broken("kit.sensor-missing", wanting(sensors=["gyro", "GPS"]), wanting(sensors=["gyro"]))
        blind = wanting(sensors=["gyro", "GPS"])
        blind.kit.devices = [Fitted(name="GPS", part="tern-5")]
        self.assertNotIn("kit.sensor-missing", codes(blind))
        finding = next(each for each in check_kit(wanting(sensors=["flow"]), KitParts.of(sbus_craft())) if each.code == "kit.sensor-missing")
        self.assertEqual(finding.severity, "warn")
        says = {state.sensor: state.says for state in sensor_states(wanting(sensors=["gyro", "GPS"]), KitParts.of(sbus_craft()))}
        self.assertEqual((says["gyro"], says["GPS"], says["barometer"]), ("fitted", "missing", "fitted, not asked for"))

    def test_rails_and_parts_that_are_not_there(self):
        twin = with_kit(receiver="twin-leaf", board="merle-f7")  # no 3.3 V pad
        self.broken("kit.no-rail", twin, with_kit(receiver="twin-leaf", board="merle-f4"))
        self.broken("kit.no-such-part", with_kit(receiver="vanished"), sbus_craft())
        self.broken("kit.incomplete", with_kit(transmitter=""), sbus_craft())

    def test_every_code_is_tested_here_and_every_mend_mends(self):
        known = set(re.findall(r'"(kit\.[a-z-]+)"', inspect.getsource(kit_rules))) | {"kit.no-such-part"}
        here = set(re.findall(r'"(kit\.[a-z-]+)"', inspect.getsource(type(self))))
        self.assertEqual(known - here, set())
        for craft in (wanting(channels=17), wanting(sensors=["gyro", "GPS"]), with_kit(transmitter="field-9", module="wisp-nest-24")):
            for finding in check_kit(craft, KitParts.of(craft)):
                for mend in finding.mends:
                    if mend.edits:
                        self.assertNotIn(finding.code, codes(apply_edits(craft, mend.edits)), mend.text)


class ExchangeTest(SimpleTestCase):
    def test_a_board_keeps_the_jobs_it_can_and_tells_of_wires_that_lead_nowhere(self):
        curlew = scenario.curlew()
        change = exchange(curlew, "board", "dabble-f3", shipped())
        after = apply_edits(curlew, change.edits)
        self.assertEqual((after.settings.ports["U1"], after.settings.ports["U2"]), ("GPS", "receiver input"))
        self.assertEqual(after.settings.ports["U6"], "bench link", "a job is not dropped silently: the check says that the port is missing")
        self.assertIn("5V2", change.says[1])
        self.assertEqual(len(after.wiring), len(curlew.wiring))

    def test_a_receiver_takes_the_wires_off_that_it_has_no_pins_for(self):
        curlew = scenario.curlew()
        change = exchange(curlew, "receiver", "six-pack", shipped())
        after = apply_edits(curlew, change.edits)
        self.assertEqual([patch.pin for patch in after.wiring if patch.device == "receiver"], ["5V", "GND"])
        self.assertEqual(after.receiver.on_loss, "hold", "it knows no other way that was asked for")

    def test_a_model_memory_that_was_set_up_by_hand_stays(self):
        curlew = scenario.curlew()
        fresh = apply_edits(curlew, exchange(curlew, "transmitter", "field-9", shipped()).edits)
        self.assertEqual(len(fresh.transmitter.channels), 9)
        curlew.transmitter.channels[0].reverse = True
        kept = apply_edits(curlew, exchange(curlew, "transmitter", "field-9", shipped()).edits)
        self.assertEqual((len(kept.transmitter.channels), kept.transmitter.channels[0].reverse), (len(curlew.transmitter.channels), True))

    def test_taking_a_part_out_and_unknown_parts(self):
        curlew = scenario.curlew()
        self.assertEqual(apply_edits(curlew, exchange(curlew, "module", "", shipped()).edits).kit.module, "")
        for role, part in (("board", "pip-s8"), ("receiver", "kite"), ("module", "field-9")):
            with self.assertRaises(UnknownPart):
                exchange(curlew, role, part, shipped())

    def test_devices_come_under_free_names_and_go_with_their_wires(self):
        craft = scenario.curlew()
        for expected in ("GPS 2", "GPS 3"):
            craft = apply_edits(craft, add_device(craft, shipped().of(Peripheral, "tern-5")).edits)
            self.assertEqual(craft.kit.devices[-1].name, expected)
        craft = apply_edits(craft, remove_device(craft, "GPS").edits)
        self.assertEqual({patch.device for patch in craft.wiring} & {"GPS"}, set())
        with self.assertRaises(CraftError):
            remove_device(craft, "kite")

    def test_a_device_is_renamed_with_its_wires(self):
        craft = scenario.curlew()
        after = apply_edits(craft, rename_device(craft, "GPS", "mast GPS").edits)
        self.assertEqual([device.name for device in after.kit.devices][:2], ["mast GPS", "ESC"])
        self.assertEqual(after.pad_of("TX", "mast GPS"), craft.pad_of("TX", "GPS"))
        self.assertEqual(after.pad_of("SBUS"), "R2")
        for name, to in (("kite", "x"), ("GPS", "ESC"), ("GPS", "receiver"), ("GPS", ""), ("GPS", "a/b")):
            with self.assertRaises(CraftError, msg=(name, to)):
                rename_device(craft, name, to)


class FitsTest(SimpleTestCase):
    def test_those_that_fit_satisfy_the_demands_and_the_others_say_why_not(self):
        curlew = scenario.curlew()
        fits = {fit.name: fit for fit in what_else_fits(curlew, KitParts.of(curlew))}
        self.assertEqual(len(fits), len(shipped().all_of(Receiver)) - 1)
        self.assertEqual([name for name, fit in fits.items() if fit.fits], ["Reed One"])
        self.assertEqual(fits["Pip S4"].says, ["no telemetry"])
        self.assertIn("which this transmitter does not speak", fits["Sluice H8"].says[0])
        curlew.wants.telemetry = False
        self.assertTrue(next(fit for fit in what_else_fits(curlew, KitParts.of(curlew)) if fit.name == "Pip S4").fits)

    def test_whatever_is_said_to_fit_really_does(self):
        for make in (scenario.curlew, scenario.sandpiper, scenario.coot):
            craft = make()
            for fit in what_else_fits(craft, KitParts.of(craft)):
                if fit.fits:
                    after = apply_edits(craft, exchange(craft, "receiver", fit.part, shipped()).edits)
                    stops = [each.code for each in check_kit(after, KitParts.of(after)) if each.severity == "stop"]
                    self.assertEqual(stops, [], (craft.name, fit.name))

    def test_a_module_opens_the_way_to_more(self):
        curlew = scenario.curlew()
        curlew.kit.module, curlew.wants.region = "wisp-nest-24", "LBT"
        fits = {fit.name: fit.fits for fit in what_else_fits(curlew, KitParts.of(curlew))}
        self.assertTrue(fits["Wisp 24"])
        self.assertFalse(fits["Wisp 900"])


class StartingPointTest(SimpleTestCase):
    def test_each_kind_has_one_and_taking_every_line_leaves_nothing_to_take(self):
        for kind in Airframe.__args__:
            craft = new_craft("New", kind, Kit(board="merle-f7", receiver="pip-s8", transmitter="harrow-16"))
            lines = starting_point(craft, KitParts.of(craft))
            self.assertTrue(any(not line.same for line in lines), kind)
            after = apply_edits(craft, [line.edit for line in lines])
            self.assertTrue(all(line.same for line in starting_point(after, KitParts.of(after))), kind)
            self.assertTrue(all(line.why.endswith(".") for line in lines))

    def test_it_adds_to_what_the_pilot_expects_and_takes_nothing_away(self):
        craft = wanting(sensors=["GPS"])
        line = next(line for line in starting_point(craft, KitParts.of(craft)) if line.name == "Sensors expected")
        self.assertEqual((line.now, line.then), ("GPS", "GPS, gyro, accelerometer"))
        self.assertEqual(apply_edits(craft, [Edit(path="/wants/sensors", value=line.edit.value)]).wants.sensors, ["GPS", "gyro", "accelerometer"])
