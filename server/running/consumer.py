"""One browser at one bench."""

from __future__ import annotations

import asyncio
import contextlib
import json
import time
from typing import Annotated, Any

from channels.exceptions import ChannelFull
from pydantic import Field, TypeAdapter, ValidationError

from linkcore.bench.messages import Act, Answer, Hands, Look, Trouble
from linkcore.craft.document import CraftError
from linkcore.parts.catalogue import UnknownPart
from server.gate import GatedConsumer, acts, later, lines_kept, touches
from server.layer import unless_down
from server.outage import SAYS, OutOfReach
from server.problems import NO_SUCH_CRAFT, TRY_AGAIN
from server.running import near
from server.running.host import AtLimit, NoSuchCraft, at_limit, ensure, runs_here
from server.running.worker import Ended
from server.workshops.access import refusal
from server.workshops.models import Duty

CANNOT_RUN = 4422
WATCH_EVERY_S = 4.0
SILENT_S = 1.5  # what says least, a bench that waits for its kit, says something every second
LOOK_EVERY_S = 0.5
MOVE_EVERY_S = 0.02  # half of what a bench is looked at
ACT_WITHIN_S = 12.0  # the longest, a flash that is judged and begun, takes a twentieth
NO_ANSWER = "the bench did not answer in time; it may have been done all the same: look at what is on the board, then try again"

_incoming: TypeAdapter[Hands | Act | Look] = TypeAdapter(Annotated[Hands | Act | Look, Field(discriminator="type")])


CHECKS_MOVE = frozenset(
    (
        "type",
        "left",
        "right",
        "switches",
        "transmitter_on",
        "usb",
        "pack",
        "tilt_deg",
        "towards_deg",
        "turn_deg",
        "unsteady",
        "asking",
        "usb_so",
        "meter_v",
        "clamp_a",
        "put_back_mah",
        "cells_told",
        "forget_power",
        "pack_here",
        "props_off",
        "turn",
        "press",
        "let_go",
        "moved",
        "moved_turns",
        "not_seen",
        "forget_motors",
        "swap_wires",
        "solder_phase",
        "learn_ends",
        "leave_ends",
        "handled",
        "compass",
        "flown",
        "surface_seen",
        "forget_centre",
        "gps_fix",
        "home",
        "loss_percent",
        "distance_m",
        "silence_s",
        "heading_deg",
        "power_cut_db",
        "fly_out",
        "pack_left_percent",
        "looking",
        "forget_sensor",
    )
)
HOLDS = frozenset(("turn", "press", "let_go"))  # a key that is held says so 20 times a second, and letting go is never asked for too often
MOVES = frozenset(("type", "left", "right", "tilt_deg", "towards_deg", "turn_deg")) | HOLDS  # only where they end counts
BY_SOMEBODY = HOLDS | {"props_off"}  # what counts for whoever said it
CHECKS_ASK = frozenset(("measure anew", "read back", "keep line", "keep flight"))


def duty_of(message: Hands | Act | Look) -> Duty:
    """What a message asks of a role. Whoever checks moves sticks and switches and takes the link or the supply away; devices and settings stay as they are."""
    if isinstance(message, Look):
        return "read"
    if isinstance(message, Hands):
        moved = message.model_dump(exclude_none=True).keys() - {"by"}
        return "read" if moved <= {"type", "tap"} else "check" if moved <= CHECKS_MOVE | {"tap"} else "build"
    return "check" if message.act in CHECKS_ASK else "build"


