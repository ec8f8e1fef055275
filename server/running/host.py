"""Running benches in this process.

A bench runs in exactly one place: whoever holds its lease in the database. Everybody else reaches it through the channel
layer: hands and acts go to its channel, snapshots come out to its group.
"""

from __future__ import annotations

import asyncio
import contextlib
import functools
import logging
import math
import secrets
import time
import uuid
from collections.abc import Callable, Coroutine
from dataclasses import dataclass
from typing import Any, ParamSpec, TypeVar
from uuid import UUID

from channels.layers import get_channel_layer
from django.conf import settings
from django.contrib.auth import get_user_model
from django.db import IntegrityError, transaction

from linkcore.bench.bench import REST_SLICE_S, SLICE_S
from linkcore.bench.messages import Act, Answer, Hands, Outage, Trouble, Waiting
from linkcore.bench.station import Given, NoBench, Ran, Stands, Wanted
from linkcore.craft.document import BoardSettings, CraftDocument, CraftError
from linkcore.craft.parts import KitParts
from linkcore.devices.board_api import Refused
from linkcore.devices.firmware import Role
from linkcore.devices.flash_job import FlashOrder, JobState
from linkcore.findings import HopKey
from linkcore.hop import HopState
from linkcore.hops.registry import HOPS
from linkcore.proofs import Proof
from linkcore.signal.edges import Edges
from linkcore.signal.writing import vcd
from server.bench.alive import holder
from server.bench.models import BenchRecord
from server.captures.models import Recording
from server.crafts.models import Craft, Revision
from server.layer import unless_down
from server.outage import OutOfReach, in_database
from server.parts.models import catalogue_of
from server.proofs.models import ProofRecord, WireRing
from server.proofs.services import ring, rung_wires
from server.retry import again_on_deadlock
from server.running import near
from server.running.beat import GONE_S, WAITING_REPORT_S, Beat, Rates, Watchers
from server.running.clock import bench_clock
from server.running.peers import Peers
from server.running.worker import Ended, Overran, Packed, the_worker
from server.shelf.services import Prepared, begin_record, end_orphans, go_on_record, prepare

KEEP_S = 2.0
SETTLE_S = 0.006  # from radio frame to decoded frame
HURRY_EVERY_S = 0.12  # how often the beat of 25 a second may be broken for a hand: at most every third snapshot comes early, and one more with it
LINE_S = 10.0  # how much of a tapped wire is kept on demand

TRIES = 3
LEFT_S = 4.0
PUT_AWAY_WITHIN_S = 3.0
LATE_OVER_S = 0.2
LOAD_WHEN_LATE = ((0.02, 0.0), (0.06, 0.8), (float("inf"), 1.0))  # a turn that comes so late, s: as if the worker were so busy
FULL = 0.9
LOADED_REPORT_S = 1.0
PROBE_EVERY_S = 0.5
TAKEN_UP_WITHIN_S, LOOK_AGAIN_S = 1.5, 0.05
NOT_KEPT = "the database went out of reach meanwhile, so this may not be kept"
STOPPED = "Coin Bell stopped while it ran"
STARTED_ANEW = "the benches are being started anew; try again in a moment"

P = ParamSpec("P")
R = TypeVar("R")
log = logging.getLogger(__name__)
_running: dict[uuid.UUID, RunningBench] = {}
_changing = asyncio.Lock()  # two browsers that come at once must not start a bench twice, nor one that is just ending


def runs_here(craft_id: uuid.UUID) -> bool:
    """Whether the bench runs in this process."""
    return craft_id in _running


class AtLimit(Exception):
    """As many benches run here as may. `place`: in the queue, from 1."""

    def __init__(self, place: int) -> None:
        super().__init__(f"number {place} in the queue")
        self.place = place


class _Queue:
    """Crafts whose bench waits for room, in the order in which they came; who does not ask for a while has left."""

    def __init__(self) -> None:
        self._asked: dict[uuid.UUID, float] = {}

    def place(self, craft_id: uuid.UUID, now: float) -> int:
        """Where a craft stands, from 0; it lines up where it does not stand yet."""
        for gone in [each for each, at in self._asked.items() if now - at >= LEFT_S]:
            self.leave(gone)
        self._asked[craft_id] = now
        return list(self._asked).index(craft_id)

    def leave(self, craft_id: uuid.UUID) -> None:
        """It has its bench."""
        self._asked.pop(craft_id, None)
        _still.pop(craft_id, None)


