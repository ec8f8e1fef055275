"""Settings for the tests: a fast password hasher, and here only; nothing else that a user would not meet."""

import os

from server.settings import *  # noqa: F403

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
TEST_RUNNER = "tests.runner.Runner"
BENCH_CLOCK = os.environ.get("COINBELL_TEST_CLOCK", "tests.clock.StandingClock")
BENCH_TICKS = float(os.environ.get("COINBELL_TICKS", "5"))
BENCH_REPORTS = float(os.environ.get("COINBELL_REPORTS", "2.5"))
AXES_ENABLED = False
SOCKETS_BY_SESSION = SOCKETS_BY_ADDRESS = (1000, 6000)
SIGN_INS_BY_ADDRESS = SIGN_INS_BY_NAME = (1000, 1000)
MAX_UPLOAD_BYTES = 8 << 20
# what is refused is what many tests are about
LOGGING["handlers"]["console"]["level"] = "ERROR"  # noqa: F405
STATIC_ROOT.mkdir(parents=True, exist_ok=True)  # noqa: F405
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "testserver"]
HELPER_PROCESS = "tests.helper_process"
SNAPSHOTS_GIVE_WAY = False  # two workers fill this machine
for _name in ("server.running.worker", "server.running.host", "server.layer"):  # what tests break on purpose
    LOGGING["loggers"][_name] = {"level": "CRITICAL"}  # noqa: F405
