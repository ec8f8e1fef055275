"""What a bench sees of lost links, by what the board says has happened: whole losses, short gaps, bad air, and the switch of the lost-link test."""

from __future__ import annotations

from linkcore.bench.flight import HEARD_S
from linkcore.bench.seen import SeenBench
from linkcore.devices.board_api import BoardApi, BoardEvent
from linkcore.devices.motors import at_rest
from linkcore.hops.lost_link.runs import LEAST_CUT_DB, LEAST_WALK_M, SECTOR_S, SECTORS, BadAir, Gap, LossRun, RangeWalk, SwitchTest
from linkcore.standins.radio import LQ_FRAMES

QUIET_S = HEARD_S  # radio silence that counts as switched off rather than a few lost frames
SETTLES_S = 1.0  # a link that is back this long without the motors starting has come back safely
OVER_S = 0.5  # after a gap: by then the board has shown what it makes of it
BAD_SHARE = (0.15, 0.25)  # of frames lost, about one in five
LOW_SPREAD = 5.0  # by how much motors that go on as before may differ, percent


class LossWatch:
    """All that is seen of lost links on one bench."""

    def __init__(self, bench: SeenBench, run: LossRun | None) -> None:
        self._bench = bench
        self.run = run
        self.gap: Gap | None = None
        self.bad_air: BadAir | None = None
        self.switch_test: SwitchTest | None = None
        self.walk: RangeWalk | None = None
        self._walked_t = self._turned_t = 0.0
        self._facing = -1.0
        self._heard = bench.board.events.count
        self._since_sent: list[BoardEvent] = []  # what the board has said since the last radio frame
        self._low_since: float | None = None
        self._motors_before = 0.0
        self._throttle_up = False
        self._rssi: float | None = None
        self._low_s = 0.0

    def forget(self) -> None:
        """What was seen counts no more."""
        self.run = self.gap = self.bad_air = self.switch_test = self.walk = None

    def broken_off(self) -> None:
        """The supply came or went in the middle of it."""
        if self.run and self.run.state == "running":
            self.run.state = "broken off"
        self.gap = self.bad_air = self.switch_test = self.walk = None

    def watch(self, t: float) -> None:
        """Follow what happens up to `t`, bench seconds."""
        board: BoardApi = self._bench.board
        events, self._heard = board.events.since(self._heard), board.events.count
        if not board.powered:
            return
        self._watch_gap(t, events)
        self._watch_bad_air(t, events)
        self._watch_switch(t, events)
        self._watch_walk(t)
        self._watch_loss(t, events)
        self._watch_throttle(t)

    def _watch_throttle(self, t: float) -> None:
        """How long the throttle has asked for nothing, as the board decodes it; what it was when the radio fell silent stays."""
        board: BoardApi = self._bench.board
        throttle = board.axes().get("throttle")
        if board.link != "good" or throttle is None or t - self._bench.link.last_sent_t > QUIET_S:
            return
        self._rssi = board.rssi_percent
        low = at_rest(board.running, throttle)
        self._low_since = (self._low_since if self._low_since is not None else t) if low else None
        self._throttle_up, self._low_s = not low, 0.0 if self._low_since is None else t - self._low_since

    # --- a whole loss -------------------------------------------------------------------------------------------

    def _watch_loss(self, t: float, events: list[BoardEvent]) -> None:
        """From the last radio frame to the link's return, and on until the board obeys again or stands still."""
        board: BoardApi = self._bench.board
        last_sent_t = self._bench.link.last_sent_t
        self._since_sent = [event for event in [*self._since_sent, *events] if event.t > last_sent_t]
        silent, run = t - last_sent_t > QUIET_S, self.run
        if run is None or run.state != "running":
            known = run is not None and abs(run.radio_silent_t - last_sent_t) < 1e-9
            reacted = any(event.kind == "link lost" for event in self._since_sent)  # a grace may be over before so long a silence is
            if not silent or known or board.last_frame_t is None or not (reacted or board.link in ("good", "grace")):
                return
            armed = board.armed or any(event.kind == "response begun" for event in self._since_sent)
            run = self.run = LossRun(
                armed=armed, radio_silent_t=last_sent_t, throttle_up=self._throttle_up, low_s=round(self._low_s, 2), rssi_before=self._rssi
            )
            events = self._since_sent
        if run.reacted_t is None:  # later frames belong to the link's return
            run.last_frame_t = board.last_frame_t
        for event in events:
            self._follow(run, event)
        if silent and run.rssi_low_t is None and board.rssi_percent is not None and board.rssi_percent < 1:
            run.rssi_low_t = t
        if not run.armed and board.motors_percent:
            run.turned = True
        flight = self._bench.flight
        if run.armed and flight.path and (run.back_t is None or board.responding):
            run.path, run.down_t = list(flight.path), flight.down_t
        if silent and run.fooled_t is None and board.link == "good" and t - last_sent_t > self._should_know_s():
            run.fooled_t = t
        if run.back_t is None and not silent and board.link == "good":  # a receiver that holds may have brought the link back long before the radio
            if run.reacted_t is None and run.motors_stopped_t is None and run.responded_t is None:
                run.state = "broken off"
                return
            run.back_t = next((event.t for event in events if event.kind == "link back"), board.last_frame_t)
            arming, channels = board.running.arming, board.channels
            run.switch_on = arming is not None and arming.channel <= len(channels) and arming.holds(channels[arming.channel - 1])
        if silent and run.back_t is not None:  # it died anew before this run was over
            run.state = "broken off"
            return
        if run.back_t is not None and (run.rearmed_by_itself or (t - run.back_t >= SETTLES_S and not board.responding)):
            run.state = "done"

    def _should_know_s(self) -> float:
        """By when, after the last radio frame, no board may take the link for good any more: the receiver's own time, the grace, and a frame."""
        receiver = self._bench.receiver_part
        return receiver.lost_after_s + self._bench.board.running.lost_link.grace_ms / 1000 + self._bench.link.period_s

    @staticmethod
    def _follow(run: LossRun, event: BoardEvent) -> None:
        t = event.t
        match event.kind:
            case "failsafe reported" if run.flagged_t is None:
                run.flagged_t = t
            case "link lost" if run.reacted_t is None:
                run.reacted_t = t
                run.motors_stopped_t = None if run.armed else t
            case "response begun" if run.responded_t is None:
                run.responded_t = t
            case "counts as landed":
                run.counted_landed = True
            case "motors stopped" if run.motors_stopped_t is None and run.control_t is None:
                run.motors_stopped_t = t
            case "at height":
                run.at_height_t = t
            case "at home":
                run.home_t = t
            case "control back":
                run.control_t = t
            case "armed" if run.back_t is not None or run.motors_stopped_t is not None:
                run.rearmed_by_itself = True

    # --- what is shorter or milder ------------------------------------------------------------------------------

    def _watch_gap(self, t: float, events: list[BoardEvent]) -> None:
        """The air is silenced for a moment: nothing may come of it."""
        board: BoardApi = self._bench.board
        silenced = self._bench.link.air.silenced
        if silenced is not None and (self.gap is None or self.gap.began_t != silenced[0]):
            self.gap = Gap(began_t=silenced[0], gap_s=round(silenced[1] - silenced[0], 3), armed=board.armed)
            self._motors_before = board.motors_percent
        gap = self.gap
        if gap is None or gap.over:
            return
        if any(event.kind in ("link lost", "motors stopped") and event.t >= gap.began_t for event in events):
            gap.lost = True
        if not self._bench.link.transmitting:
            self.gap = None
        elif t >= gap.began_t + gap.gap_s + OVER_S:
            gap.over = True
            gap.motors_as_before = abs(board.motors_percent - self._motors_before) <= LOW_SPREAD

    def _watch_bad_air(self, t: float, events: list[BoardEvent]) -> None:
        """One frame in five is lost: how often does the board give the link up?"""
        board: BoardApi = self._bench.board
        share = self._bench.link.loss_percent / 100
        goes_on = self._bench.link.transmitting and BAD_SHARE[0] <= share <= BAD_SHARE[1] and (board.armed or self.bad_air is not None)
        if not goes_on:
            self.bad_air = None
            return
        if self.bad_air is None or abs(self.bad_air.share - share) > 1e-6:
            self.bad_air = BadAir(began_t=t, share=round(share, 4))
        self.bad_air.losses += sum(event.kind == "link lost" for event in events)
        self.bad_air.lasted_s = round(t - self.bad_air.began_t, 2)

    def _watch_walk(self, t: float) -> None:
        """A range walk: the lowest link quality at each heading, once the count of frames is of that heading alone."""
        link, board = self._bench.link, self._bench.board
        passed, self._walked_t = min(1.0, t - self._walked_t), t
        away = link.distance_m >= LEAST_WALK_M and link.power_cut_db >= LEAST_CUT_DB and link.transmitting
        sector = round(link.heading_deg / (360 / SECTORS)) % SECTORS
        if not away:
            if self.walk is not None and not self.walk.whole:
                self.walk = None
            return
        if board.motors_percent <= 0:
            if self.walk is not None and board.link == "lost":
                self.walk.lq[sector] = 0.0
            return
        here = (link.distance_m, link.power_cut_db)
        if self.walk is None or (self.walk.distance_m, self.walk.cut_db) != here:
            self.walk = RangeWalk(distance_m=here[0], cut_db=here[1], lq=[None] * SECTORS, held_s=[0.0] * SECTORS)
            self._turned_t = t
        if link.heading_deg != self._facing:
            self._facing, self._turned_t = link.heading_deg, t
        if t - self._turned_t < LQ_FRAMES * link.period_s:
            return
        self.walk.held_s[sector] = round(self.walk.held_s[sector] + passed, 2)
        if self.walk.held_s[sector] >= SECTOR_S:
            before, now = self.walk.lq[sector], float(link.air.lq_percent)
            self.walk.lq[sector] = now if before is None else min(before, now)

    def _watch_switch(self, t: float, events: list[BoardEvent]) -> None:
        """The switch of the lost-link test."""
        board: BoardApi = self._bench.board
        if board.testing_loss and (self.switch_test is None or self.switch_test.back):
            self.switch_test = SwitchTest(began_t=board.last_frame_t or t, armed=board.armed or any(event.kind == "response begun" for event in events))
        test = self.switch_test
        if test is None or test.back:
            return
        for event in events:
            if event.kind == "link lost" and test.reacted_s is None:
                test.reacted_s = round(event.t - test.began_t, 3)
        if not board.testing_loss and board.link == "good":
            if test.reacted_s is None:
                self.switch_test = None
            else:
                test.back = True
