"""Transactions that the database broke off to end a deadlock are tried again, as it asks for."""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import ParamSpec, TypeVar

from django.db import OperationalError

P = ParamSpec("P")
R = TypeVar("R")
DEADLOCK = 1213  # MariaDB's number for it
TRIES = 4


def again_on_deadlock(transaction: Callable[P, R]) -> Callable[P, R]:
    """Run a whole transaction anew where another one was in its way; its last failure passes through."""

    @functools.wraps(transaction)
    def run(*args: P.args, **kwargs: P.kwargs) -> R:
        for left in range(TRIES - 1, -1, -1):
            try:
                return transaction(*args, **kwargs)
            except OperationalError as error:
                if not left or error.args[:1] != (DEADLOCK,):
                    raise
        raise AssertionError("unreachable")

    return run