_queue = _Queue()


async def ensure(craft_id: uuid.UUID) -> str:
    """See to it that the bench runs somewhere; return the channel that reaches it. Raise NoSuchCraft where there is nothing to run (any more), AtLimit where it has to wait for room."""
    roomier = "" if craft_id in _running else _peers.roomier(len(_running), settings.MOST_BENCHES)
    if roomier and (elsewhere := await _elsewhere(craft_id, roomier)):
        return elsewhere
    return await _ensure_here(craft_id)


async def _elsewhere(craft_id: uuid.UUID, roomier: str) -> str:
    """Have another process take it up, where nobody runs it yet; the channel that reaches it, empty where that process does not take it in time."""
    reached = in_database(BenchRecord.reached)
    if elsewhere := await reached(craft_id, holder()):
        _queue.leave(craft_id)
        return elsewhere
    await _peers.ask(roomier, craft_id)
    until = time.monotonic() + TAKEN_UP_WITHIN_S
    while time.monotonic() < until:
        await asyncio.sleep(LOOK_AGAIN_S)
        if elsewhere := await reached(craft_id, holder()):
            _queue.leave(craft_id)
            return elsewhere
    return ""


async def _ensure_here(craft_id: uuid.UUID) -> str:
    """The same, here or where it runs already."""
    async with _changing:
        if craft_id in _running:
            return _running[craft_id].channel
        free = settings.MOST_BENCHES - len(_running)
        if (place := _queue.place(craft_id, time.monotonic())) >= free:
            elsewhere = await in_database(BenchRecord.reached)(craft_id, holder())
            if not elsewhere:
                raise AtLimit(place - max(0, free) + 1)
            _queue.leave(craft_id)
            return elsewhere
        _queue.leave(craft_id)
        # the default prefix: Redis waits on one prefix a process, and others would starve
        channel: str = await get_channel_layer().new_channel()
        reached = await in_database(_claim)(craft_id, channel)
        if reached == channel:
            bench = RunningBench(craft_id, channel)
            await bench.start()
            _running[craft_id] = bench
        return reached


_peers = Peers(lambda: len(_running), _ensure_here)


def know_the_others() -> None:
    """Begin to hear of the other server processes, where there are some; in the running loop."""
    _peers.start()
    near.hear_the_others()


_still: dict[uuid.UUID, Waiting] = {}  # of crafts in the queue: what can be said of them meanwhile


async def at_limit(craft_id: uuid.UUID, place: int) -> str:
    """What is told of a craft whose bench waits for room, as a message: all but what a bench would show."""
    version = await in_database(_version_of)(craft_id)
    known = _still.get(craft_id)
    if known is None or known.draft_version != version:
        loaded = await in_database(_loaded_of)(craft_id)
        told = loaded.aside and _aside(loaded)
        known = Waiting.model_validate_json(told or await (await the_worker()).ask(craft_id.hex, "without", loaded.packed, ""))
        _still[craft_id] = known
    if known.why:
        return known.model_dump_json()  # it would not run if there were room
    before = "This one is the next, and" if place == 1 else f"{'One other comes' if place == 2 else f'{place - 1} others come'} before this one, which"
    why = f"As many benches run as this machine keeps at real time: {settings.MOST_BENCHES}. {before} is set up as soon as there is room. Kit, Port plan and Loom work meanwhile."
    return known.model_copy(update={"why": why}).model_dump_json()


def _claim(craft_id: uuid.UUID, channel: str) -> str:
    """The channel of whoever runs the bench: this one, where nobody did."""
    try:
        craft = Craft.objects.get(pk=craft_id)
        BenchRecord.objects.get_or_create(craft=craft, defaults={"state": BenchRecord.first_state(craft.read()).keep()})
        return BenchRecord.claim(craft_id, holder(), channel)
    except (Craft.DoesNotExist, BenchRecord.DoesNotExist, IntegrityError):
        if Craft.objects.filter(pk=craft_id).exists():
            raise
        raise NoSuchCraft from None


