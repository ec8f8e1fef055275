from __future__ import annotations

import itertools
import math

import numpy as np
from django.test import SimpleTestCase

import scenario
from linkcore.craft.document import load
from linkcore.devices.image_facts import ImageFacts
from linkcore.parts.catalogue import Catalogue, PartError, part_schemas, read_part, shipped
from linkcore.parts.files import facts_of, own_part, read_parts, write_parts
from linkcore.parts.models import Board, Module, Peripheral, Receiver, Transmitter
from linkcore.parts.sensitivity import BANDWIDTH_PER_BIT, NEEDED_SNR_DB
from linkcore.protocols.registry import RECEIVER_PROTOCOLS, receiver_protocol


class CompleteTest(SimpleTestCase):
    """The shipped catalogue is complete in kind."""

    def test_boards(self):
        boards = shipped().all_of(Board)
        self.assertGreaterEqual(len(boards), 6)
        self.assertEqual({board.mcu for board in boards}, {"F1", "F3", "F4", "F7", "H7"})
        self.assertEqual((min(len(board.ports) for board in boards), max(len(board.ports) for board in boards)), (3, 10))
        self.assertTrue(any(not board.full(port) for board in boards for port in board.ports), "an incomplete UART")
        self.assertTrue(any(sum(pad.inverter != "none" for pad in board.pads) == 1 for board in boards), "an inverter on one pad")
        for ability in ("PPM", "PWM"):
            self.assertTrue(any(ability in pad.reads for board in boards for pad in board.pads))
        self.assertTrue(any(pad.pin and sum(each.pin == pad.pin for each in board.pads) > 1 for board in boards for pad in board.pads), "a shared pin")
        for board in boards:
            self.assertTrue(any(rail.usb_volts for rail in board.rails) and any(rail.usb_volts is None for rail in board.rails), board.id)

    def test_receivers_transmitters_and_peripherals(self):
        receivers = shipped().all_of(Receiver)
        self.assertGreaterEqual(len(receivers), 10)
        spoken = {output.protocol for receiver in receivers for output in receiver.outputs}
        self.assertEqual({"PWM", "PPM", "SBUS", "IBUS", "SUMD", "DSM2", "DSMX", "CRSF", "F.Port"} - spoken, set())
        back = {receiver.telemetry.protocol for receiver in receivers if receiver.telemetry}
        self.assertEqual(back, {"S.Port", "hub telemetry", "CRSF", "F.Port", "IBUS telemetry", "MAVLink"})
        self.assertTrue(any(receiver.telemetry is None and receiver.outputs[0].protocol == "SBUS" for receiver in receivers))
        self.assertEqual({receiver.radio.band for receiver in receivers if receiver.outputs[0].protocol == "CRSF"}, {"2.4 GHz", "900 MHz"})
        self.assertTrue(all(receiver.supply.max_volts < 5 for receiver in receivers if receiver.outputs[0].protocol.startswith("DSM")))
        self.assertEqual(
            (len(shipped().all_of(Transmitter)) >= 4, len(shipped().all_of(Peripheral)) >= 12, len(shipped().all_of(Module)) >= 1), (True, True, True)
        )

    def test_every_part_survives_its_own_form(self):
        schemas = part_schemas()
        for part in shipped().values():
            facts = facts_of(part)
            self.assertEqual(read_part(facts), part)
            self.assertLessEqual(set(facts), set(schemas[part.kind]["properties"]), part.id)

    def test_facts_of_every_protocol_that_a_receiver_speaks(self):
        for facts in RECEIVER_PROTOCOLS.values():
            self.assertTrue(0 < facts.step_us < 2 and facts.period_s[0] <= facts.period_s[1], facts.name)
            self.assertEqual(facts.baud is None, facts.wire != "serial")
        with self.assertRaisesMessage(ValueError, "there are PWM, PPM, SBUS"):
            receiver_protocol("Morse")


class ImpossibleTest(SimpleTestCase):
    """Facts that cannot be are refused, each with its place and what to do."""

    def refused(self, part: Board | Receiver | Peripheral, said: str, **changes: object) -> None:
        with self.subTest(said), self.assertRaises(PartError) as caught:
            read_part(facts_of(part) | changes)
        self.assertIn(said, str(caught.exception))

    def test_boards(self):
        board = shipped().of(Board, "merle-f4")
        facts = facts_of(board)

        def pads(which: str, **changes: object) -> list[dict]:
            return [pad | (changes if pad["name"] == which else {}) for pad in facts["pads"]]

        self.refused(board, "belongs to one of the ports U1", pads=pads("R1", port="U9"))
        self.refused(board, "only RX and TX pads belong to a port", pads=pads("G", port="U1"))
        self.refused(board, "a supply pad, and no other, names one of the rails", pads=pads("5V", rail="7V"))
        self.refused(board, "only an RX pad or an input can measure pulses", pads=pads("T1", reads=["PPM"]))
        self.refused(board, "pad R1 is there twice", pads=pads("R2", name="R1"))
        self.refused(board, "rail 5V is there twice", rails=[*facts["rails"], facts["rails"][0]])
        self.refused(board, "software port U9 is none of the ports", software_ports=["U9"])
        self.refused(board, "USB gives 5 V", rails=[rail | {"usb_volts": 9} for rail in facts["rails"]])
        self.refused(board, "it has no limit there", rails=[rail | {"usb_volts": None, "usb_limit_ma": 5} for rail in facts["rails"]])
        self.refused(board, "less than or equal to 1", pads=pads("R1", place=2))
        self.refused(board, "Input should be 'F1'", mcu="F9")

    def test_receivers_and_peripherals(self):
        receiver = shipped().of(Receiver, "six-pack")
        outputs = facts_of(receiver)["outputs"]
        self.refused(receiver, "nothing says where that jumper sits", jumper="")
        self.refused(receiver, "there is no pin CH9", outputs=[outputs[0] | {"pins": ["CH9"]}])
        self.refused(receiver, "the peak current, 10 mA, is below", supply={"min_volts": 4, "max_volts": 6, "ma": 60, "peak_ma": 10})
        self.refused(receiver, "Extra inputs are not permitted", wings=2)
        gps = shipped().of(Peripheral, "tern-8")
        self.refused(gps, "names the job its port needs", job=None)
        self.refused(gps, "neither sends nor listens", serial={"baud": 9600})
        self.refused(gps, "only a pin that gives supply has a BEC", pins=[pin | {"bec": "linear"} for pin in facts_of(gps)["pins"]])
        self.refused(gps, "greater than or equal to 1200", serial={"baud": 3, "sends": "TX"})

    def test_what_is_no_part_at_all(self):
        for data in (None, 7, [], {}, {"kind": "kite"}, {"kind": "board"}):
            with self.assertRaises(PartError):
                read_part(data)


