"""Transactions that the database broke off to end a deadlock are tried again, as it asks for."""

from __future__ import annotations

from django.db import OperationalError
from tenacity import retry, retry_if_exception, stop_after_attempt

DEADLOCK = 1213  # MariaDB's number for it
TRIES = 4


def _is_deadlock(error: BaseException) -> bool:
    return isinstance(error, OperationalError) and error.args[:1] == (DEADLOCK,)


# Runs a whole transaction anew where another one was in its way; its last failure passes through.
again_on_deadlock = retry(retry=retry_if_exception(_is_deadlock), stop=stop_after_attempt(TRIES), reraise=True)
