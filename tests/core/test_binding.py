from __future__ import annotations

import hashlib
import itertools
import math
import random
import statistics

from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from linkcore.bench.messages import BenchState
from linkcore.craft.document import AirSetup, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.devices import budget as budgets
from linkcore.devices.ends import EXCHANGE_S, OFFER_S, Offer, PowerCycle, ReceiverEnd, TransmitterEnd
from linkcore.devices.firmware import air, all_as_made, devices_of
from linkcore.devices.identity import from_model, from_phrase, serial_of
from linkcore.devices.legal import limit_of
from linkcore.devices.lights import STATE_WORDS, in_words, meanings
from linkcore.findings import Edit
from linkcore.hops.sticks.latency import latency
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Binding, Light, Module, Radio, Receiver, Transmitter
from linkcore.protocols.registry import RECEIVER_PROTOCOLS
from linkcore.standins.radio import Air
from tests import hazards
from tests.crafts import crsf_craft, sbus_craft
from tests.hand import Hand
from tests.hazards import bind_told
from tests.kits import every_receiver


class IdentityTest(SimpleTestCase):
    def test_eight_bytes_by_the_named_hash(self):
        self.assertEqual(from_phrase("low water at noon"), hashlib.blake2b(b"low water at noon", digest_size=8, person=b"bell link phrase").digest())
        self.assertEqual(from_phrase("  low water at noon "), from_phrase("low water at noon"))
        self.assertEqual(from_phrase("Cafe\u0301 at noon"), from_phrase("Caf\u00e9 at noon"), "one letter, however it was typed")
        with self.assertRaisesRegex(ValueError, "8 letters"):
            from_phrase("short  ")

    def test_no_two_sources_meet(self):
        serials = [serial_of(part) for part in shipped()]
        known = [from_model(serial, slot) for serial in serials for slot in range(1, 11)] + [from_phrase(f"phrase number {n}") for n in range(300)] + serials
        self.assertEqual(len(set(known)), len(known))


class ReceiverEndTest(SimpleTestCase):
    def end(self, *ways, wait_s=30) -> ReceiverEnd:
        return ReceiverEnd(Binding(ways=ways, wait_s=wait_s))

    def offer(self, mode="bind") -> Offer:
        return Offer(mode, b"identity", b"serialno")

    def hears(self, end, offer, t) -> bool:
        return any(end.hear(offer, t + step) for step in (0.0, EXCHANGE_S / 2, EXCHANGE_S + 0.01))

    def test_button_waits_and_gives_up_in_time(self):
        end = self.end("button", wait_s=30)
        end.power(True, 0.0)
        self.assertEqual((end.state, self.hears(end, self.offer(), 1.0)), ("unbound", False))
        end.power(False, 2.0)
        end.power(True, 10.0, button=True)
        end.tick(39.9)
        self.assertEqual(end.state, "bind")
        end.tick(40.0)
        self.assertEqual((end.state, self.hears(end, self.offer(), 41.0)), ("unbound", False))
        end.power(True, 50.0, button=True)
        self.assertTrue(self.hears(end, self.offer(), 51.0))
        self.assertEqual((end.state, end.identity, end.listens), ("bound", b"identity", False))
        end.power(False, 60.0)
        end.power(True, 61.0)
        self.assertEqual((end.state, end.listens), ("no link", True))

    def test_three_quick_power_cycles_and_no_slower_ones(self):
        for on_s, off_s, waits in ((1.0, 1.0, True), (1.9, 1.9, True), (2.5, 1.0, False), (1.0, 2.5, False)):
            end, t = self.end("power cycles"), 100.0
            end.power(True, 0.0)
            for _ in range(3):
                end.power(False, t)
                end.power(True, t + off_s)
                t += off_s + on_s
            self.assertEqual(end.state == "bind", waits, (on_s, off_s))

    def test_bind_is_refused_by_whoever_was_not_registered_first(self):
        end = self.end("register")
        end.power(True, 0.0)
        self.assertFalse(self.hears(end, self.offer(), 1.0))
        end.power(False, 5.0)
        end.power(True, 8.0, button=True)
        self.assertTrue(self.hears(end, self.offer("register"), 9.0))
        self.assertEqual((end.state, end.identity), ("registered", None))
        end.power(False, 12.0)
        end.power(True, 15.0)
        self.assertFalse(self.hears(end, Offer("bind", b"other id", b"stranger"), 16.0))
        self.assertTrue(self.hears(end, self.offer(), 18.0))

    def test_an_exchange_that_breaks_off_begins_anew(self):
        end = self.end("button")
        end.power(True, 0.0, button=True)
        self.assertFalse(end.hear(self.offer(), 1.0))
        self.assertFalse(end.hear(None, 1.4))
        self.assertFalse(end.hear(self.offer(), 1.0 + EXCHANGE_S))
        self.assertTrue(end.hear(self.offer(), 1.0 + 2 * EXCHANGE_S))

    def test_a_transmitter_offers_for_a_time_and_sends_by_its_model(self):
        end = TransmitterEnd(b"serialno")
        first = end.identity
        end.select(2)
        self.assertNotEqual(end.identity, first)
        with self.assertRaisesRegex(ValueError, "no model memory 11"):
            end.select(11)
        end.take_phrase("low water at noon")
        self.assertEqual(end.identity, from_phrase("low water at noon"))
        end.choose("bind", 5.0)
        end.tick(5.0 + OFFER_S - 0.1, on=True)
        self.assertEqual(end.offer().identity, end.identity)
        end.tick(5.0 + OFFER_S, on=True)
        self.assertIsNone(end.offer())
        end.choose("bind", 50.0)
        end.tick(50.1, on=False)
        self.assertIsNone(end.offer())


