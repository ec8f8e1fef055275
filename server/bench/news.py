"""News for a running bench, from whichever process has them."""

from __future__ import annotations

import uuid

from asgiref.sync import async_to_sync
from channels.layers import get_channel_layer

from server.bench.models import BenchRecord
from server.layer import unless_down


def tell_bench(craft_id: uuid.UUID, what: str) -> None:
    """Tell the bench of a craft that its draft ("draft") or its rung wires ("rings") have changed, if it runs."""
    record = BenchRecord.objects.filter(craft_id=craft_id).first()
    layer = get_channel_layer()
    if record is not None and record.held and layer is not None:
        with unless_down():  # the bench looks for itself every two seconds
            async_to_sync(layer.send)(record.channel, {"type": what})
