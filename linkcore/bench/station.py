"""Many benches side by side, each under its key: what their owner asks of them, in values that can be sent from one process to another."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

from linkcore.bench.bench import Bench, cannot_run
from linkcore.bench.messages import BenchState, Hands, Waiting
from linkcore.bench.report import Reporter
from linkcore.chain import ProofKey, still_chain, still_findings
from linkcore.craft.document import BoardSettings, CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.firmware import Device, Installed, Role
from linkcore.devices.flash_job import FlashOrder, JobState
from linkcore.devices.hexfile import Content
from linkcore.devices.image_facts import ImageFacts
from linkcore.findings import HopKey
from linkcore.proofs import Proof
from linkcore.reads import Whole
from linkcore.signal.edges import Edges

KIT_CHANGED = "the kit was changed meanwhile"


@dataclass(frozen=True)
class Given:
    """What a bench is set up from, and follows when it changes."""

    document: CraftDocument
    parts: KitParts
    version: int
    state: BenchState
    proofs: dict[ProofKey, Proof] = field(default_factory=dict)
    rung: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Stands:
    """What came of setting up: why there is no bench (None where there is one), its time; how soon a hand's move may be seen, and by when it must be.

    `broken_off`: jobs that this broke off; `same`: whether it is the bench that was there.
    """

    why: str | None
    t: float = 0.0
    shows_soonest_s: float = 0.0
    shows_within_s: float = 0.0
    broken_off: list[JobState] = field(default_factory=list)
    same: bool = False


@dataclass(frozen=True)
class Wanted:
    """How far a bench shall run (bench seconds) and in what slices; what is wanted of it then: a report of these hops (None: of all), all that it keeps. `pace`: of real time."""

    until: float
    slice_s: float
    report: bool = False
    hops: frozenset[HopKey] | None = None
    whole: bool = True
    keep: bool = False
    pace: float = 1.0


@dataclass(frozen=True)
class Ran:
    """What a bench says after it has run: messages as JSON, what is news of it, and all that it keeps (None where that was not wanted)."""

    t: float
    live: str
    shown: int
    flashing: bool
    jobs: list[JobState]
    proofs: list[Proof]
    rings: list[str]
    report: str | None
    kept: dict[str, Any] | None


@dataclass(frozen=True)
class Ground:
    """What an image is judged against before it goes on a device."""

    devices: dict[Role, Device]
    installed: dict[Role, Installed]
    runs: bool


class NoBench(LookupError):
    """There is no bench under that key (any more)."""


class _Place:
    """One bench and what goes with it. `bench` is None while the craft's kit allows none."""

    def __init__(self, given: Given, seed: int) -> None:
        self.given = given
        self.bench: Bench | None = None
        self.told_jobs: dict[Role, str] = {}
        self.kept_handled = dict(given.state.handled)
        if cannot_run(given.document, given.parts) is None:
            self.bench = Bench(given.document, given.state, seed=seed, parts=given.parts)
            self.bench.proofs, self.bench.rung = dict(given.proofs), dict(given.rung)
            self.reporter = Reporter(self.bench)

    def stands(self, broken_off: list[JobState], *, same: bool) -> Stands:
        """As it is now."""
        if self.bench is None:
            return Stands(cannot_run(self.given.document, self.given.parts) or "", broken_off=broken_off)
        return Stands(None, self.bench.t, self.bench.link.period_s, self.bench.link.shows_within_s, broken_off, same)

    def keeps(self) -> bool:
        """Whether something was said of the craft itself since this was asked last, which is kept before it is told: nothing but that undoes a proof then."""
        if self.bench is None or self.bench.handled == self.kept_handled:
            return False
        self.kept_handled = dict(self.bench.handled)
        return True


