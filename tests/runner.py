"""Django's runner, which also writes down how many tests passed and which took longest, and stops the live server and the browser."""

from __future__ import annotations

import json
import os
import time
import unittest
from pathlib import Path

from django.test.runner import DiscoverRunner

from tests import live

SLOWEST = 12


class Counting(unittest.TextTestResult):
    def __init__(self, *args, **kwargs):
        super().__init__(*args, **kwargs)
        self.passed = 0
        self.taken: list[tuple[float, str]] = []

    def startTest(self, test):
        super().startTest(test)
        self._began = time.monotonic()

    def stopTest(self, test):
        super().stopTest(test)
        self.taken.append((time.monotonic() - self._began, test.id()))

    def addSuccess(self, test):
        super().addSuccess(test)
        self.passed += 1


class Runner(DiscoverRunner):
    def get_resultclass(self):
        return Counting

    def run_suite(self, suite, **kwargs):
        result = super().run_suite(suite, **kwargs)
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        slowest = sorted(result.taken, reverse=True)[:SLOWEST]
        print("\nslowest: " + ", ".join(f"{name.removeprefix('tests.')} {seconds:.0f} s" for seconds, name in slowest if seconds >= 1))
        target = os.environ.get("COINBELL_TEST_RESULT")
        if target:
            Path(target).write_text(json.dumps({"passed": result.passed, "failed": failed, "skipped": len(result.skipped)}))
        return result

    def teardown_databases(self, old_config, **kwargs):
        live.stop_all()
        super().teardown_databases(old_config, **kwargs)