@dataclass(frozen=True)
class _Loaded:
    """A craft as the database has it now; `packed`: what its bench is given, ready to be sent. `aside`: why its bench may not run."""

    document: CraftDocument
    version: int
    given: Given
    packed: Packed
    aside: str


def _loaded_of(craft_id: uuid.UUID) -> _Loaded:
    """Raise NoSuchCraft."""
    craft = Craft.objects.filter(pk=craft_id).first()
    if craft is None:
        raise NoSuchCraft
    document = craft.read()
    parts = KitParts.of(document, catalogue_of(craft.workshop_id))
    record = BenchRecord.objects.filter(craft=craft).first()
    state = record.state_for(document, parts) if record else BenchRecord.first_state(document, parts)
    proofs = ProofRecord.newest(ProofRecord.objects.filter(craft=craft).order_by("id"))
    given = Given(document, parts, craft.version, state, proofs, rung_wires(craft.pk))
    return _Loaded(document, craft.version, given, Packed(given), record.set_aside if record and record.set_aside_version == craft.version else "")


def _version_of(craft_id: uuid.UUID) -> int:
    """The newest; raise NoSuchCraft."""
    version = Craft.objects.filter(pk=craft_id).values_list("version", flat=True).first()
    if version is None:
        raise NoSuchCraft
    return version


def _aside(loaded: _Loaded) -> str:
    """What is told of a bench that was set aside: nothing is worked out of what may be what took so long."""
    chain = [HopState(hop=hop.key, coin="blank", why="its bench was set aside", value="–", flows=False, proofs=[]) for hop in HOPS]
    return Waiting(draft_version=loaded.version, why=loaded.aside, judged=False, chain=chain, findings=[]).model_dump_json()


def _hops(watchers: Watchers) -> frozenset[HopKey] | None:
    hops = watchers.hops()
    return None if hops is None else frozenset(hops)


