"""Password hashing takes its turn: it is dear on purpose, and must not take the machine from the benches."""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

from django.contrib.auth.hashers import Argon2PasswordHasher

R = TypeVar("R")
AT_ONCE = 2
MOST_WAITING = 8
NICE = 10


class TooManyAtOnce(Exception):
    """More passwords are waiting to be looked at than should."""


class Turns:
    """Two places to work in, beneath everything else that runs, and a few to wait in."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(AT_ONCE, "hashing", initializer=self._step_back)
        self._taken = 0
        self._lock = threading.Lock()

    @staticmethod
    def _step_back() -> None:
        with contextlib.suppress(OSError):  # Linux: one thread's own place among all that runs
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), NICE)

    def take(self, work: Callable[[], R]) -> R:
        """Do it when it is its turn. Raise TooManyAtOnce where too many wait already."""
        with self._lock:
            if self._taken >= AT_ONCE + MOST_WAITING:
                raise TooManyAtOnce
            self._taken += 1
        try:
            return self._pool.submit(work).result()
        finally:
            with self._lock:
                self._taken -= 1


turns = Turns()


class QueuedArgon2(Argon2PasswordHasher):
    """Argon2id with 46 MiB, one pass and one lane (RFC 9106; of the sizes that guides for the web give, the one without lanes), one after the other."""

    time_cost, memory_cost, parallelism = 1, 47_104, 1

    def encode(self, password: Any, salt: Any) -> str:
        """See the hasher."""
        return turns.take(lambda: super(QueuedArgon2, self).encode(password, salt))

    def verify(self, password: Any, encoded: Any) -> bool:
        """See the hasher."""
        return turns.take(lambda: super(QueuedArgon2, self).verify(password, encoded))
