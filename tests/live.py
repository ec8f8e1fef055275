"""One real server and one Chromium for each process that runs tests."""

from __future__ import annotations

import contextlib
import http.client
import json
import os
import queue
import socket
import subprocess
import threading
import time
import urllib.request
from concurrent.futures import Future

from django.conf import settings
from django.db import connection
from playwright.sync_api import sync_playwright

from launcher.mariadb import die_with_parent
from launcher.server_command import server_command
from tests import clock

GIVE_UP_S = float(os.environ.get("COINBELL_GIVE_UP_S", "30"))  # a busy machine is slow, and nothing is gained by giving up early
CHROMIUM = "/usr/bin/chromium-headless-shell"
DESK, PHONE = "desk", "phone"
SCREENS = {DESK: {"viewport": {"width": 1280, "height": 800}}, PHONE: {"viewport": {"width": 390, "height": 844}, "has_touch": True, "is_mobile": True}}

_server = None
_browser = None


class Server:
    """The app under uvicorn, on a socket bound here, pointed at the test database."""

    def __init__(self):
        self._socket = socket.socket()
        self._socket.bind(("127.0.0.1", 0))
        self._socket.listen(64)
        self.address = f"http://127.0.0.1:{self._socket.getsockname()[1]}"
        self._socket.set_inheritable(True)
        environment = {
            **os.environ,
            "COINBELL_DB_NAME": connection.settings_dict["NAME"],
            "DJANGO_SETTINGS_MODULE": "tests.settings",
        }
        descriptor = self._socket.fileno()
        self.process = subprocess.Popen(
            server_command("--fd", str(descriptor), application="tests.served:application"),
            env=environment,
            cwd=settings.ROOT,
            pass_fds=(descriptor,),
            preexec_fn=die_with_parent,
        )
        until = time.monotonic() + 30
        while True:
            try:
                urllib.request.urlopen(self.address + "/api/session", timeout=20).read()
                return
            except OSError:
                if time.monotonic() > until or self.process.poll() is not None:
                    raise

    def stop(self):
        self.process.terminate()
        try:
            self.process.wait(10)
        except subprocess.TimeoutExpired:
            self.process.kill()
        self._socket.close()

    def passes(self, seconds: float | None, said: dict[str, int] | None = None) -> dict[str, int]:
        """Let bench time pass, once what each end of a socket has `said` so far was done (None: only wait for that); how much each open end was told by then."""
        asked = http.client.HTTPConnection(self.address.removeprefix("http://"), timeout=60)
        with contextlib.closing(asked):
            asked.request("POST", clock.PLACE, json.dumps({"said": said or {}, "seconds": seconds}))
            answer = asked.getresponse()
            told = json.loads(answer.read())
        if answer.status != 200:
            raise TimeoutError(f"bench time does not pass: {told}")
        return dict(told)


# Each socket of a page says by its address which end it is, and counts what it has said and heard, so that bench time passes in step with pages.
COUNTED = """
  window.ends = {};
  window.WebSocket = class extends WebSocket {
    constructor(address, protocols) {
      const end = `${Math.random()}`.slice(2);
      super(`${address}?NAMED=${end}`, protocols);
      this.counts = window.ends[end] = { said: 0, heard: 0 };
      this.addEventListener("message", () => { this.counts.heard += 1; });
      this.addEventListener("close", () => { delete window.ends[end]; });
    }
    send(data) {
      if (window.cut) return; // a line on which nothing gets through any more
      if (this.readyState === WebSocket.OPEN) this.counts.said += 1;
      super.send(data);
    }
  };
""".replace("NAMED", clock.NAMED)


class Windows:
    """Browser contexts that are used again: whoever takes one finds neither cookies nor anything stored, only files of the front end in its cache."""

    def __init__(self, chromium, address):
        self._chromium, self._address = chromium, address
        self._free = {DESK: [], PHONE: []}

    def take(self, kind):
        if self._free[kind]:
            return self._free[kind].pop()
        context = self._chromium.new_context(**SCREENS[kind], reduced_motion="reduce", locale="en-GB", timezone_id="UTC")
        context.set_default_timeout(1000 * GIVE_UP_S)
        context.add_init_script(COUNTED)
        return context

    def give_back(self, context, kind):
        pages = list(context.pages)
        if pages:
            storage = {"origin": self._address, "storageTypes": "local_storage,indexeddb,cache_storage,service_workers"}
            context.new_cdp_session(pages[0]).send("Storage.clearDataForOrigin", storage)
        for page in pages:
            page.close()
        context.clear_cookies()
        self._free[kind].append(context)


class Browser:
    """Chromium, owned by a thread of its own: Playwright runs an event loop there, and Django's ORM must stay out of it."""

    def __init__(self, address):
        if not os.access(CHROMIUM, os.X_OK):
            raise RuntimeError(f"there is no browser at {CHROMIUM}: ./bell test installs it (Debian's chromium-headless-shell)")
        self._address = address
        self._work = queue.Queue()
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._thread.start()

    def _serve(self):
        with sync_playwright() as playwright:
            chromium = playwright.chromium.launch(
                executable_path=CHROMIUM,
                args=["--no-sandbox", "--disable-dev-shm-usage", "--disable-background-networking", "--disable-component-update", "--no-first-run"],
            )
            windows = Windows(chromium, self._address)
            while (job := self._work.get()) is not None:
                work, future = job
                try:
                    future.set_result(work(windows))
                except BaseException as error:
                    future.set_exception(error)
            chromium.close()

    def run(self, work):
        future = Future()
        self._work.put((work, future))
        return future.result(timeout=400)

    def stop(self):
        self._work.put(None)
        self._thread.join(15)


def server() -> Server:
    global _server
    _server = _server or Server()
    return _server


def browser() -> Browser:
    global _browser
    _browser = _browser or Browser(server().address)
    return _browser


def stop_all() -> None:
    global _server, _browser
    for each in (_browser, _server):
        if each is not None:
            each.stop()
    _browser = _server = None
