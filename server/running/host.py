"""Running benches in this process.

A bench runs in exactly one place: whoever holds its lease in the database. Everybody else reaches it through the channel
layer: hands and acts go to its channel, snapshots come out to its group.
"""

from __future__ import annotations

import asyncio
import functools
import logging
import secrets
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, ParamSpec, TypeVar
from uuid import UUID

from channels.db import database_sync_to_async as in_database
from channels.layers import get_channel_layer
from django.contrib.auth import get_user_model
from django.db import IntegrityError, transaction

from linkcore.bench.bench import REST_SLICE_S, SLICE_S, Bench, cannot_run
from linkcore.bench.messages import Act, Answer, BenchState, Hands, Trouble, Waiting
from linkcore.bench.report import Reporter
from linkcore.chain import ProofKey, still_chain, still_findings
from linkcore.craft.document import BoardSettings, CraftDocument, CraftError
from linkcore.craft.parts import KitParts
from linkcore.devices.board_api import Refused
from linkcore.devices.firmware import Role
from linkcore.devices.flash_job import FlashOrder, JobState
from linkcore.proofs import Proof
from linkcore.reads import Whole
from linkcore.signal.edges import Edges
from linkcore.signal.writing import vcd
from server.bench.models import BenchRecord
from server.captures.models import Recording
from server.crafts.models import Craft, Revision
from server.parts.models import catalogue_of
from server.proofs.models import ProofRecord, WireRing
from server.proofs.services import ring, rung_wires
from server.retry import again_on_deadlock
from server.running.beat import REST_TICK_S, TICK_S, WAITING_REPORT_S, Beat, Watchers
from server.running.clock import RealClock, bench_clock
from server.shelf.services import Prepared, begin_record, end_orphans, go_on_record, prepare

KEEP_S = 2.0
SETTLE_S = 0.006  # from radio frame to decoded frame
HURRY_EVERY_S = 0.12  # how often the beat of 25 a second may be broken for a hand: at most every third snapshot comes early
LINE_S = 10.0  # how much of a tapped wire is kept on demand
MOST_BEHIND_S = REST_TICK_S + 0.4  # a machine that slept does not make the bench race

P = ParamSpec("P")
R = TypeVar("R")
log = logging.getLogger(__name__)
HOLDER = f"{uuid.uuid4().hex}"
_running: dict[uuid.UUID, RunningBench] = {}
_changing = asyncio.Lock()  # two browsers that come at once must not start a bench twice, nor one that is just ending


def group_of(craft_id: uuid.UUID) -> str:
    """The group that a craft's snapshots go to."""
    return f"bench.{craft_id.hex}"


async def ensure(craft_id: uuid.UUID) -> str:
    """See to it that the bench runs somewhere; return the channel that reaches it. Raise NoSuchCraft where there is nothing to run (any more)."""
    async with _changing:
        if craft_id in _running:
            return _running[craft_id].channel
        # the default prefix: Redis waits on one prefix a process, and others would starve
        channel: str = await get_channel_layer().new_channel()
        reached = await in_database(_claim)(craft_id, channel)
        if reached == channel:
            bench = RunningBench(craft_id, channel)
            await bench.start()
            _running[craft_id] = bench
        return reached


def _claim(craft_id: uuid.UUID, channel: str) -> str:
    """The channel of whoever runs the bench: this one, where nobody did."""
    try:
        craft = Craft.objects.get(pk=craft_id)
        BenchRecord.objects.get_or_create(craft=craft, defaults={"state": BenchRecord.first_state(craft.read()).keep()})
        return BenchRecord.claim(craft_id, HOLDER, channel)
    except (Craft.DoesNotExist, BenchRecord.DoesNotExist, IntegrityError):
        if Craft.objects.filter(pk=craft_id).exists():
            raise
        raise NoSuchCraft from None


@dataclass(frozen=True)
class _Loaded:
    """A craft as the database has it now."""

    document: CraftDocument
    parts: KitParts
    version: int
    state: BenchState
    proofs: dict[ProofKey, Proof]
    rung: dict[str, str]