class LightsTest(SimpleTestCase):
    def test_every_light_that_a_receiver_shows_says_what_to_do(self):
        for receiver in shipped().all_of(Receiver):
            for state, light in receiver.binding.lights.items():
                found = meanings(receiver.binding, light)
                self.assertIn(state, [each.state for each in found], receiver.id)
                self.assertTrue(all(each.says and each.do for each in found))
            self.assertEqual(meanings(receiver.binding, Light(colour="amber", pattern="double blink")), [], receiver.id)
            self.assertIn(None, [each.state for each in meanings(receiver.binding, Light(colour="none", pattern="off"))])
        self.assertEqual(in_words(Light(colour="red", pattern="slow blink")), "red, slow blink")
        self.assertEqual(set(STATE_WORDS), set(Binding().lights))


class PowerCycleTest(SimpleTestCase):
    def run_through(self, looks) -> float | None:
        cycle = PowerCycle()
        for t, receiver_on, transmitter_on, linked, binding in looks:
            cycle.see(t, receiver_on=receiver_on, transmitter_on=transmitter_on, linked=linked, binding=binding)
        return cycle.back_after_s

    def test_both_ends_must_have_been_off(self):
        steady = (0.0, True, True, True, False)
        receiver_off, transmitter_off = (1.0, False, True, False, False), (3.0, True, False, False, False)
        back = (2.0, True, True, True, False)
        self.assertIsNone(self.run_through([steady, receiver_off, back]))
        self.assertEqual(self.run_through([steady, receiver_off, back, transmitter_off, (4.0, True, True, False, False), (4.5, True, True, True, False)]), 0.5)
        both = [steady, (1.0, False, False, False, False), (2.0, True, False, False, False), (3.0, True, True, False, False), (3.2, True, True, True, False)]
        self.assertEqual(self.run_through(both), 0.2)
        self.assertIsNone(self.run_through([*both, (4.0, True, True, True, True)]), "a bind takes the proof back")
        self.assertIsNone(self.run_through([*both, (4.0, False, True, False, False)]), "off once more: the next return counts")


