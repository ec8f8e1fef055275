"""One browser's end of a bench's socket, in the hands of a test."""

from __future__ import annotations

import json
import time
import uuid
from contextlib import contextmanager

from django.conf import settings
from django.contrib.auth import get_user_model
from django.test import Client
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect

from server.crafts.models import Craft
from tests import clock, live
from tests.crafts import sbus_craft
from tests.database import DatabaseTest
from tests.server.base import make_craft, make_people

PATIENCE_S = 40
MOVED = ("live", "report")
STEP_S, LONGEST_STEP_S = 0.2, 1.0  # of bench time, while something is waited for


class Viewer:
    """One browser's end of the socket."""

    def __init__(self, socket_, end: str = ""):
        self._socket, self._end = socket_, end  # `end`: how the tests' server calls it, where it lets bench time pass
        self._said = self._heard = 0

    def say(self, **message):
        self.say_raw(json.dumps(message))

    @property
    def raw(self):
        """What carries it; whatever is sent there goes past the client."""
        return self._socket.socket

    def say_raw(self, text: str):
        self._socket.send(text)
        self._said += 1

    def passes(self, seconds: float | None) -> int:
        """Let so much bench time pass, after all that was said here (None: only wait until that was done); how much this end was told by then."""
        return live.server().passes(seconds, {self._end: self._said}).get(self._end, 0)

    def now(self, kind: str):
        """The newest message of a kind, after all that was said here was done; no bench time passes."""
        told, newest = self.passes(0), None
        while self._heard < told or newest is None:
            message = self._next()
            newest = message if message["type"] == kind else newest
        return newest

    def until(self, kind: str, true=bool):
        """The next message of a kind for which `true` holds. Where it is one that the bench moves, bench time passes until it comes."""
        end, step, told = time.monotonic() + PATIENCE_S, STEP_S, 0
        while time.monotonic() < end:
            if self._end and kind in MOVED and self._heard >= told:
                told, step = self.passes(step), min(LONGEST_STEP_S, 1.2 * step)
            message = self._next()
            if message["type"] == kind and true(message):
                return message
        raise AssertionError(f"no such {kind} in {PATIENCE_S} s")

    def _next(self):
        message = json.loads(self._socket.recv(timeout=PATIENCE_S))
        self._heard += 1
        return message

    def act(self, act: str, **more):
        self.say(type="act", act=act, request=act, **more)
        return self.until("answer", lambda answer: answer["request"] == act)

    def done(self, act: str, **more):
        """The answer to an act that must be done."""
        answer = self.act(act, **more)
        if not answer["ok"]:
            raise AssertionError(f"{act} was not done: {answer['text']}")
        return answer

    def closed_with(self) -> int:
        end = time.monotonic() + PATIENCE_S
        try:
            while time.monotonic() < end:
                self._socket.recv(timeout=PATIENCE_S)
            raise AssertionError(f"still open after {PATIENCE_S} s")
        except ConnectionClosed as closed:
            return closed.rcvd.code


@contextmanager
def viewing(path: str, headers: dict[str, str]):
    """A browser's end of a craft's socket on the tests' server."""
    server, end = live.server(), uuid.uuid4().hex
    address = f"{server.address.replace('http', 'ws')}/ws/crafts/{path}?{clock.NAMED}={end}"
    with connect(address, additional_headers=headers, origin=server.address, max_size=None, max_queue=None) as opened:
        yield Viewer(opened, end)


class OnTheSocket(DatabaseTest):
    """Tests that look at a craft's bench over its socket."""

    def setUp(self):
        make_people()
        self.craft = make_craft(sbus_craft())

    @contextmanager
    def viewer(self, name: str | None = "wren", craft=None):
        client = Client()
        if name:
            client.force_login(get_user_model().objects.get(username=name))
        cookie = client.cookies.get(settings.SESSION_COOKIE_NAME)
        headers = {"Cookie": f"{settings.SESSION_COOKIE_NAME}={cookie.value}"} if cookie else {}
        with viewing(f"{(craft or self.craft).id}/bench", headers) as viewer:
            yield viewer

    def write_and_restart(self):
        with self.viewer() as viewer:
            viewer.until("report")
            viewer.done("write", version=Craft.objects.get(pk=self.craft.pk).version)
            viewer.done("read back")
            viewer.until("report", lambda report: report["restart_due"] and not report["differences"])
            viewer.done("restart")
            viewer.until("live", lambda message: message["board"]["link"] == "good")
