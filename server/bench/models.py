"""What a bench keeps, and which process runs it."""

from __future__ import annotations

import logging
from datetime import timedelta
from typing import Any

from django.db import models, transaction
from django.utils import timezone
from pydantic import ValidationError

from linkcore.bench.bench import cannot_run
from linkcore.bench.messages import BenchState
from linkcore.craft.document import BoardSettings, CraftDocument
from linkcore.craft.parts import KitParts
from server.bench.alive import is_dead

LEASE = timedelta(seconds=8)
log = logging.getLogger(__name__)


class BenchRecord(models.Model):
    """One craft's bench. `holder` runs it until `held_until` and is reached by `channel`."""

    craft = models.OneToOneField("crafts.Craft", on_delete=models.CASCADE, primary_key=True, related_name="bench")
    state = models.JSONField()
    holder = models.CharField(max_length=64, default="", blank=True)
    channel = models.CharField(max_length=120, default="", blank=True)
    held_until = models.DateTimeField(default=timezone.now)
    set_aside = models.CharField(max_length=300, default="", blank=True)  # why it may not run while the craft's draft is of that version
    set_aside_version = models.PositiveIntegerField(null=True)

    @property
    def held(self) -> bool:
        """Whether some process runs it now."""
        return bool(self.holder) and self.held_until > timezone.now()

    def read(self) -> BenchState:
        """The state as the core knows it."""
        return BenchState.model_validate(self.state)

    def state_for(self, document: CraftDocument, parts: KitParts) -> BenchState:
        """The state to go on from: another board than the one that was there comes fresh from its maker, and so does one whose state cannot be read."""
        try:
            state = self.read()
        except ValidationError:
            log.warning("the kept state of the bench of craft %s cannot be read; it starts anew", self.craft_id)
            return self.first_state(document, parts)
        same = parts.maybe_board is not None and set(state.stored.ports) <= set(parts.board.ports) and len(state.stored.ports) == len(parts.board.ports)
        return (
            state
            if same
            else self.first_state(document, parts).model_copy(
                update={"pack_here": state.pack_here, "drives": state.drives, "handled": state.handled}  # pack and motors are what they were
            )
        )

    def running(self, document: CraftDocument, parts: KitParts) -> BoardSettings:
        """What the board runs, by the last that was kept; the draft's settings where no bench can run."""
        return self.state_for(document, parts).running if cannot_run(document, parts) is None else document.settings

    @classmethod
    def first_state(cls, document: CraftDocument, parts: KitParts | None = None) -> BenchState:
        """A new board and a new receiver: no port has a job, nothing is set that could surprise, nobody is bound. One that nothing feeds yet lies on the bench with its USB cable in."""
        settings, fed = document.settings, document.feed != "nothing"
        ports = parts.board.ports if parts and parts.maybe_board else tuple(settings.ports)
        blank = BoardSettings(ports=dict.fromkeys(ports, "free"))
        return BenchState(stored=blank, running=blank, read_back=blank, bound=False, usb=not fed, pack=fed)

    @classmethod
    def claim(cls, craft_id: object, holder: str, channel: str) -> str:
        """Take the bench, or learn the channel of who has it. Returns the channel to talk to."""
        with transaction.atomic():
            record = cls.objects.select_for_update().get(pk=craft_id)
            if record.held and record.holder != holder and not is_dead(record.holder):
                return record.channel
            record.holder, record.channel, record.held_until = holder, channel, timezone.now() + LEASE
            record.save(update_fields=["holder", "channel", "held_until"])
            return channel

    @classmethod
    def reached(cls, craft_id: object, holder: str) -> str:
        """The channel of somebody else who runs the bench; empty where nobody does."""
        record = cls.objects.filter(pk=craft_id).first()
        return record.channel if record and record.held and record.holder != holder and not is_dead(record.holder) else ""

    @classmethod
    def keep(cls, craft_id: object, holder: str, kept: dict[str, Any] | None) -> bool:
        """Hold on for another while, and keep the state where there is one. False where the bench has gone to another holder."""
        values: dict[str, object] = {"held_until": timezone.now() + LEASE}
        if kept is not None:
            values["state"] = kept
        return cls.objects.filter(pk=craft_id, holder=holder).update(**values) == 1

    @classmethod
    def put_aside(cls, craft_id: object, holder: str, version: int, why: str) -> bool:
        """Let it not run again while the draft is of that version. False where the bench has gone to another holder."""
        return cls.objects.filter(pk=craft_id, holder=holder).update(set_aside=why[:300], set_aside_version=version) == 1

    @classmethod
    def release(cls, craft_id: object, holder: str, kept: dict[str, Any] | None) -> None:
        """Let go, keeping the state where there is one."""
        values: dict[str, object] = {"holder": "", "channel": "", "held_until": timezone.now()}
        if kept is not None:
            values["state"] = kept
        cls.objects.filter(pk=craft_id, holder=holder).update(**values)
