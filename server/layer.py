"""The channel layer, where it may be down: Redis is started anew, or out of reach for a moment."""

from __future__ import annotations

import contextlib
import logging
from collections.abc import Iterator

from channels.exceptions import ChannelFull
from redis.exceptions import RedisError

log = logging.getLogger(__name__)
_said = False


@contextlib.contextmanager
def unless_down() -> Iterator[None]:
    """Whatever is sent meanwhile is lost, which everybody who waits for it notices by the silence; it is logged once."""
    global _said
    try:
        yield
        _said = False
    except ChannelFull:
        pass  # whoever does not read does not hear
    except (RedisError, OSError) as error:
        if not _said:
            log.error("the channel layer does not answer (%s); it is tried again", error)
        _said = True