class RunningBench:
    """One bench at real time: its owner. The bench itself runs in the worker; here is who looks, what is kept, and what is recorded."""

    def __init__(self, craft_id: uuid.UUID, channel: str) -> None:
        self.craft_id, self.channel = craft_id, channel
        self._key = craft_id.hex
        self._layer = get_channel_layer()
        self._bench_clock = bench_clock(self._look_now)
        now = time.monotonic()
        self._watchers, self._beat = Watchers(now), Beat(now, Rates(settings.BENCH_TICKS, settings.BENCH_REPORTS))
        self._kept_at = now
        self._woken = asyncio.Event()
        self._hurried_at = self._again_at = 0.0
        self._at_once = False
        self._records: dict[Role, int] = {}  # by device: the record in the log
        self._unrecorded: tuple[list[Proof], list[str]] = ([], [])
        self._t = 0.0
        self._flashing = False
        self._looked_at = 0.0  # with which keeping the newest version was asked for
        self._mending = asyncio.Lock()
        self._untold: list[JobState] = []
        self._lateness = self._now_load = 0.0
        self._turned_at = now
        self._far_at = -GONE_S  # when somebody in another process was last heard of
        self._out_since: float | None = None  # since when the database does not answer, s of the system's clock
        self._lost = False
        self._probing: asyncio.Task[None] | None = None

    async def start(self) -> None:
        """Load craft and state, then run in tasks of its own."""
        await in_database(end_orphans)(self.craft_id)  # whoever ran them is gone
        for _ in range(TRIES):
            try:
                await self._set_up()
                break
            except Overran as overran:
                await self._set_aside(str(overran))
                break
            except Ended:
                continue  # another bench ended the worker; there is a new one
        self._inbox = near.open_inbox(self.channel)
        self._task = asyncio.create_task(self._run())

    async def _ask(self, method: str, *arguments: object) -> Any:
        """Ask the worker about this bench; raise Ended where it is another worker than the one that has the bench."""
        if self._worker.ended:
            raise Ended
        return await self._worker.ask(self._key, method, *arguments)

    async def _set_up(self) -> None:
        """A bench for what the database has now, or the news that there is none."""
        loaded = await in_database(_loaded_of)(self.craft_id)
        self._tried = loaded.version
        self._worker = await the_worker()
        self._stands(loaded, Stands(loaded.aside) if loaded.aside else await self._ask("set_up", loaded.packed, secrets.randbits(32)))

    def _stands(self, loaded: _Loaded, stood: Stands) -> None:
        self._loaded, self._version, self._stood = loaded, loaded.version, stood
        self._waits = _aside(loaded) if loaded.aside else None
        if not stood.same:
            self._flashing = False
            self._t = stood.t
            self._bench_clock.begin(stood.t)
        self._beat.report_now = True

    @property
    def _runs(self) -> bool:
        """Whether there is a bench, and not only a reason why there is none."""
        return self._stood.why is None

    async def _follow_draft(self) -> None:
        if self._loaded.aside:
            await self._set_up()
            return
        await self._hold_on()  # another kit starts from what this bench has come to
        loaded = await in_database(_loaded_of)(self.craft_id)
        self._tried = loaded.version
        stood = await self._ask("follow", loaded.packed, secrets.randbits(32))
        self._stands(loaded, stood)
        self._untold.extend(stood.broken_off)
        await self._record_jobs()
        await self._give_records(loaded)

    async def _follow_rings(self) -> None:
        loaded = await in_database(_loaded_of)(self.craft_id)
        await self._give_records(loaded)
        self._waits = _aside(loaded) if loaded.aside else None
        self._beat.report_now = True

    async def _give_records(self, loaded: _Loaded) -> None:
        """What is recorded, with what was seen and is being recorded just now."""
        if not loaded.aside:
            proofs, rings = self._unrecorded
            seen = {(proof.hop, proof.name): proof for proof in proofs}
            await self._ask("take_records", loaded.given.proofs | seen, loaded.given.rung | dict.fromkeys(rings, "signal"))

    async def _hold_on(self) -> None:
        """Keep the lease, and all that the bench keeps."""
        kept = await self._ask("kept") if self._runs else None
        if not await in_database(BenchRecord.keep)(self.craft_id, holder(), kept):
            raise LeaseLost

    async def _run(self) -> None:
        listening = [asyncio.create_task(self._listen()), asyncio.create_task(self._hear_news())]
        mine = True
        try:
            await self._tick_on()
        except asyncio.CancelledError:
            raise
        except LeaseLost:
            mine = False
        except Exception:
            log.exception("the bench of craft %s stopped", self.craft_id)
            await self._to_all(Trouble(text="The bench stopped because of a fault in Coin Bell; it starts anew in a moment.").model_dump_json())
        finally:
            for each in listening:
                each.cancel()
            near.close_inbox(self.channel)
            self._bench_clock.begin(self._t)  # no time passes here any more
            async with _changing:
                _running.pop(self.craft_id, None)
                if self._probing:
                    self._probing.cancel()
                kept, broken_off = await self._put_away()
                self._untold.extend(broken_off)
                if mine:
                    with contextlib.suppress(OutOfReach):  # whoever takes the bench next goes on from what was kept
                        await self._record_jobs()
                        await in_database(BenchRecord.release)(self.craft_id, holder(), kept)

    async def _put_away(self) -> tuple[dict[str, Any] | None, list[JobState]]:
        with contextlib.suppress(Ended, TimeoutError):
            put_away: tuple[dict[str, Any] | None, list[JobState]] = await asyncio.wait_for(self._ask("put_away", STOPPED), PUT_AWAY_WITHIN_S)
            return put_away
        return None, []  # what was kept last stays

    def _load_now(self, late_s: float) -> float:
        """How full the machine has its hands, 0 to 1: by the worker's time, and by how late this bench's turns come."""
        now = time.monotonic()
        passed, self._turned_at = now - self._turned_at, now
        self._lateness += (1 - math.exp(-passed / LATE_OVER_S)) * (max(0.0, late_s) - self._lateness)
        if not settings.SNAPSHOTS_GIVE_WAY:
            return 0.0
        return max(self._worker.load.share(), next(load for most, load in LOAD_WHEN_LATE if self._lateness < most))

    async def _tick_on(self) -> None:
        due = time.monotonic()
        while True:
            now = time.monotonic()
            self._now_load = self._load_now(now - due)
            if not self._flashing and not self._watchers.may_return(now):
                return
            if self._lost:
                raise LeaseLost
            try:
                if self._flashing or self._watchers.any(now):
                    await self._go_on()
                else:
                    self._bench_clock.begin(self._t)  # while nobody looks no time passes
                if self._out_since is None:
                    await self._keep()
            except OutOfReach:
                await self._go_out()
            except NoBench:
                pass  # the kit was changed this very moment
            except Overran as overran:
                await self._unless_out(self._set_aside(str(overran)))
            except Ended:
                await self._unless_out(self._resume())
            due = await self._pause(max(self._next_look(due + self._beat.tick_s(now, self._now_load)), time.monotonic()))

    def _next_look(self, due: float) -> float:
        """When to look again: at its beat, or once more when what a hand has moved must have come through."""
        again, self._again_at = self._again_at, 0.0
        return min(due, again) if again else due

    async def _unless_out(self, work: Coroutine[Any, Any, None]) -> None:
        """What needs the database waits until it is back."""
        if self._out_since is not None:
            work.close()
            return
        try:
            await work
        except OutOfReach:
            await self._go_out()

    async def _go_out(self) -> None:
        """The database is out of reach: the bench goes on, what it proves waits, and whoever looks is told since when."""
        if self._out_since is None:
            self._out_since = time.time()
            log.error("the database does not answer; the bench of craft %s goes on, and records later", self.craft_id)
            await self._to_all(Outage(since=self._out_since).model_dump_json())
            self._probing = asyncio.create_task(self._come_back())

    async def _come_back(self) -> None:
        while True:
            await asyncio.sleep(PROBE_EVERY_S)
            with contextlib.suppress(OutOfReach):
                self._lost = not await in_database(BenchRecord.keep)(self.craft_id, holder(), None)
                break
        self._out_since = None
        self._beat.report_now = self._beat.whole = True
        await self._to_all(Outage(since=None).model_dump_json())
        self._wake()

    async def _resume(self) -> None:
        """The worker was ended at another bench: go on from what was kept."""
        async with self._mending:
            if not self._worker.ended:
                return  # that has been seen to
            log.warning("the bench of craft %s goes on from what was kept of it", self.craft_id)
            self._flashing = False
            await in_database(end_orphans)(self.craft_id)
            with contextlib.suppress(Ended):  # that one was ended as well: the next tick tries again
                await self._set_up()

    async def _set_aside(self, reason: str) -> None:
        """This bench may not run until its draft is another; the others go on."""
        async with self._mending:
            says = f"This bench was set aside: {reason}, and the others could not have run on. Change the draft; then it is tried again."
            self._flashing = False
            await in_database(end_orphans)(self.craft_id)
            if not await in_database(BenchRecord.put_aside)(self.craft_id, holder(), self._tried, says):
                raise LeaseLost
            await self._set_up()

    def _report_every(self) -> float | None:
        if not self._runs:
            return WAITING_REPORT_S
        return LOADED_REPORT_S if self._now_load >= FULL else None

    async def _go_on(self) -> None:
        """Let time pass on the bench, and tell what there is to see."""
        now, out = time.monotonic(), self._out_since is not None
        report = self._beat.due(now, self._report_every()) and not out  # what is said to be proven is recorded
        if self._runs:
            whole = report and self._beat.take_whole(now)
            keep = now - self._kept_at >= KEEP_S and not out
            until = self._bench_clock.until(self._t)
            wanted = Wanted(until, self._slice_s(), report, _hops(self._watchers), whole, keep, self._bench_clock.pace)
            ran: Ran = await self._ask("run", wanted)
            await self._tell_news(ran)
        elif report:
            self._waits = self._waits or await self._ask("waiting")
            await self._to_all(self._waits)

    async def _tell_news(self, ran: Ran) -> None:
        """Record first, then tell: what a screen shows as proven is in the database, and whoever hears that a job has ended looks into the log."""
        self._t, self._flashing = ran.t, ran.flashing
        self._beat.see(ran.shown, time.monotonic())
        self._unrecorded[0].extend(ran.proofs)
        self._unrecorded[1].extend(ran.rings)
        self._untold.extend(ran.jobs)
        if self._out_since is None:
            try:
                await self._record_jobs()
                if ran.kept is not None:
                    await self._store(ran.kept)
                await self._record_news()
            except OutOfReach:
                await self._go_out()
        await self._to_all(ran.live)
        if ran.report is not None and self._out_since is None:
            await self._to_all(ran.report)
        self._bench_clock.came(ran.t)

    def _slice_s(self) -> float:
        """Fine while something moves and there is time for it; longer ones come to the same, but hands are felt in steps."""
        now = time.monotonic()
        return min(REST_SLICE_S, max(SLICE_S, self._beat.tick_s(now, self._now_load))) if self._beat.lively(now) else REST_SLICE_S

    def _look_now(self) -> None:
        """Time goes on: look without waiting for the beat, and report."""
        self._beat.report_now = self._at_once = True
        self._woken.set()

    def _wake(self) -> None:
        """Something was touched: look at once."""
        self._beat.stir(time.monotonic())
        self._woken.set()

    async def _pause(self, due: float) -> float:
        """Sleep until `due`, or less where something was just touched: a hand's movement needs a radio frame, then it is shown."""
        while (left := due - time.monotonic()) > 0:
            try:
                await asyncio.wait_for(self._woken.wait(), left)
            except TimeoutError:
                break
            self._woken.clear()
            if self._at_once:
                self._at_once = False
                return time.monotonic()
            now = time.monotonic()
            due = min(due, now + self._beat.rates.tick_s)
            if self._runs and now - self._hurried_at >= HURRY_EVERY_S:
                self._hurried_at = now
                self._again_at = now + self._stood.shows_within_s + SETTLE_S
                due = min(due, now + self._stood.shows_soonest_s + SETTLE_S)
        await asyncio.sleep(0)
        return due

    async def _record_news(self) -> None:
        """Record proofs and rings."""
        proofs, rings = self._unrecorded
        if proofs:
            if not await in_database(self._record)(list(proofs)):
                raise LeaseLost
            proofs.clear()
            self._beat.report_now = True
        if rings:
            if not await in_database(self._ring)(list(rings)):
                raise LeaseLost
            rings.clear()
            await self._follow_rings()

    async def _record_jobs(self) -> None:
        """Write down what has become of flash jobs."""
        while self._untold:
            if (record := self._records.get(self._untold[0].order.role)) is not None:
                await in_database(go_on_record)(record, self._untold[0])
            del self._untold[0]
            self._beat.report_now = True

    async def _keep(self) -> None:
        if time.monotonic() - self._kept_at >= KEEP_S:  # nothing has run, or there is nothing that could
            self._kept_at = time.monotonic()
            await self._hold_on()
        if self._kept_at != self._looked_at:
            self._looked_at = self._kept_at
            if await in_database(_version_of)(self.craft_id) != self._version:  # the news of a save may have been lost
                await self._follow_draft()

    async def _store(self, kept: dict[str, Any] | None) -> None:
        self._kept_at = time.monotonic()
        if not await in_database(BenchRecord.keep)(self.craft_id, holder(), kept):
            raise LeaseLost

    @again_on_deadlock
    @transaction.atomic
    def _ring(self, wires: list[str]) -> bool:
        """Wires that the signal has rung out; those of a draft that has gone on meanwhile are left to the next one."""
        Craft.objects.select_for_update().filter(pk=self.craft_id).first()  # craft before bench, as everywhere
        if not BenchRecord.objects.select_for_update().filter(pk=self.craft_id, holder=holder()).exists():
            return False
        try:
            ring(self.craft_id, wires, WireRing.How.SIGNAL)
        except CraftError:
            log.info("the draft of craft %s went on while its wires were rung out", self.craft_id)
        return True

    @again_on_deadlock
    @transaction.atomic
    def _record(self, proofs: list[Any]) -> bool:
        """Only the holder records; a craft that is gone, or a bench that runs elsewhere by now, takes no more proofs."""
        Craft.objects.select_for_update().filter(pk=self.craft_id).first()
        if not BenchRecord.objects.select_for_update().filter(pk=self.craft_id, holder=holder()).exists():
            return False
        ProofRecord.objects.bulk_create(
            [ProofRecord(craft_id=self.craft_id, hop=each.hop, name=each.name, rests_on=each.rests_on, seen=each.seen) for each in proofs]
        )
        return True

    async def _to_all(self, text: str) -> None:
        near.tell(self.craft_id, text)
        if time.monotonic() - self._far_at < GONE_S:
            with unless_down():
                await near.tell_elsewhere(self.craft_id, text)

    # --- what comes in ------------------------------------------------------------------------------------------

    async def _hear_news(self) -> None:
        """News of the draft comes through the channel layer, from wherever it was saved."""
        while True:
            message = None
            with unless_down():
                message = await self._layer.receive(self.channel)
            if message is None:
                await asyncio.sleep(PROBE_EVERY_S)  # the layer is down; it is tried again
            else:
                await self._inbox.put(message)

    async def _listen(self) -> None:
        while True:
            message = await self._inbox.get()
            try:
                await self._take_message(message)
            except LeaseLost:
                return  # the bench finds out by itself, and stops
            except Overran as overran:
                await self._unless_out(self._set_aside(str(overran)))
            except OutOfReach:
                await self._go_out()
            except Ended:
                log.info("the bench of craft %s is being set up anew; a message to it was lost", self.craft_id)
            except Exception:
                log.exception("a message to the bench of craft %s failed", self.craft_id)
            finally:
                self._inbox.task_done()

    async def _take_message(self, message: dict[str, Any]) -> None:
        kind = message["type"]
        if kind == "watch":
            if message.get("far"):
                self._far_at = time.monotonic()
            self._watchers.look(message["who"], time.monotonic(), message.get("hop"))
            if message.get("new"):
                self._beat.whole = self._beat.report_now = True
                self._wake()
                if self._out_since is not None:
                    await self._reply(message["who"], Outage(since=self._out_since))
        elif kind == "left":
            self._watchers.leave(message["who"], time.monotonic())
        elif kind == "draft":
            await self._follow_draft()
            self._wake()
        elif kind == "rings":
            await self._follow_rings()
            self._wake()
        elif kind == "hands":
            await self._hands(message)
        elif kind == "act" and time.time() <= message["until"]:  # later, whoever asked was told that it is lost
            await self._act(Act.model_validate(message["act"]), message)

    async def _hands(self, message: dict[str, Any]) -> None:
        if not self._runs:
            return  # there is nothing to touch, and everybody was told why
        until = self._bench_clock.until(self._t)  # what was before this hand was so without it
        try:
            before = until if until - self._t > self._beat.rates.tick_s else None
            self._t = await self._ask("hands", Hands.model_validate(message["hands"]), before, self._slice_s())
            self._wake()
        except ValueError as error:
            await self._reply(message["reply"], Trouble(text=str(error)))
        except NoBench:
            pass  # the kit was changed this very moment
        except Overran:
            raise
        except Ended:
            await self._reply(message["reply"], Trouble(text=STARTED_ANEW))

    async def _reply(self, channel: str, answer: Answer | Trouble | Outage) -> None:
        event = {"type": "bench.text", "text": answer.model_dump_json()} | ({"answers": answer.request} if isinstance(answer, Answer) else {})
        if not near.answer(channel, event):
            with unless_down():
                await near.send_elsewhere(channel, event)

    async def _act(self, act: Act, message: dict[str, Any]) -> None:
        self._made: str | None = None
        try:
            text = await self._do(act, message["user"])
            await self._hold_on()  # an act that was answered is kept
            answer = Answer(request=act.request, ok=True, text=text, recording=self._made)
        except (Refused, ValueError) as refused:
            answer = Answer(request=act.request, ok=False, text=str(refused))
        except OutOfReach:
            await self._go_out()
            answer = Answer(request=act.request, ok=False, text=f"{NOT_KEPT}; try again when it is back")
        except NoBench:
            answer = Answer(request=act.request, ok=False, text="the kit was changed meanwhile; look again")
        except Overran:
            raise
        except Ended:
            answer = Answer(request=act.request, ok=False, text=STARTED_ANEW)
        self._beat.report_now = True
        self._wake()
        await self._reply(message["reply"], answer)

    async def _do(self, act: Act, user_id: int) -> str:
        if self._out_since is not None:
            raise Refused("the database does not answer, and an act that could not be recorded is not done; try again when it is back")
        if act.act == "write":
            await self._follow_draft()
        if not self._runs:
            raise Refused(self._stood.why or "there is no bench yet")
        if act.act == "write":
            if act.version != self._version:
                raise Refused(f"the draft has gone on to version {self._version} meanwhile; look at it, then write again")
            document = await self._ask("write")
            await in_database(self._of_this_craft(self._written))(document, user_id)
            return "written"
        if act.act == "flash":
            return await self._flash(act.flash, user_id)
        if act.act == "stop flashing":
            if act.flash is None:
                raise Refused("say whose flash is to be stopped")
            await self._ask("stop_flashing", act.flash.role)
            return "stopping"
        if act.act == "keep line":
            return await self._keep_line(user_id)
        if act.act == "keep flight":
            return await self._keep_flight(user_id)
        if act.act == "read back":
            _, as_drafted = await self._ask("read_back")
            return "read back" if as_drafted else "read back: the board has other values than the draft"
        if act.act == "restart":
            await self._ask("restart")
            return "restarting"
        await self._ask("measure_anew")
        return "measuring anew"

    async def _flash(self, order: FlashOrder | None, user_id: int) -> str:
        """Begin a flash job: judge the image once more, keep the board's settings, write it down."""
        if order is None:
            raise Refused("say what is to be flashed")
        version = self._version
        document, ground = await self._ask("ground")
        prepared = await in_database(self._of_this_craft(prepare))(self.craft_id, order, document, ground.devices, ground.installed)
        if self._version != version:
            raise Refused("the kit was changed meanwhile; look again")
        job, held = await self._ask("flash", order, prepared.content, prepared.facts)
        self._flashing = True
        self._records[order.role] = await in_database(self._of_this_craft(self._log_job))(job, prepared, user_id, held)
        return "flashing; its settings are kept" if held else "flashing"

    def _of_this_craft(self, work: Callable[P, R]) -> Callable[P, R]:
        """Work on rows of the craft, which somebody may have deleted meanwhile."""

        @functools.wraps(work)
        def run(*args: P.args, **kwargs: P.kwargs) -> R:
            try:
                return work(*args, **kwargs)
            except (Craft.DoesNotExist, IntegrityError):
                if Craft.objects.filter(pk=self.craft_id).exists():
                    raise
                raise NoSuchCraft from None

        return run

    def _log_job(self, job: JobState, prepared: Prepared, user_id: int, kept: BoardSettings | None) -> int:
        author = get_user_model().objects.filter(pk=user_id).first()
        return begin_record(self.craft_id, self._version, job, prepared.image, author, self._loaded.document, kept)

    async def _keep_line(self, user_id: int) -> str:
        """What the tap has heard of late becomes a recording, lent until somebody keeps it."""
        edges, seconds, called = await self._ask("line", LINE_S)
        if not len(edges.times):
            raise Refused("nothing was heard on this wire")
        name = f"{called}, {seconds:.1f} s.vcd"
        self._made = str(await in_database(self._of_this_craft(self._recorded))(edges, seconds, name, user_id))
        return f"{seconds:.1f} s of {called.split(' of the ')[0]} are kept"

    async def _keep_flight(self, user_id: int) -> str:
        """The log of a flight that was flown on the bench, lent until somebody keeps it."""
        log, far_m = await self._ask("flight_log")
        if not log:
            raise Refused("no flight was flown on the bench yet")
        name = f"bench, out to {far_m:.0f} m.csv"
        self._made = str(await in_database(self._of_this_craft(self._logged))(log, name, user_id))
        return "the flight's log is kept"

    def _logged(self, log: bytes, name: str, user_id: int) -> UUID:
        author = get_user_model().objects.filter(pk=user_id).first()
        return Recording.store([log], craft_id=self.craft_id, name=name, kind="log", source=Recording.Source.STAND_IN, made_by=author).pk

    def _recorded(self, edges: Edges, seconds: float, name: str, user_id: int) -> UUID:
        author = get_user_model().objects.filter(pk=user_id).first()
        pieces = vcd(edges, seconds, "line")
        return Recording.store(pieces, craft_id=self.craft_id, name=name, kind="vcd", source=Recording.Source.STAND_IN, made_by=author).pk

    def _written(self, document: CraftDocument, user_id: int) -> None:
        author = get_user_model().objects.filter(pk=user_id).first()
        Revision.objects.create(
            craft_id=self.craft_id, version=self._version, kind=Revision.Kind.WRITTEN, document=document.model_dump(mode="json"), author=author
        )


class LeaseLost(Exception):
    """Another process has taken the bench, or there is none any more."""


class NoSuchCraft(LeaseLost):
    """The craft is gone, and its bench with it."""