class BudgetTest(SimpleTestCase):
    def radios(self, region="868"):
        craft = apply_edits(crsf_craft(), [Edit(path="/wants/region", value=region)])
        devices = devices_of(KitParts.of(craft))
        return air(devices, all_as_made(devices, craft))

    def test_free_space_against_figures_worked_by_hand(self):
        self.assertAlmostEqual(budgets.free_space_loss_db(1000, 1000), 92.45, places=2)
        self.assertAlmostEqual(budgets.free_space_loss_db(1000, 2440), 20 * math.log10(4 * math.pi * 1000 * 2.44e9 / 299792458), delta=0.01)
        self.assertAlmostEqual(budgets.free_space_loss_db(2000, 869.5) - budgets.free_space_loss_db(1000, 869.5), 6.02, places=2)

    def test_a_whole_budget_worked_by_hand(self):
        found = budgets.budget(AirSetup(power_dbm=20, rate_hz=50), *self.radios(), 0.004, "868")
        self.assertEqual((found.sensitivity_dbm, found.eirp_dbm, found.frequency_mhz, found.alarm_dbm), (-114.5, 22, 869.5, -104.5))
        self.assertAlmostEqual(found.margin_at_1_km_db, 22 + 2 - 3 + 114.5 - 91.24, delta=0.06)
        self.assertAlmostEqual(found.limit_dbm, 29.15)
        self.assertAlmostEqual(budgets.margin_db(found, found.range_m), 0, places=2)
        self.assertAlmostEqual(budgets.margin_db(found, found.alarm_at_m), budgets.ALARM_MARGIN_DB, places=2)

    @settings(max_examples=60, deadline=None)
    @given(st.floats(-10, 40), st.floats(-5, 15), st.floats(-5, 15), st.floats(0, 40), st.floats(100, 6000))
    def test_more_power_reaches_farther_and_the_curve_falls(self, power, sends, hears, losses, mhz):
        setup = AirSetup(power_dbm=power, transmitter_gain_dbi=sends, receiver_gain_dbi=hears, other_losses_db=losses, frequency_mhz=mhz)
        found = budgets.budget(setup, *self.radios(), 0.004, "868")
        more = budgets.budget(setup.model_copy(update={"power_dbm": power + 6.0206}), *self.radios(), 0.004, "868")
        self.assertAlmostEqual(more.range_m / found.range_m, 2, delta=0.2 / max(found.range_m, 0.2) + 0.01)
        self.assertTrue(all(one[0] < other[0] and one[1] >= other[1] for one, other in itertools.pairwise(found.curve)))

    def test_the_power_that_is_proposed_keeps_to_the_limit(self):
        for region in ("868", "915"):
            sends, hears = self.radios(region)
            for gain in (0, 2, 6, 12):
                found = budgets.budget(AirSetup(transmitter_gain_dbi=gain), sends, hears, 0.004, region)
                self.assertTrue(found.eirp_dbm <= found.limit_dbm or found.power_dbm == min(sends.powers_dbm))

    def test_what_each_region_allows_follows_from_the_radio_and_its_antenna(self):
        """Figures read off the rules: EIRP in dBm for an antenna of so many dBi."""
        low, high = {"band": "900 MHz", "regions": ("868", "915")}, {"band": "2.4 GHz", "regions": ("FCC", "LBT")}
        for facts, region, gain, eirp in (
            (high | {"hop_channels": 75}, "FCC", 6, 36.0),
            (high | {"hop_channels": 75}, "FCC", 2, 32.0),
            (high | {"hop_channels": 75}, "FCC", 9, 36.0),
            (high | {"hop_channels": 74}, "FCC", 6, 27.0),
            (high | {"width_mhz": 0.5}, "FCC", 0, 30.0),
            (low | {"hop_channels": 50}, "915", 0, 30.0),
            (low | {"hop_channels": 49}, "915", 0, 24.0),
            (low | {"hop_channels": 24}, "915", 0, -math.inf),
            (high | {"hop_channels": 15, "width_mhz": 0.1}, "LBT", 9, 20.0),
            (high | {"hop_channels": 14, "width_mhz": 2.0}, "LBT", 0, 13.01),
            (high | {"hop_channels": 1, "width_mhz": 20.0}, "LBT", 0, 20.0),
            (low | {"polite": True}, "868", 0, 29.15),
            (low | {"duty_percent": 10}, "868", 12, 29.15),
            (low | {"duty_percent": 10.1}, "868", 0, 9.15),
        ):
            with self.subTest(region, **facts):
                limit = limit_of(Radio(name="Any", family="Any", **facts), region, gain)
                self.assertAlmostEqual(limit.eirp_dbm, eirp, places=2)
        self.assertIsNone(limit_of(Radio(name="Any", family="Any", **high), "868", 2), "no rule for that band is known there")

    def test_a_link_runs_under_the_rules_that_are_wanted(self):
        both = Radio(name="Any", band="2.4 GHz", family="Any", regions=("FCC", "LBT"))
        fcc = both.model_copy(update={"regions": ("FCC",)})
        self.assertEqual([budgets.region_of(both, other, "LBT") for other in (both, fcc)], ["LBT", "FCC"])
        self.assertEqual(budgets.region_of(both, both, None), "FCC")

    def test_every_shipped_radio_may_send_somewhere_what_it_can(self):
        for part in (*shipped().all_of(Transmitter), *shipped().all_of(Module)):
            for radio in part.radios:
                for region in radio.regions:
                    with self.subTest(part.id, region=region):
                        limit = limit_of(radio, region, 0)
                        self.assertLessEqual(min(radio.powers_dbm), limit.eirp_dbm)

    def test_loss_grows_from_none_to_all(self):
        shares = [budgets.loss_percent(margin) for margin in range(10, -10, -1)]
        self.assertEqual(shares[0], 0)
        self.assertAlmostEqual(shares[-1], 100, delta=0.01)
        self.assertAlmostEqual(budgets.loss_percent(-2), 50)
        self.assertAlmostEqual(budgets.loss_percent(-2 + math.log(99) / 1.5), 1)
        self.assertEqual(shares, sorted(shares))


