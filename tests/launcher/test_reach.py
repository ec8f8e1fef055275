"""Which tests a change can reach."""

from __future__ import annotations

from django.conf import settings
from django.test import SimpleTestCase

from launcher.reach import labels_since, reached
from launcher.setup import Trouble

IMPORTS = {
    "linkcore.low": set(),
    "linkcore.high": {"linkcore.low"},
    "linkcore.aside": set(),
    "tests.settings": set(),
    "tests.live": set(),
    "tests.helper": {"linkcore.high"},
    "tests.core.test_low": {"linkcore.low"},
    "tests.core.test_high": {"tests.helper"},
    "tests.core.test_aside": {"linkcore.aside"},
    "tests.core.test_colours": set(),
    "tests.browser.test_page": {"tests.live"},
    "server.settings": set(),
    "server.urls": {"linkcore.high"},
    "tests.server.test_api": {"django.test"},
}


class ReachTest(SimpleTestCase):
    """A change is tested by whatever comes to it by imports, settings or a started process; what no import tells of, by everything."""

    def assert_reached(self, changed: str, *labels: str):
        self.assertEqual(reached([changed], IMPORTS), sorted(labels))

    def test_by_imports_through_helpers(self):
        self.assert_reached("linkcore/high.py", "tests.browser.test_page", "tests.core.test_high", "tests.server.test_api")
        self.assert_reached("linkcore/low.py", "tests.browser.test_page", "tests.core.test_high", "tests.core.test_low", "tests.server.test_api")
        self.assert_reached("linkcore/aside.py", "tests.core.test_aside")

    def test_what_is_served_reaches_those_who_ask_over_the_line(self):
        self.assert_reached("server/urls.py", "tests.browser.test_page", "tests.server.test_api")
        self.assert_reached("web/src/App.tsx", "tests.browser.test_page", "tests.core.test_colours")

    def test_words_reach_nothing_and_other_files_everything(self):
        self.assert_reached("docs/architecture.md")
        self.assert_reached("linkcore/parts/data/boards.json", *(name for name in IMPORTS if ".test_" in name))

    def test_the_house_as_it_is_and_a_commit_that_nobody_knows(self):
        self.assertTrue(all(label.startswith("tests.") for label in labels_since("HEAD", settings.ROOT)))
        with self.assertRaisesRegex(Trouble, "no-such-commit"):
            labels_since("no-such-commit", settings.ROOT)
