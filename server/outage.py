"""When the database is out of reach: told apart from other errors, once and in words."""

from __future__ import annotations

import logging
from collections.abc import Awaitable, Callable
from typing import ParamSpec, TypeVar

from channels.db import database_sync_to_async
from django.db import InterfaceError, OperationalError, connections

P = ParamSpec("P")
R = TypeVar("R")
SAYS = "the database does not answer just now; wait a moment, then look at what is there"
RETRY_AFTER_S = 2
# MariaDB's numbers: cannot connect, gone away, lost meanwhile, too many connections, shutting down, read-only while it starts
_NUMBERS = frozenset((2002, 2003, 2005, 2006, 2013, 2026, 2055, 1040, 1053, 1129, 1927))


class OutOfReach(Exception):
    """The database does not answer."""


def is_outage(error: BaseException | None) -> bool:
    """Whether an error means that the database is out of reach, and not that it refused something."""
    return isinstance(error, OutOfReach | InterfaceError) or (isinstance(error, OperationalError) and bool(error.args) and error.args[0] in _NUMBERS)


def in_database(work: Callable[P, R]) -> Callable[P, Awaitable[R]]:
    """Do blocking work with the database from a task; raise OutOfReach where that does not answer."""

    async def do(*args: P.args, **kwargs: P.kwargs) -> R:
        try:
            return await database_sync_to_async(work)(*args, **kwargs)
        except (OperationalError, InterfaceError) as error:
            if is_outage(error):
                raise OutOfReach(str(error)) from error
            raise

    return do


def wait_at_most(seconds: int) -> None:
    """In a server: a database that has stopped in the middle of an answer counts as gone after so long. Commands such as migrations may take their time."""
    connections.settings["default"]["OPTIONS"] |= {"read_timeout": seconds, "write_timeout": seconds}


class NoTracebackOfOutages(logging.Filter):
    """Leaves a line of what an outage broke, not a page; that somebody was asked to come back later is theirs to know."""

    def filter(self, record: logging.LogRecord) -> bool:
        """See logging.Filter."""
        if getattr(record, "status_code", 0) == 503:
            return False
        if record.exc_info and is_outage(record.exc_info[1]):
            record.msg, record.args, record.exc_info = "a request was answered with 503: the database does not answer", (), None
            record.exc_text = None
        return True