class BenchBindTest(SimpleTestCase):
    def unbound(self, craft) -> Hand:
        return Hand(craft, BenchState(stored=craft.settings, running=craft.settings, read_back=craft.settings, bound=False))

    def test_every_way_of_every_receiver_leads_to_a_proven_bind(self):
        seen = set()
        for name, craft in every_receiver():
            for way in shipped()[craft.kit.receiver].binding.ways:
                hand = self.unbound(craft)
                self.assertIn("bind.not-bound", hand.codes(), name)
                hand.do(0.2, way=way)
                hazards.Pilot(hand.bench).bind()
                self.assertTrue(bind_told(hand.bench).proven, (name, way))
                self.assertEqual([code for code in self.codes(hand) if code.startswith("bind.")], [], (name, way))
                self.assertEqual(hand.bench.board.stored.bind_count, 0)
                hand.bench.run_until(hand.bench.t + 1.5)
                self.assertEqual({proof.hop for proof in hand.bench.new_proofs} & {"load", "bind"}, {"load", "bind"}, (name, way))
                seen.add(way)
        self.assertEqual(seen, {"button", "menu", "power cycles", "register", "phrase", "count"})

    def codes(self, hand) -> list[str]:
        return [finding.code for finding in hand.reporter.report(1).findings]

    def test_an_identity_that_does_not_fit_is_not_heard_and_says_why(self):
        hand = Hand(crsf_craft())
        hand.do(1.5, model=2)
        self.assertEqual(hand.board.link, "lost")
        finding = next(finding for finding in hand.report().findings if finding.code == "bind.other-link")
        self.assertIn("model memory 1, and 2 is selected", finding.what)
        hand.do(1.5, model=1)
        self.assertEqual(hand.board.link, "good")
        hand.do(1.0, transmitter_phrase="low water at noon")
        self.assertIn("link phrase", next(finding.what for finding in hand.report().findings if finding.code == "bind.other-link"))
        hand.do(1.5, receiver_phrase="low water at noon")
        self.assertEqual(hand.board.link, "good")
        with self.assertRaisesRegex(ValueError, "8 letters"):
            hand.do(receiver_phrase="short")

    def test_what_breaks_a_bind(self):
        def tries(**hands) -> bool:
            hand = self.unbound(sbus_craft())
            hand.do(0.2, **hands)
            hand.do(0.2, bind_button=True, receiver_plugged=False)
            hand.do(0.2, receiver_plugged=True)
            hand.do(2.0, transmitter_mode="bind")
            return hand.bench.link.knows

        self.assertTrue(tries())
        self.assertFalse(tries(distance_m=0.1))
        self.assertFalse(tries(distance_m=50))
        hand = self.unbound(sbus_craft())
        hand.bench.loading.memories["receiver"].installed = hand.bench.loading.memories["receiver"].installed.model_copy(
            update={"facts": hazards.IMAGES["pip-s8-2.1.0-lbt.hex"][0]}
        )
        hand.do(0.2, bind_button=True, receiver_plugged=False)
        hand.do(0.2, receiver_plugged=True)
        hand.do(2.0, transmitter_mode="bind")
        self.assertFalse(hand.bench.link.knows, "regions differ")
        report = bind_told(hand.bench)
        self.assertIn("is set for FCC, the receiver for LBT", report.hindrances[0])
        self.assertEqual([(step.text, step.hop) for step in report.steps if step.next], [("Make the firmware of both ends fit", "load")])

    def test_no_window_for_hands_counts_while_the_bench_runs_late_and_each_is_offered_again_whole(self):
        for name, craft in every_receiver():
            for way in shipped()[craft.kit.receiver].binding.ways:
                if way in ("phrase", "power cycles"):
                    continue  # a phrase has no window; quick hands begin anew
                hand = self.unbound(craft)
                hand.do(0.2, way=way)
                hand.bench.take_pace(0.5)
                with self.assertRaisesRegex(AssertionError, "not bound after 12 steps"):
                    hazards.Pilot(hand.bench).bind(most=12)
                self.assertFalse(hand.bench.link.knows, (name, way))
                self.assertIn("the bench runs late", bind_told(hand.bench).hindrances[0])
                hand.passes(70.0)
                hand.bench.take_pace(1.0)
                if way != "register":  # its two buttons are two windows, one after the other
                    hand.passes(1.5)
                    self.assertTrue(hand.bench.link.knows, (name, way, "both ends stayed as they were"))
                else:
                    hazards.Pilot(hand.bench).bind()
                self.assertTrue(hand.bench.link.knows, (name, way))

    def test_a_bind_count_left_in_place_keeps_the_satellite_from_connecting(self):
        craft = next(craft for name, craft in every_receiver() if name == "twin-leaf")
        hand = Hand(craft)
        pilot = hazards.Pilot(hand.bench)
        hand.passes(1.0)
        self.assertEqual(hand.board.link, "good")
        pilot.write(9)
        self.assertIn("bind.count-left", [finding.code for finding in hand.reporter.report(1).findings])
        pilot.do(0.5, pack=False)
        pilot.do(3.0, pack=True)
        self.assertEqual((hand.bench.receiver.state, hand.bench.board.link), ("bind", "no signal"))
        self.assertEqual(next(state.coin for state in hand.reporter.report(1).chain if state.hop == "bind"), "cracked")
        pilot.write(0)
        pilot.do(0.5, pack=False)
        pilot.do(3.0, pack=True)
        self.assertEqual(hand.bench.board.link, "good")
        pilot.write(3)
        self.assertIn("bind.count-kind", [finding.code for finding in hand.reporter.report(1).findings])

    def test_a_bind_pad_of_its_own_must_be_left_again(self):
        twin = next(craft for name, craft in every_receiver() if name == "twin-leaf")
        craft = apply_edits(
            twin, [Edit(path="/kit/board", value="merle-f4"), Edit(path="/settings/ports", value=dict.fromkeys(("U1", "U2", "U3", "U4", "U5"), "free"))]
        )
        wiring = [{"device": "receiver", "pin": pin, "pad": pad} for pin, pad in (("DATA", "R3"), ("3V3", "3V3"), ("GND", "G"))]
        craft = apply_edits(craft, [Edit(path="/wiring", value=wiring), Edit(path="/settings/ports/U3", value="receiver input")])
        hand = self.unbound(craft)
        self.assertEqual(hand.bench.bind_pad, "R1")
        done = hazards.Pilot(hand.bench).bind()
        self.assertEqual(
            [step for step in done if "satellite" in step.lower() and "lug" in step][:2],
            ["Plug the satellite into R1, the only pad that sends bind pulses", "Plug the satellite back into its own pad"],
        )
        hand.bench.run_until(hand.bench.t + 1)
        self.assertEqual(hand.bench.board.link, "good")
        hazards.Pilot(hand.bench).do(0.5, satellite_away=True)
        away = next(finding for finding in hand.reporter.report(1).findings if finding.code == "bind.satellite-away")
        hazards.Pilot(hand.bench).do(0.5, **away.mends[0].hands)
        self.assertNotIn("bind.satellite-away", [finding.code for finding in hand.reporter.report(1).findings])

    def test_right_beside_each_other_proves_nothing(self):
        hand = Hand(sbus_craft())
        hand.do(0.2, distance_m=0.1)
        for hands in ({"receiver_plugged": False}, {"receiver_plugged": True}, {"transmitter_on": False}, {"transmitter_on": True}):
            hand.do(0.8, **hands)
        self.assertEqual((hand.coins()["bind"], bind_told(hand.bench).proven), ("blank", False))
        hand.do(0.5, distance_m=2)
        self.assertEqual(hand.coins()["bind"], "rings true")
        hand.do(0.5, forget_bind=True)
        self.assertEqual(hand.coins()["bind"], "cracked")

    def seen_at(self, hand: Hand, distance_m: float) -> tuple[float, list[float]]:
        """(the mean link quality over two minutes at a distance, the signals of that time, dBm)."""
        hand.do(2.0, distance_m=distance_m)
        quality, signals = [], []
        for _ in range(120):
            hand.passes(1.0)
            quality.append(hand.bench.live().lq_percent)
            signals.append(hand.bench.receiver.signal[0])
        return statistics.mean(quality), signals

    def test_distance_takes_frames_and_then_the_link(self):
        hand = Hand(sbus_craft())
        reach = hand.bench.link.budget.range_m
        (near, _), (edge, _), (far, _) = (
            self.seen_at(hand, distance) for distance in (reach / 10, reach, reach * 10 ** (2 / 20))
        )  # 2 dB below what is still understood
        self.assertEqual(near, 100)
        self.assertTrue(60 < edge < 90 and 35 < far < 65, (edge, far))
        hand.do(10.0, distance_m=reach * 5)
        self.assertIn(hand.board.link, ("lost", "no signal"))

    def test_frames_are_lost_in_bursts_where_the_signal_is_weak(self):
        air = Air(random.Random(3))
        for percent in (5, 30, 90):
            heard = [air.carries(True, percent, 0.0) for _ in range(60_000)]
            self.assertAlmostEqual(100 * (1 - statistics.mean(heard)), percent, delta=2)
            runs = [len(list(each)) for got, each in itertools.groupby(heard) if not got]
            self.assertAlmostEqual(statistics.mean(runs), max(4, 1 / (1 - percent / 100)), delta=0.6)

    def test_the_signal_that_a_receiver_reports_is_that_of_the_link_budget_with_shadows(self):
        hand = Hand(crsf_craft())
        told = {}
        for distance in (100, 1000):
            _, signals = self.seen_at(hand, distance)
            found = hand.bench.link.budget
            arrives = found.eirp_dbm + found.receiver_gain_dbi - found.other_losses_db - budgets.free_space_loss_db(distance, found.frequency_mhz)
            self.assertAlmostEqual(statistics.mean(signals), arrives, delta=1.2)
            self.assertTrue(2 < statistics.stdev(signals) < 4, "3 dB of shadows")
            edges, length = hand.bench.wire_edges(seconds=0.5)
            frames = RECEIVER_PROTOCOLS["CRSF"].reader(False, edges.level).feed(edges.times, length)[1]
            told[distance] = next(frame.values for frame in frames if getattr(frame, "sensor", "") == "link_statistics")
            self.assertAlmostEqual(
                told[distance]["uplink_rssi_1_dbm"],
                signals[-1],
                delta=6,
                msg="what goes out on the wire is what arrived within the last half second, and shadows move",
            )
        self.assertGreater(told[100]["uplink_rssi_1_dbm"] - told[1000]["uplink_rssi_1_dbm"], 8)

    def test_frames_come_at_the_rate_that_is_set_for_the_air(self):
        hand = Hand(crsf_craft())
        hand.passes(1.5)
        for hz in (30, 120, 60):
            hand.bench.take_document(apply_edits(hand.bench.document, [Edit(path="/air/rate_hz", value=hz)]))
            hand.passes(1.5)
            self.assertAlmostEqual(hand.bench.observed.port_reading().good, hz, delta=2)
            air = next(part for part in latency(hand.bench.document, hand.bench.parts).parts if part.name == "air")
            self.assertAlmostEqual(air.worst_ms, 2000 / hz, delta=0.01)
        hand.bench.take_document(apply_edits(hand.bench.document, [Edit(path="/air/rate_hz", value=None)]))
        hand.passes(1.5)
        self.assertAlmostEqual(hand.bench.observed.port_reading().good, 1 / hand.bench.receiver_part.link_period_s, delta=2)

    def test_the_bind_survives_a_restart_of_coin_bell(self):
        hand = self.unbound(sbus_craft())
        hazards.Pilot(hand.bench).bind()
        again = Hand(hand.bench.document, BenchState.model_validate(hand.bench.state().keep()))
        self.assertTrue(again.bench.link.knows)
        self.assertEqual(bind_told(again.bench).back_after_s, bind_told(hand.bench).back_after_s)

    def test_random_mishaps_end_in_a_proven_bind(self):
        crafts = [craft for name, craft in every_receiver() if name in ("twin-leaf", "reed-one", "wisp-24", "stile-12", "pip-s8")]
        for seed in range(10):
            outcome = hazards.bind_mishap(crafts[seed % len(crafts)], seed)
            self.assertTrue(hazards.right(outcome), outcome)
