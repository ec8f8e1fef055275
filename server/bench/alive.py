"""Whether a process that holds benches still lives: it holds a named lock of the database for as long as its connection stands, and the system ends that with it."""

from __future__ import annotations

import threading
import uuid

from django.db import Error, connection, connections

CAN_TELL = "lock-"  # what the name of a holder begins with whose death the database can tell
PING_EVERY_S = 1.0
JUST_UP_S = 5  # a database that has just started knows of no locks yet: nobody is dead for that
_me: str | None = None
_once = threading.Lock()


def holder() -> str:
    """What this process is called among those that hold benches."""
    global _me
    with _once:
        if _me is None:
            _me = f"{CAN_TELL}{uuid.uuid4().hex}"
            taken = threading.Event()
            threading.Thread(target=_hold, args=(_me, taken), daemon=True, name="alive").start()
            if not taken.wait(5):
                _me = uuid.uuid4().hex  # then its lease has to run out
        return _me


def _hold(name: str, taken: threading.Event) -> None:
    """Hold the lock; take it anew where the database was away."""
    pause = threading.Event()
    while True:
        try:
            with connection.cursor() as cursor:
                cursor.execute("SELECT IS_USED_LOCK(%s) = CONNECTION_ID()", [name])
                if not cursor.fetchone()[0]:
                    cursor.execute("SELECT GET_LOCK(%s, 0)", [name])
                    if cursor.fetchone()[0]:
                        taken.set()
        except Error:
            connections.close_all()
        pause.wait(PING_EVERY_S)


def is_dead(name: str) -> bool:
    """Whether the process of that name is gone; False where the database cannot tell."""
    if not name.startswith(CAN_TELL):
        return False
    with connection.cursor() as cursor:
        cursor.execute("SELECT IS_FREE_LOCK(%s), VARIABLE_VALUE + 0 FROM information_schema.GLOBAL_STATUS WHERE VARIABLE_NAME = 'UPTIME'", [name])
        free, up_s = cursor.fetchone()
    return bool(free) and up_s > JUST_UP_S
