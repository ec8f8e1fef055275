"""A lead to the database that can be cut and mended: an outage of any length."""

from __future__ import annotations

import socket
import threading
from contextlib import suppress

from launcher.mariadb import free_port


class Lead:
    """A lead to the database that can be cut and mended."""

    def __init__(self, to: int):
        self._to, self._ends, self._lock = to, [], threading.Lock()
        self.port = free_port()
        self.mend()

    def mend(self):
        self._socket = socket.create_server(("127.0.0.1", self.port))
        threading.Thread(target=self._take, args=(self._socket,), daemon=True).start()

    def cut(self):
        with suppress(OSError):  # cut already
            self._socket.shutdown(socket.SHUT_RDWR)
        self._socket.close()
        with self._lock:
            ends, self._ends = self._ends, []
        for end in ends:
            with suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)
            end.close()

    def _take(self, listening):
        with suppress(OSError):
            while True:
                near, _ = listening.accept()
                far = socket.create_connection(("127.0.0.1", self._to))
                with self._lock:
                    self._ends += [near, far]
                for one, other in ((near, far), (far, near)):
                    threading.Thread(target=self._pass_on, args=(one, other), daemon=True).start()

    @staticmethod
    def _pass_on(one, other):
        with suppress(OSError):
            while data := one.recv(1 << 16):
                other.sendall(data)
        for end in (one, other):
            with suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)
