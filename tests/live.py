"""One real server and one Chromium for the whole run."""

from __future__ import annotations

import os
import queue
import socket
import subprocess
import sys
import threading
import time
import urllib.request
from concurrent.futures import Future

from django.conf import settings
from django.db import connection
from playwright.sync_api import sync_playwright

from launcher.mariadb import die_with_parent

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
        environment = {**os.environ, "COINBELL_DB_NAME": connection.settings_dict["NAME"], "DJANGO_SETTINGS_MODULE": "tests.settings"}
        descriptor = self._socket.fileno()
        self.process = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "uvicorn",
                "server.asgi:application",
                "--fd",
                str(descriptor),
                "--lifespan",
                "off",
                "--ws-max-size",
                "65536",
                "--log-level",
                "warning",
            ],
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


class Browser:
    """Chromium, owned by a thread of its own: Playwright runs an event loop there, and Django's ORM must stay out of it."""

    def __init__(self):
        self._work = queue.Queue()
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._thread.start()

    def _serve(self):
        with sync_playwright() as playwright:
            chromium = playwright.chromium.launch(
                executable_path="/usr/bin/chromium",
                args=["--no-sandbox", "--disable-dev-shm-usage", "--disable-background-networking", "--disable-component-update", "--no-first-run"],
            )
            while (job := self._work.get()) is not None:
                work, future = job
                try:
                    future.set_result(work(chromium))
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
    _browser = _browser or Browser()
    return _browser


def stop_all() -> None:
    global _server, _browser
    for each in (_browser, _server):
        if each is not None:
            each.stop()
    _browser = _server = None