class BenchConsumer(GatedConsumer):
    """Hands and acts go in, snapshots and reports come out."""

    async def begin(self) -> None:
        """Watch the bench; it is set up where it does not run yet."""
        self._watching: asyncio.Task[None] | None = None
        self._heard_at = time.monotonic()
        self.hop: str | None = None
        self.bench = ""
        self._far = False
        self._asked: dict[str, asyncio.TimerHandle] = {}
        self._moves: dict[str, Any] = {}
        self._moved_at = 0.0
        self._moving: asyncio.Task[None] | None = None
        self._messages = near.join(self.craft_id, self.channel_name)
        self._passing = asyncio.create_task(self._pass_on())
        self._watching = asyncio.create_task(self._watch())
        await self._reach()

    async def _reach(self) -> None:
        """Find the bench, or have it set up; tell why it has to wait where there is no room for it."""
        try:
            self.bench = await ensure(self.craft_id)
            self._far = not runs_here(self.craft_id)
            near.follow(self.craft_id, elsewhere=self._far)
            await self._say_watching(new=True)
        except AtLimit as limit:
            self.bench = ""
            with contextlib.suppress(OutOfReach, Ended):  # the next look tells it
                await self.send(await at_limit(self.craft_id, limit.place))
        except (CraftError, UnknownPart) as error:
            await self.tell(str(error))
            await self.close(CANNOT_RUN)
        except NoSuchCraft:
            await self.close(NO_SUCH_CRAFT)
        except (OutOfReach, Ended):
            if not self.bench:
                await self.close(TRY_AGAIN)

    async def end(self) -> None:
        """Stop watching; the bench stands still then, and lingers a little."""
        for waiting in self._asked.values():
            waiting.cancel()
        near.leave(self.craft_id, self.channel_name)
        self._passing.cancel()
        if self._moving:
            self._moving.cancel()
        if self._watching:
            self._watching.cancel()
            with unless_down():  # it finds out by itself, a little later
                await self._send_on({"type": "left", "who": self.channel_name})

    async def take(self, text: str) -> None:
        """A message from the browser."""
        try:
            message = _incoming.validate_json(text)
        except ValidationError as error:
            first = error.errors()[0]
            place = "/".join(str(step) for step in first["loc"])
            await self.tell(f"message not understood: {place + ': ' if place else ''}{first['msg']}")
            return
        if isinstance(message, Act):
            await self._act(message)
        elif why := refusal(self.role, duty_of(message)):
            await self.tell(why)
        elif isinstance(message, Hands) and message.model_fields_set <= MOVES:
            await self._move(message.model_dump(exclude_none=True))
        elif wait := touches(self.scope["user"].pk, self.craft_id):
            await self.tell(later(wait))
        elif isinstance(message, Look):
            self.hop = message.hop
            await self._say_watching(new=True)
        else:
            await self._move_on()  # what came before it is done before it
            await self._hand_on(message.model_dump(exclude_none=True))

    async def _move(self, moved: dict[str, Any]) -> None:
        """Movements that come closer together than a bench is looked at become one, the later over the earlier."""
        wait_s = self._moved_at + MOVE_EVERY_S - time.monotonic()
        self._moves |= moved
        if wait_s <= 0:
            await self._move_on()
        elif self._moving is None:
            self._moving = asyncio.create_task(self._move_later(wait_s))

    async def _move_later(self, wait_s: float) -> None:
        await asyncio.sleep(wait_s)
        self._moving = None
        with contextlib.suppress(OSError), unless_down():  # OSError: the browser went away; disconnect comes next
            await self._move_on()

    async def _move_on(self) -> None:
        moves, self._moves = self._moves, {}
        if moves:
            self._moved_at = time.monotonic()
            await self._hand_on(moves)

    async def _hand_on(self, hands: dict[str, Any]) -> None:
        hands.pop("by", None)  # nobody says it of themselves
        if BY_SOMEBODY & hands.keys():
            hands["by"] = str(self.scope["user"].pk)
        await self._send_on({"type": "hands", "hands": hands, "reply": self.channel_name})

    async def _act(self, act: Act) -> None:
        if act.request in self._asked:
            return  # it is being done, and answered once
        rate = lines_kept if act.act in ("keep line", "keep flight") else acts
        if wait := rate(self.scope["user"].pk, self.craft_id):
            await self._refuse(act, later(wait))
            return
        try:
            if not await self.still_allowed():
                return
        except OutOfReach:
            await self._refuse(act, SAYS)
            return
        if why := refusal(self.role, duty_of(act)):
            await self._refuse(act, why)
            return
        if not self.bench:
            await self._refuse(act, "there is no bench yet; it waits for room")
            return
        await self._move_on()
        self._asked[act.request] = asyncio.get_running_loop().call_later(ACT_WITHIN_S, self._too_late, act.request)
        sent = {"type": "act", "act": act.model_dump(), "reply": self.channel_name, "user": self.scope["user"].pk, "until": time.time() + ACT_WITHIN_S}
        await self._send_on(sent)

    def _too_late(self, request: str) -> None:
        """No answer came: the bench changed hands just then, or its process is gone."""
        if self._asked.pop(request, None) is not None and self.known:
            answer = Answer(request=request, ok=False, text=NO_ANSWER)
            self._telling = asyncio.ensure_future(self.send(answer.model_dump_json()))

    async def _refuse(self, act: Act, why: str) -> None:
        await self.send(json.dumps(Answer(request=act.request, ok=False, text=why).model_dump()))

    async def _pass_on(self) -> None:
        """What the bench tells everybody, as it is, and what it tells this browser alone."""
        with contextlib.suppress(asyncio.CancelledError, OSError):  # OSError: the browser went away; disconnect comes next
            while True:
                text = await self._messages.get()
                self._heard_at = time.monotonic()
                if not isinstance(text, str):
                    await self.bench_text(text)
                    continue
                if self.known:  # or it was on its way while this end was being shut
                    await self.send(text)

    async def bench_text(self, event: dict[str, Any]) -> None:
        """Something from the bench for this browser alone."""
        self._heard_at = time.monotonic()
        if not self.known:
            return  # it was on its way while this end was being shut
        if (request := event.get("answers")) is not None:
            if (waiting := self._asked.pop(request, None)) is None:
                return  # they were told that it is lost
            waiting.cancel()
        with contextlib.suppress(OSError):  # the browser went away; disconnect comes next
            await self.send(event["text"])

    async def _watch(self) -> None:
        """Tell the bench that somebody looks, and see that it still runs; where nothing comes, another process may have to take it."""
        with contextlib.suppress(asyncio.CancelledError):
            told_at = time.monotonic()
            while True:
                await asyncio.sleep(LOOK_EVERY_S)
                now = time.monotonic()
                silent = now - self._heard_at > SILENT_S
                if not silent and now - told_at < WATCH_EVERY_S:
                    continue
                told_at = now
                with unless_down():
                    if silent:
                        self._heard_at = now
                        await self._reach()
                    else:
                        await self._say_watching()

    async def _say_watching(self, *, new: bool = False) -> None:
        await self._send_on({"type": "watch", "who": self.channel_name, "hop": self.hop, "far": self._far, **({"new": True} if new else {})})

    async def _send_on(self, message: dict[str, Any]) -> None:
        if not self.bench:
            return  # there is none yet, and they know
        try:
            if not near.hand_over(self.bench, message):
                await near.send_elsewhere(self.bench, message)
        except ChannelFull:
            await self.tell("the bench is behind and did not take this; try again")

    async def tell(self, text: str) -> None:
        """See GatedConsumer."""
        with contextlib.suppress(OSError):  # the browser went away; disconnect comes next
            await self.send(json.dumps(Trouble(text=text).model_dump()))
