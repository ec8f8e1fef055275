"""`./bell line --craft NAME`: the line of a craft's stand-in receiver on a pty, for other programs and for taps."""

from __future__ import annotations

import errno
import os
import pty
import time
import tty
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from linkcore.bench.bench import Bench, CannotRun
from linkcore.bench.messages import Hands
from linkcore.craft.document import CraftError
from linkcore.craft.parts import KitParts
from linkcore.parts.catalogue import UnknownPart
from linkcore.signal.uart import UartReceiver
from linkcore.standins.hands import Stick
from server.crafts.models import Craft
from server.parts.models import catalogue_of
from server.tap.lines import offer

SLICE_S = 0.02
LOOK_BACK_S = 0.2


class Command(BaseCommand):
    """Runs until it is stopped."""

    help = "offer the line of a craft's stand-in receiver on a pty"

    def add_arguments(self, parser: CommandParser) -> None:
        """See BaseCommand."""
        parser.add_argument("--craft", required=True, help="the craft's name")
        parser.add_argument("--workshop", help="its workshop, where several have a craft of that name")
        parser.add_argument("--seconds", type=float, default=0.0, help="stop by itself after this long")

    def handle(self, *, craft: str, workshop: str | None, seconds: float, **_: Any) -> None:
        """See BaseCommand."""
        bench = self._bench(craft, workshop)
        uart = bench.path.uart
        if uart is None:
            raise CommandError(f"the {bench.receiver_part.name} sends {bench.spec.name}, which is made of pulses; a pty carries bytes")
        master, slave = pty.openpty()
        tty.setraw(slave)
        address = os.ttyname(slave)
        os.set_blocking(master, False)
        note = offer(address, f"{bench.spec.name} of the stand-in {bench.receiver_part.name}, craft {craft}")
        self.stdout.write(
            f"{address}: {bench.spec.describe(uart.inverted)}, from the stand-in {bench.receiver_part.name} of {craft}. Ctrl-C stops it.", ending="\n"
        )
        self.stdout.flush()
        try:
            self._send_on(bench, UartReceiver(uart), master, seconds)
        except KeyboardInterrupt:
            pass
        finally:
            note.unlink(missing_ok=True)

    @staticmethod
    def _bench(name: str, workshop: str | None) -> Bench:
        found = Craft.objects.filter(name=name, **({"workshop__name": workshop} if workshop else {}))
        if len(found) != 1:
            there = ", ".join(Craft.objects.values_list("name", flat=True).order_by("name"))
            raise CommandError(f"{len(found)} crafts are called {name}; there are {there}" + ("; say which with --workshop" if len(found) > 1 else ""))
        try:
            document = found[0].read()
            return Bench(document, parts=KitParts.of(document, catalogue_of(found[0].workshop_id)))
        except (CraftError, UnknownPart, CannotRun) as error:
            raise CommandError(str(error)) from error

    @staticmethod
    def _send_on(bench: Bench, port: UartReceiver, master: int, seconds: float) -> None:
        """Run the bench by the clock and put what its receiver says on the pty; the right stick goes slowly round."""
        begun = time.monotonic()
        known = 0.0
        while not seconds or time.monotonic() - begun < seconds:
            now = time.monotonic() - begun
            bench.hands(Hands(right=Stick(x=round(2 * abs(now / 4 % 2 - 1) - 1, 3), y=0.0)))
            bench.run_until(now)
            edges, length = bench.wire_edges(bench.wire.pin, now - known + LOOK_BACK_S)  # a machine that stood still must not lose an edge
            start = bench.t - length
            times = edges.times + start
            fresh = times[(times > known) & (times <= now)]
            known = now
            data = port.feed(fresh, now).data.tobytes()
            if data:
                try:
                    os.write(master, data)
                except OSError as error:
                    if error.errno != errno.EAGAIN:  # nobody reads, and its buffer is full: what is not heard is lost, as on a wire
                        raise
            time.sleep(SLICE_S)