class FileTest(SimpleTestCase):
    def test_parts_go_out_and_come_back(self):
        facts = facts_of(shipped().of(Board, "merle-f7")) | {"id": "own-board"}
        (part,) = read_parts(write_parts([facts]))
        self.assertEqual((part.id, facts_of(part)), ("own-board", facts))

    def test_every_fault_is_told_with_its_place(self):
        good = facts_of(shipped().of(Board, "merle-f7")) | {"id": "own-board"}
        with self.assertRaises(PartError) as caught:
            read_parts(write_parts([good, good | {"usb_ma": -1}, good | {"mcu": "Z80", "id": "own-two"}, facts_of(shipped().of(Board, "merle-f7"))]))
        self.assertEqual([place for place, _ in caught.exception.problems], ["parts/1/usb_ma", "parts/2/mcu", "parts/3/id"])
        with self.assertRaisesMessage(PartError, "own-board is there twice"):
            read_parts(write_parts([good, good]))
        for data in ({"format": "coin-bell/parts", "version": 9, "parts": []}, {"format": "coin-bell/parts", "parts": {}}, [], None):
            with self.assertRaises(PartError):
                read_parts(data)

    def test_own_parts_stand_beside_the_shipped_ones_and_never_in_their_place(self):
        facts = facts_of(shipped().of(Board, "merle-f7"))
        mine = own_part(facts | {"id": "own-board", "name": "Mine"})
        both = shipped().with_own([mine, mine.model_copy(update={"id": "merle-f7"})])
        self.assertEqual((both.of(Board, "own-board").name, both.of(Board, "merle-f7").name, len(both)), ("Mine", "Merle F7", len(shipped()) + 1))
        self.assertEqual([each.name for each in Catalogue([mine]).all_of(Board)], ["Mine"])


class SensitivityTest(SimpleTestCase):
    """One rule says how weak a signal may be, and the shipped figures come of it."""

    def test_minimum_shift_keying_holds_its_power_in_the_stated_bandwidth(self):
        f = np.linspace(-40, 40, 2_000_001) + 1e-9  # in bit rates
        power = (np.cos(2 * np.pi * f) / (1 - 16 * f**2)) ** 2
        inside = np.abs(f) <= BANDWIDTH_PER_BIT / 2
        self.assertAlmostEqual(float(power[inside].sum() / power.sum()), 0.99, delta=0.002)

    def test_the_needed_snr_leaves_one_wrong_bit_in_a_thousand_two_db_below_it(self):
        bit_to_noise_db = NEEDED_SNR_DB - 2 + 10 * math.log10(BANDWIDTH_PER_BIT)
        wrong = 0.5 * math.erfc(math.sqrt(10 ** (bit_to_noise_db / 10)))
        self.assertAlmostEqual(math.log10(wrong), -3, delta=0.1)

    def test_rates_of_parts_that_state_a_noise_figure_are_reckoned(self):
        found = {part.id: [(rate.hz, rate.sensitivity_dbm) for rate in part.radio.rates] for part in shipped().all_of(Receiver) if part.radio.noise_figure_db}
        self.assertEqual(
            found, {"wisp-24": [(40, -115.5), (120, -110.5), (240, -107.5), (480, -104.5)], "wisp-900": [(30, -117.5), (60, -114.5), (120, -111.5)]}
        )
        for rates in found.values():
            for (slow, weak), (fast, strong) in itertools.pairwise(rates):
                self.assertAlmostEqual(strong - weak, 10 * math.log10(fast / slow), delta=0.51)
        with self.assertRaisesRegex(PartError, "sensitivity_dbm"):
            read_part(
                shipped()["wisp-24"].model_dump(mode="json")
                | {"radio": {"name": "x", "band": "2.4 GHz", "family": "x", "regions": ["FCC"], "rates": [{"hz": 9}]}}
            )

    def test_what_was_called_otherwise_before_still_fits(self):
        facts = shipped()["wisp-24"].model_dump(mode="json")
        facts["radio"]["family"] = "Wisp 3"
        self.assertEqual(read_part(facts).radio, shipped().of(Receiver, "wisp-24").radio)
        self.assertEqual(ImageFacts(target="PIP S8", version="2.1.0", family="Harrow 2", band="2.4 GHz", region="LBT").family, "Tine")
        older = scenario.curlew().model_dump(mode="json")
        older["settings"]["lost_link"]["response"] = "drop"
        self.assertEqual(load(older).settings.lost_link.response, "motors off")
