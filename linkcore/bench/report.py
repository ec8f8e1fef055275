"""What is worked out from a bench's signal for those who look at it: coins and findings of the whole chain, and what is told of the hops in sight."""

from __future__ import annotations

from collections.abc import Collection

from linkcore.bench.bench import Bench
from linkcore.bench.messages import LogLine, Report, Told
from linkcore.chain import chain, draft_against_board, in_order, measured_findings, seen_findings, settled_findings
from linkcore.craft.document import Difference, differences
from linkcore.devices.memory import as_kept
from linkcore.findings import Finding, HopKey
from linkcore.hop import HopState
from linkcore.hops.registry import HOPS
from linkcore.hops.switchboard.truth import TruthTable
from linkcore.hops.switchboard.view import SwitchboardTold
from linkcore.kept import Kept
from linkcore.reads import Whole


class Reporter:
    """Makes reports of one bench."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self._kept = Kept()
        self._told_table: TruthTable | None = None

    def report(self, draft_version: int, hops: Collection[HopKey] | None = None, *, whole: bool = True) -> Report:
        """All that is known now of the chain, and what is told of `hops` (None: of all); the truth table, unless the `whole` is wanted, only where it has changed."""
        bench = self.bench
        bench.measuring.sticks_in_sight = hops is None or "sticks" in hops
        states, findings = self._chain()
        return Report(
            t=round(bench.t, 2),
            draft_version=draft_version,
            chain=states,
            findings=findings,
            differences=self._differences(),
            on_board=bench.read_back_settings,
            restart_due=bench.board.restart_due,
            told=self._told(hops, whole=whole),
            log=[LogLine(t=round(event.t, 3), text=event.text) for event in bench.board.events.last(40)],
        )

    def _differences(self) -> list[Difference]:
        """The draft's settings against what the board was last read to hold; kept until one of them is another."""
        bench = self.bench
        draft, read = bench.document.settings, bench.read_back_settings
        if read is None:
            return []
        board, form = bench.board_part, bench.board.form
        return self._kept.get("differences", (draft, read, board, form), None, lambda: differences(draft, read, as_kept(draft, board, form)))

    def _told(self, hops: Collection[HopKey] | None, *, whole: bool) -> Told:
        bench = self.bench
        told = {hop.field: hop.tell(bench.whole, bench.observed) for hop in HOPS if hop.tell is not None and (hops is None or hop.key in hops)}
        board = told.get("switchboard")
        if isinstance(board, SwitchboardTold):
            table, before = board.table, self._told_table
            self._told_table = table
            if not whole and table is before:
                told["switchboard"] = board.model_copy(update={"table": None})
        return Told.model_validate(told)

    def _chain(self) -> tuple[list[HopState], list[Finding]]:
        """The chain as the board runs it; the findings beside those of the draft, where that is another."""
        bench = self.bench
        now = seen_findings(bench.whole, bench.observed)
        judged = self._judged("board", bench.whole)
        states, found = chain(bench.whole, bench.proofs, in_order([*judged, *now]), bench.observed)
        drafted, runs = bench.document.settings, bench.board.running
        if self._kept.get("as drafted", (drafted, runs), None, lambda: drafted == runs):
            return states, in_order(found)
        after = found[len(judged) + len(now) :]
        draft = self._judged("draft", bench.draft)
        stored = None
        if bench.board.stored != bench.board.running:
            stored = draft if bench.board.stored == bench.document.settings else self._judged("stored", bench.stored)
        return states, [*draft_against_board(draft, judged, stored), *in_order([*now, *after])]

    def _judged(self, name: str, whole: Whole) -> list[Finding]:
        """Findings that a draft can mend; those that rest on nothing measured are kept."""
        settled = self._kept.get(name, (whole,), None, lambda: settled_findings(whole))
        measured = self._kept.get(f"{name}, measured", (whole,), self.bench.observed.measured_so_far, lambda: measured_findings(whole, self.bench.observed))
        return in_order([*settled, *measured])