class Station:
    """All benches of one process. Every method but `set_up` and `put_away` raises NoBench where there is none."""

    def __init__(self) -> None:
        self._places: dict[str, _Place] = {}

    def _place(self, key: str) -> _Place:
        if key not in self._places:
            raise NoBench(key)
        return self._places[key]

    def _bench(self, key: str) -> Bench:
        bench = self._place(key).bench
        if bench is None:
            raise NoBench(key)
        return bench

    # --- setting up -------------------------------------------------------------------------------------------------

    def set_up(self, key: str, given: Given, seed: int) -> Stands:
        """A bench for what is given, in the place of the one that is there."""
        place = self._places[key] = _Place(given, seed)
        return place.stands([], same=False)

    def follow(self, key: str, given: Given, seed: int) -> Stands:
        """A newer draft: the bench goes on where it can, and makes way for another one where the kit is another."""
        place = self._place(key)
        bench = place.bench
        if bench and bench.has_parts_of(given.document, given.parts) and cannot_run(given.document, given.parts) is None:
            place.given = given
            bench.take_document(given.document, given.parts)
            self.take_records(key, given.proofs, given.rung)
            return place.stands([], same=True)
        broken_off: list[JobState] = []
        if bench and bench.loading.running:
            bench.loading.interrupt(KIT_CHANGED, bench.t)
            broken_off = self._job_news(place)
        place = self._places[key] = _Place(given, seed)
        return place.stands(broken_off, same=False)

    def take_records(self, key: str, proofs: dict[ProofKey, Proof], rung: dict[str, str]) -> None:
        """What is recorded, with what the bench has seen and nobody has fetched yet."""
        place = self._place(key)
        place.given = replace(place.given, proofs=proofs, rung=rung)
        if (bench := place.bench) is not None:
            bench.proofs = proofs | {(proof.hop, proof.name): proof for proof in bench.new_proofs}
            bench.rung = rung | dict.fromkeys(bench.new_rings, "signal")

    def put_away(self, key: str, says: str) -> tuple[dict[str, Any] | None, list[JobState]]:
        """End a bench: (all that it keeps, the jobs that this broke off with what it `says`)."""
        place = self._places.pop(key, None)
        if place is None or place.bench is None:
            return None, []
        if place.bench.loading.running:
            place.bench.loading.interrupt(says, place.bench.t)
        return place.bench.state().keep(), self._job_news(place)

    def waiting(self, key: str) -> str:
        """What can be said without a bench, as JSON."""
        given = self._place(key).given
        return self.without(key, given, cannot_run(given.document, given.parts) or "")

    @staticmethod
    def without(key: str, given: Given, why: str) -> str:  # noqa: ARG004 - every request names its bench
        """What can be said of a craft whose bench does not run, for this reason, by what its board was last known to run; as JSON."""
        settings = given.document.settings if cannot_run(given.document, given.parts) else given.state.running
        runs = given.state.installed(given.document, given.parts)
        whole = Whole(given.document, settings, given.parts, runs, given.state.bound_to, given.rung, given.state.handled)
        return Waiting(
            draft_version=given.version, why=why, judged=True, chain=still_chain(whole, given.proofs), findings=still_findings(whole)
        ).model_dump_json()

    # --- running ----------------------------------------------------------------------------------------------------

    def run(self, key: str, wanted: Wanted) -> Ran:
        """Let time pass, then say what there is to see."""
        place, bench = self._place(key), self._bench(key)
        bench.take_pace(wanted.pace)
        bench.run_until(wanted.until, wanted.slice_s)
        proofs, bench.new_proofs = bench.new_proofs, []
        rings, bench.new_rings = bench.new_rings, []
        jobs = self._job_news(place)
        live = bench.live(wanted.pace)
        report = place.reporter.report(place.given.version, wanted.hops, whole=wanted.whole).model_dump_json() if wanted.report else None
        return Ran(
            t=bench.t,
            live=live.model_dump_json(),
            shown=hash(live.gist()),
            flashing=bench.loading.running,
            jobs=jobs,
            proofs=proofs,
            rings=rings,
            report=report,
            kept=bench.state().keep() if place.keeps() or wanted.keep or any(job.over for job in jobs) else None,
        )

    @staticmethod
    def _job_news(place: _Place) -> list[JobState]:
        """Jobs whose state is another than when it was last told."""
        news = []
        for role, job in place.bench.loading.jobs.items() if place.bench else ():
            if place.told_jobs.get(role) != job.state.state:
                place.told_jobs[role] = job.state.state
                news.append(job.state.model_copy())
        return news

    # --- hands and acts ---------------------------------------------------------------------------------------------

    def hands(self, key: str, hands: Hands, until: float | None, slice_s: float) -> float:
        """Do what the hands do, after the bench has run up to `until`; returns its time. Raise ValueError for what is not on this bench."""
        bench = self._bench(key)
        if until is not None:
            bench.run_until(until, slice_s)  # what was before this hand was so without it
        bench.hands(hands)
        return bench.t

    def kept(self, key: str) -> dict[str, Any] | None:
        """All that a bench keeps; None where there is none."""
        bench = self._place(key).bench
        return bench.state().keep() if bench else None

    def write(self, key: str) -> CraftDocument:
        """Write the draft's settings to the board; returns the draft. Raise Refused."""
        bench = self._bench(key)
        bench.write(bench.document.settings)
        return bench.document

    def read_back(self, key: str) -> tuple[BoardSettings, bool]:
        """(what the board holds, whether that is what the draft says). Raise Refused."""
        bench = self._bench(key)
        held = bench.read_back()
        return held, held == bench.document.settings

    def restart(self, key: str) -> None:
        """Restart the board. Raise Refused."""
        self._bench(key).restart()

    def measure_anew(self, key: str) -> None:
        """Forget what was measured."""
        self._bench(key).measure_anew()

    def line(self, key: str, seconds: float) -> tuple[Edges, float, str]:
        """(the last stretch of the tapped wire, its length in s, what it is called)."""
        bench = self._bench(key)
        edges, length = bench.wire_edges(seconds=seconds)
        return edges, length, f"{bench.tap} of the {bench.receiver_part.name}"

    def flight_log(self, key: str) -> tuple[bytes, float]:
        """(the log of the flight that was flown on the bench, how far it went); empty where none was flown."""
        bench = self._bench(key)
        outing = bench.link.outing
        return (b"", 0.0) if outing is None else (outing.csv(), outing.distance_m(bench.t))

    def ground(self, key: str) -> tuple[CraftDocument, Ground]:
        """(the draft, what an image is judged against)."""
        bench = self._bench(key)
        return bench.document, Ground(dict(bench.loading.devices), dict(bench.loading.installed), bench.loading.runs("board"))

    def flash(self, key: str, order: FlashOrder, content: Content, facts: ImageFacts) -> tuple[JobState, BoardSettings | None]:
        """Begin a job: (its state, the board's settings where they are kept). Raise Refused."""
        bench = self._bench(key)
        keeps = order.role == "board" and order.keep_settings and bench.loading.runs("board")
        held = bench.read_back() if keeps else None
        state = bench.loading.start(order, content, facts, bench.t)
        self._place(key).told_jobs[order.role] = state.state
        return state.model_copy(), held

    def stop_flashing(self, key: str, role: Role) -> None:
        """Stop a job where it may be stopped. Raise Refused."""
        self._bench(key).loading.stop(role)
