"""Django's runner, with its workers each keeping a server and a browser of its own; it also writes down how many tests passed and which took longest."""

from __future__ import annotations

import json
import multiprocessing.util
import os
import time
import unittest
from collections import defaultdict
from pathlib import Path

from django.test.runner import DiscoverRunner, ParallelTestSuite, RemoteTestResult, RemoteTestRunner, _init_worker

from linkcore.findings import Check
from linkcore.hops.registry import HOPS
from tests import live

SLOWEST = 12
ALL_OF_THE_CORE = 400  # with so many tests of the core it is a whole run, after which every finding's code has been raised
# A worker goes through these in order, so that what needs an empty database comes before what keeps the demo's users in it; short tests fill the end.
ORDER = ("tests.server", "tests.launcher", "tests.browser", "tests.core")
ONE_BY_ONE = ("tests.launcher", "tests.browser")


class Counting(unittest.TextTestResult):
    def __init__(self, *args, **kwargs):
        super().__init__(*args, **kwargs)
        self.passed = 0
        self.taken: dict[str, float] = defaultdict(float)

    def startTest(self, test):
        super().startTest(test)
        self._began = time.monotonic()

    def stopTest(self, test):
        super().stopTest(test)
        self.took(test, time.monotonic() - self._began)

    def took(self, test, seconds):
        self.taken[test.id()] = max(seconds, self.taken[test.id()])  # what a worker tells, not how long it took to be told

    def addSuccess(self, test):
        super().addSuccess(test)
        self.passed += 1

    def addFailure(self, test, err):
        super().addFailure(test, err)
        self._name(test)

    def addError(self, test, err):
        super().addError(test, err)
        self._name(test)

    def addSubTest(self, test, subtest, err):
        super().addSubTest(test, subtest, err)
        if err is not None:
            self._name(subtest)

    def _name(self, test):
        """At once: a run that is cut short has said by then what failed."""
        self.stream.writeln(f" {test.id()}")
        self.stream.flush()


class Telling(RemoteTestResult):
    """What a worker tells of its tests, and how long each took."""

    def startTest(self, test):
        super().startTest(test)
        self._began = time.monotonic()

    def stopTest(self, test):
        self.events.append(("took", self.test_index, time.monotonic() - self._began))
        super().stopTest(test)


class TellingRunner(RemoteTestRunner):
    resultclass = Telling


def note_codes():
    """Let this process write down, beside the run's other files, every code that a check gives to a finding."""
    folder, says, noted = Path(os.environ.get("COINBELL_VAR", "")), Check.says, set()

    def noting(check, severity, code, *rest):
        if code not in noted:
            noted.add(code)
            with (folder / f"codes-{os.getpid()}").open("a") as file:
                file.write(f"{code}\n")
        return says(check, severity, code, *rest)

    if folder.is_dir() and folder != Path():
        Check.says = noting


def codes_wanting():
    """What is wrong with the register of finding codes after a whole run: codes that no test raised, and codes that are in no register."""
    raised = {code for file in Path(os.environ["COINBELL_VAR"]).glob("codes-*") for code in file.read_text().split() if not code.startswith("make-believe.")}
    known = {code for hop in HOPS for code in hop.codes}
    return [f"{code} is raised by no test" for code in sorted(known - raised)] + [f"{code} is in no hop's register" for code in sorted(raised - known)]


def _begin(*args):
    _init_worker(*args)
    note_codes()
    multiprocessing.util.Finalize(None, live.stop_all, exitpriority=1)


class Workers(ParallelTestSuite):
    """Tests of the browser and of the launcher are handed out one by one, the others by class."""

    init_worker = _begin
    runner_class = TellingRunner

    def __init__(self, subsuites, *args, **kwargs):
        split = []
        for suite in subsuites:
            tests = list(suite)
            split += [unittest.TestSuite([test]) for test in tests] if _place(tests[0]) in ONE_BY_ONE else [suite]
        super().__init__(sorted(split, key=lambda suite: ORDER.index(_place(next(iter(suite))))), *args, **kwargs)


def _place(test):
    return next((place for place in ORDER if test.id().startswith(place)), ORDER[-1])


class Runner(DiscoverRunner):
    parallel_test_suite = Workers

    def get_resultclass(self):
        return Counting

    def run_suite(self, suite, **kwargs):
        note_codes()
        result = super().run_suite(suite, **kwargs)
        if "COINBELL_VAR" in os.environ and sum(name.startswith("tests.core") for name in result.taken) >= ALL_OF_THE_CORE:
            wanting = codes_wanting()
            print("\n".join(f"FAIL  {each}" for each in wanting) or "ok    every finding code is raised by a test")
            result.passed += not wanting
            result.failures += [(None, each) for each in wanting]
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        slowest = sorted(((seconds, name) for name, seconds in result.taken.items()), reverse=True)
        print("\nslowest: " + ", ".join(f"{name.removeprefix('tests.')} {seconds:.0f} s" for seconds, name in slowest[:SLOWEST] if seconds >= 1))
        target = os.environ.get("COINBELL_TEST_RESULT")
        if target:
            Path(target).write_text(json.dumps({"passed": result.passed, "failed": failed, "skipped": len(result.skipped)}))
        if times := os.environ.get("COINBELL_TEST_TIMES"):
            Path(times).write_text(json.dumps(dict(result.taken), indent=0))
        return result

    def teardown_databases(self, old_config, **kwargs):
        live.stop_all()
        super().teardown_databases(old_config, **kwargs)
