"""What hears of the end of a session."""

from __future__ import annotations

import hashlib

from asgiref.sync import async_to_sync
from channels.layers import get_channel_layer

from server.layer import unless_down


def signed_out(session_key: str | None) -> None:
    """End whatever is open in a session that has just ended."""
    if session_key:
        with unless_down():  # who looks is asked again every few seconds
            async_to_sync(get_channel_layer().group_send)(group_of_session(session_key), {"type": "session.ended"})


def group_of_session(session_key: str) -> str:
    """The group that is told when a session ends; its name gives nothing away."""
    return f"session.{hashlib.sha256(session_key.encode()).hexdigest()[:32]}"
