"""What the browser tests share: a page of a real Chromium, on the real server."""

from __future__ import annotations

import functools
import os
import re

from django.conf import settings
from django.contrib.auth import get_user_model
from django.test import Client
from playwright.sync_api import expect

from server.bench.models import BenchRecord
from server.crafts.models import Craft
from server.demo import services as demo
from tests import live
from tests.browser import acts
from tests.database import WithDemo

expect.set_options(timeout=1000 * live.GIVE_UP_S)
WHO = ("wren", "teal", "heron", "dipper")
QUIET = re.compile(r"status of (4\d\d)|WebSocket connection")  # the browser logs refused requests by itself


def in_browser(test):
    """Run a test in the browser's thread, with windows of its own; console and page errors fail it."""

    @functools.wraps(test)
    def run(self):
        server = live.server()
        sessions = {name: _session_of(name) for name in WHO}
        crafts = {craft.name: craft.pk for craft in Craft.objects.filter(workshop__name=demo.CREW)}

        def work(windows):
            people = People(windows, server.address, sessions, crafts)
            try:
                test(self, people)
                self.assertEqual(people.troubles, [])
            except BaseException:
                people.picture(self.id())
                raise
            finally:
                people.leave()

        live.browser().run(work)

    return run


def _session_of(name):
    """The cookie of somebody who has signed in."""
    client = Client()
    client.force_login(get_user_model().objects.get(username=name))
    return client.cookies[settings.SESSION_COOKIE_NAME].value


class People:
    """Everybody at a browser in one test."""

    passes = staticmethod(acts.passes)
    until = staticmethod(acts.until)

    def __init__(self, windows, address, sessions, crafts):
        self._windows, self.address, self._sessions, self._crafts = windows, address, sessions, crafts
        self._taken, self.troubles = [], []
        self.screen = live.DESK  # what whoever comes next sits at

    def page(self):
        context = self._windows.take(self.screen)
        self._taken.append((context, self.screen))
        page = context.new_page()
        acts.Now.pages.append(page)
        page.on("pageerror", lambda error: self.troubles.append(str(error)))
        page.on("console", lambda message: self.troubles.append(message.text) if message.type == "error" and not QUIET.search(message.text) else None)
        return page

    def sign_in(self, name="wren"):
        """The list of crafts, as somebody sees it who is signed in."""
        page = self._signed_in(name)
        page.goto(self.address)
        page.wait_for_selector("main[data-ready]")
        return page

    def _signed_in(self, name):
        page = self.page()
        page.context.add_cookies([{"name": settings.SESSION_COOKIE_NAME, "value": self._sessions[name], "url": self.address}])
        return page

    def sign_in_by_form(self, name="wren"):
        """The same as a person does it."""
        page = self.page()
        page.goto(self.address)
        page.get_by_label("Name").fill(name)
        page.get_by_label("Password").fill(demo.PASSWORD)
        page.get_by_label("Password").press("Enter")
        page.wait_for_selector("main[data-ready]")
        return page

    def open(self, craft, hop, name="wren"):
        """A hop of a craft, by its address."""
        page = self._signed_in(name)
        page.goto(f"{self.address}/crafts/{self._crafts[craft]}/{hop.lower().replace(' ', '-')}")
        page.wait_for_selector("[data-ready] nav[aria-label=Chain]")
        page.get_by_role("heading", level=1, name=hop).wait_for()
        acts.looked_at(page)
        acts.settled(page)
        return page

    def picture(self, name):
        """What everybody sees, where COINBELL_PICTURES names a folder: to look at what a failed test had before it."""
        if folder := os.environ.get("COINBELL_PICTURES"):
            for number, page in enumerate(page for context, _ in self._taken for page in context.pages):
                page.screenshot(path=f"{folder}/{name}-{number}.png")

    def leave(self):
        acts.Now.pages.clear()
        for context, screen in self._taken:
            self._windows.give_back(context, screen)


class BrowserTest(WithDemo):
    """Tests on the demo's crafts. Unless `as_flashed`, Avocet's receiver has firmware that fits its module, so that its link stands."""

    as_flashed = False

    def setUp(self):
        if not self.as_flashed:
            record = BenchRecord.objects.get(craft__name="Avocet")
            record.state["devices"] = {}
            record.save(update_fields=["state"])