class RunningBench:
    """One bench at real time, in this process. `bench` is None while the craft's kit allows none; watchers are told why."""

    def __init__(self, craft_id: uuid.UUID, channel: str) -> None:
        self.craft_id, self.channel = craft_id, channel
        self._layer = get_channel_layer()
        self._clock, self._bench_clock = RealClock(), bench_clock()
        now = self._clock.now()
        self._watchers, self._beat = Watchers(now), Beat(now)
        self._kept_at = self._ran_at = now
        self._woken = asyncio.Event()
        self._hurried_at = 0.0
        self._jobs: dict[Role, tuple[int, str]] = {}  # by device: the record in the log, and the state last written there

    async def start(self) -> None:
        """Load craft and state, then run in tasks of its own."""
        self.bench: Bench | None = None
        self._since = self._bench_clock.now()
        await in_database(end_orphans)(self.craft_id)  # whoever ran them is gone
        self._set_up(await in_database(self._load)())
        self._task = asyncio.create_task(self._run())

    def _load(self) -> _Loaded:
        craft = Craft.objects.select_related("bench").filter(pk=self.craft_id, bench__isnull=False).first()
        if craft is None:
            raise NoSuchCraft
        proofs = ProofRecord.newest(ProofRecord.objects.filter(craft=craft).order_by("id"))
        document = craft.read()
        parts = KitParts.of(document, catalogue_of(craft.workshop_id))
        return _Loaded(document, parts, craft.version, craft.bench.state_for(document, parts), proofs, rung_wires(craft.pk))

    def _set_up(self, loaded: _Loaded) -> None:
        """A bench for what was loaded, or the news that there is none."""
        self._loaded, self._version = loaded, loaded.version
        self.bench = None
        if cannot_run(loaded.document, loaded.parts) is None:
            self.bench = Bench(loaded.document, loaded.state, seed=secrets.randbits(32), parts=loaded.parts)
            self.bench.proofs = loaded.proofs
            self.bench.rung = loaded.rung
            self._reporter = Reporter(self.bench)
            self._since = self._bench_clock.now() - self.bench.t

    def _waiting(self) -> Waiting:
        loaded = self._loaded
        runs = loaded.state.installed(loaded.document, loaded.parts)
        whole = Whole(loaded.document, loaded.document.settings, loaded.parts, runs, loaded.state.bound_to, loaded.rung)
        return Waiting(
            draft_version=self._version,
            why=cannot_run(loaded.document, loaded.parts) or "",
            chain=still_chain(whole, loaded.proofs),
            findings=still_findings(whole),
        )

    def _state(self) -> BenchState:
        return self.bench.state() if self.bench else self._loaded.state

    def _newest_version(self) -> int:
        version = Craft.objects.filter(pk=self.craft_id).values_list("version", flat=True).first()
        if version is None:
            raise NoSuchCraft
        return version

    async def _follow_draft(self) -> None:
        if self.bench:  # another kit starts from what this bench has come to
            await self._record_jobs()
            await in_database(BenchRecord.keep)(self.craft_id, HOLDER, self.bench.state())
        loaded = await in_database(self._load)()
        if self.bench and self.bench.has_parts_of(loaded.document, loaded.parts) and cannot_run(loaded.document, loaded.parts) is None:
            self._loaded, self._version = loaded, loaded.version
            self.bench.take_document(loaded.document, loaded.parts)
            self._take_records(self.bench, loaded)
        else:
            await self._interrupt_jobs("the kit was changed meanwhile")
            self._set_up(loaded)
        self._beat.report_now = True

    async def _follow_rings(self) -> None:
        loaded = await in_database(self._load)()
        self._loaded = loaded
        if self.bench:
            self._take_records(self.bench, loaded)
        self._beat.report_now = True

    @staticmethod
    def _take_records(bench: Bench, loaded: _Loaded) -> None:
        """What is recorded, with what this bench has seen and not recorded yet."""
        bench.proofs = loaded.proofs | {(proof.hop, proof.name): proof for proof in bench.new_proofs}
        bench.rung = loaded.rung | dict.fromkeys(bench.new_rings, "signal")

    async def _run(self) -> None:
        listening = asyncio.create_task(self._listen())
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
            listening.cancel()
            async with _changing:
                _running.pop(self.craft_id, None)
                if mine:
                    await self._interrupt_jobs("Coin Bell stopped while it ran")
                    await in_database(BenchRecord.release)(self.craft_id, HOLDER, self._state())

    async def _tick_on(self) -> None:
        due = self._clock.now()
        while True:
            now = self._clock.now()
            flashing = self.bench is not None and self.bench.loading.running
            if not flashing and not self._watchers.may_return(now):
                return
            if flashing or self._watchers.any(now):
                await self._go_on()
            elif self.bench:
                self._stand_still(self.bench)
            await self._keep()
            due = await self._pause(max(due + self._beat.tick_s(now), self._clock.now()))

    async def _go_on(self) -> None:
        """Let time pass on the bench, and tell what there is to see."""
        if self.bench:
            self._run_on(self.bench)
            live = self.bench.live()
            self._beat.see(live, self._clock.now())
            await self._record_jobs()  # whoever hears that a job has ended looks into the log
            await self._to_all(live.model_dump_json())
            await self._record_news()
        now = self._clock.now()
        if self._beat.due(now, None if self.bench else WAITING_REPORT_S):
            whole = self._beat.take_whole(now)
            news = self._reporter.report(self._version, self._watchers.hops(), whole=whole) if self.bench else self._waiting()
            await self._to_all(news.model_dump_json())

    def _run_on(self, bench: Bench) -> None:
        """Let the bench catch up with its clock."""
        real = self._clock.now()
        late, self._ran_at = real - self._ran_at > MOST_BEHIND_S, real
        if late:
            self._since = self._bench_clock.now() - bench.t - TICK_S
        bench.run_until(self._bench_clock.now() - self._since, SLICE_S if self._beat.lively(real) else REST_SLICE_S)

    def _stand_still(self, bench: Bench) -> None:
        """While nobody looks no time passes on the bench."""
        self._since = self._bench_clock.now() - bench.t
        self._ran_at = self._clock.now()

    def _wake(self) -> None:
        """Something was touched: look at once."""
        self._beat.stir(self._clock.now())
        self._woken.set()

    async def _pause(self, due: float) -> float:
        """Sleep until `due`, or less where something was just touched: a hand's movement needs a radio frame, then it is shown."""
        while (left := due - self._clock.now()) > 0:
            try:
                await asyncio.wait_for(self._woken.wait(), left)
            except TimeoutError:
                break
            self._woken.clear()
            now = self._clock.now()
            due = min(due, now + TICK_S)
            if self.bench and now - self._hurried_at >= HURRY_EVERY_S:
                self._hurried_at = now
                due = min(due, now + self.bench.receiver_part.link_period_s + SETTLE_S)
        await asyncio.sleep(0)
        return due

    async def _record_news(self) -> None:
        """Record proofs and rings before anybody is told of them: what a screen shows as proven is in the database."""
        bench = self.bench
        if bench and bench.new_proofs:
            proofs, bench.new_proofs = bench.new_proofs, []
            if not await in_database(self._record)(proofs):
                raise LeaseLost
            self._beat.report_now = True
        if bench and bench.new_rings:
            rings, bench.new_rings = bench.new_rings, []
            if not await in_database(self._ring)(rings):
                raise LeaseLost
            await self._follow_rings()

    async def _record_jobs(self) -> None:
        """Write down what has become of flash jobs, whenever that is another state than last time."""
        if self.bench is None:
            return
        for role, job in self.bench.loading.jobs.items():
            record, known = self._jobs.get(role, (0, job.state.state))
            if job.state.state != known:
                self._jobs[role] = (record, job.state.state)
                await in_database(go_on_record)(record, job.state.model_copy())
                if job.state.over:
                    await in_database(BenchRecord.keep)(self.craft_id, HOLDER, self._state())
                self._beat.report_now = True

    async def _interrupt_jobs(self, says: str) -> None:
        if self.bench and self.bench.loading.running:
            self.bench.loading.interrupt(says, self.bench.t)
            await self._record_jobs()

    async def _keep(self) -> None:
        if self._clock.now() - self._kept_at >= KEEP_S:
            self._kept_at = self._clock.now()
            if not await in_database(BenchRecord.keep)(self.craft_id, HOLDER, self._state()):
                raise LeaseLost
            if await in_database(self._newest_version)() != self._version:  # the news of a save may have been lost
                await self._follow_draft()

    @again_on_deadlock
    @transaction.atomic
    def _ring(self, wires: list[str]) -> bool:
        """Wires that the signal has rung out; those of a draft that has gone on meanwhile are left to the next one."""
        Craft.objects.select_for_update().filter(pk=self.craft_id).first()  # craft before bench, as everywhere
        if not BenchRecord.objects.select_for_update().filter(pk=self.craft_id, holder=HOLDER).exists():
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
        if not BenchRecord.objects.select_for_update().filter(pk=self.craft_id, holder=HOLDER).exists():
            return False
        ProofRecord.objects.bulk_create(
            [ProofRecord(craft_id=self.craft_id, hop=each.hop, name=each.name, rests_on=each.rests_on, seen=each.seen) for each in proofs]
        )
        return True

    async def _to_all(self, text: str) -> None:
        await self._layer.group_send(group_of(self.craft_id), {"type": "bench.text", "text": text})

    # --- what comes in ------------------------------------------------------------------------------------------

    async def _listen(self) -> None:
        while True:
            message = await self._layer.receive(self.channel)
            try:
                await self._take(message)
            except LeaseLost:
                return  # the bench finds out by itself, and stops
            except Exception:
                log.exception("a message to the bench of craft %s failed", self.craft_id)

    async def _take(self, message: dict[str, Any]) -> None:
        kind = message["type"]
        if kind == "watch":
            self._watchers.look(message["who"], self._clock.now(), message.get("hop"))
            if message.get("new"):
                self._beat.whole = self._beat.report_now = True
                self._wake()
        elif kind == "left":
            self._watchers.leave(message["who"], self._clock.now())
        elif kind == "draft":
            await self._follow_draft()
            self._wake()
        elif kind == "rings":
            await self._follow_rings()
            self._wake()
        elif kind == "hands":
            if self.bench is None:
                return  # there is nothing to touch, and everybody was told why
            try:
                if self._clock.now() - self._ran_at > TICK_S:
                    self._run_on(self.bench)  # what was before this hand was so without it
                self.bench.hands(Hands.model_validate(message["hands"]))
                self._wake()
            except ValueError as error:
                await self._reply(message["reply"], Trouble(text=str(error)))
        elif kind == "act":
            await self._act(Act.model_validate(message["act"]), message)

    async def _reply(self, channel: str, answer: Answer | Trouble) -> None:
        await self._layer.send(channel, {"type": "bench.text", "text": answer.model_dump_json()})

    async def _act(self, act: Act, message: dict[str, Any]) -> None:
        self._made: str | None = None
        try:
            text = await self._do(act, message["user"])
            await in_database(BenchRecord.keep)(self.craft_id, HOLDER, self._state())  # an act that was answered is kept
            answer = Answer(request=act.request, ok=True, text=text, recording=self._made)
        except (Refused, ValueError) as refused:
            answer = Answer(request=act.request, ok=False, text=str(refused))
        self._beat.report_now = True
        self._wake()
        await self._reply(message["reply"], answer)

    async def _do(self, act: Act, user_id: int) -> str:
        if act.act == "write":
            await self._follow_draft()
        if self.bench is None:
            raise Refused(cannot_run(self._loaded.document, self._loaded.parts) or "there is no bench yet")
        if act.act == "write":
            if act.version != self._version:
                raise Refused(f"the draft has gone on to version {self._version} meanwhile; look at it, then write again")
            self.bench.write(self.bench.document.settings)
            await in_database(self._of_this_craft(self._written))(self.bench.document, user_id)
            return "written"
        if act.act == "flash":
            return await self._flash(act.flash, user_id)
        if act.act == "stop flashing":
            if act.flash is None:
                raise Refused("say whose job is to be stopped")
            self.bench.loading.stop(act.flash.role)
            return "stopping"
        if act.act == "keep line":
            return await self._keep_line(user_id)
        if act.act == "read back":
            held = self.bench.read_back()
            return "read back" if held == self.bench.document.settings else "read back: the board holds other values than the draft"
        if act.act == "restart":
            self.bench.restart()
            return "restarting"
        self.bench.measure_anew()
        return "measuring anew"

    async def _flash(self, order: FlashOrder | None, user_id: int) -> str:
        """Begin a flash job: judge the image once more, keep the board's settings, write it down."""
        if order is None:
            raise Refused("say what is to be flashed")
        bench = self.bench
        assert bench is not None
        loading = bench.loading
        prepared = await in_database(self._of_this_craft(prepare))(self.craft_id, order, bench.document, loading.devices, loading.installed)
        if self.bench is not bench:
            raise Refused("the kit was changed meanwhile; look again")
        kept = None
        if order.role == "board" and order.keep_settings and loading.runs("board"):
            kept = bench.read_back()
        job = loading.start(order, prepared.content, prepared.facts, bench.t)
        self._jobs[order.role] = (await in_database(self._of_this_craft(self._log_job))(job.model_copy(), prepared, user_id, kept), "asking")
        return "flashing; its settings are kept" if kept else "flashing"

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
        assert self.bench is not None
        author = get_user_model().objects.filter(pk=user_id).first()
        return begin_record(self.craft_id, self._version, job, prepared.image, author, self.bench.document, kept)

    async def _keep_line(self, user_id: int) -> str:
        """What the tap has heard of late becomes a recording, lent until somebody keeps it."""
        assert self.bench is not None
        edges, seconds = self.bench.wire_edges(seconds=LINE_S)
        if not len(edges.times):
            raise Refused("nothing was heard on this wire")
        name = f"{self.bench.tap} of the {self.bench.receiver_part.name}, {seconds:.1f} s.vcd"
        self._made = str(await in_database(self._of_this_craft(self._recorded))(edges, seconds, name, user_id))
        return f"{seconds:.1f} s of {self.bench.tap} are kept"

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
