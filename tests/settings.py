"""Settings for the tests: a fast password hasher, and here only; nothing else that a user would not meet."""

from server.settings import *  # noqa: F403

PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
TEST_RUNNER = "tests.runner.Runner"
BENCH_CLOCK = "tests.clock.PacedClock"
AXES_ENABLED = False
SOCKETS_BY_SESSION = SOCKETS_BY_ADDRESS = (1000, 6000)
SIGN_INS_BY_ADDRESS = SIGN_INS_BY_NAME = (1000, 1000)
MAX_UPLOAD_BYTES = 8 << 20
# what is refused is what many tests are about
LOGGING["handlers"]["console"]["level"] = "ERROR"  # noqa: F405
STATIC_ROOT.mkdir(parents=True, exist_ok=True)  # noqa: F405
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "testserver"]
HELPER_PROCESS = "tests.helper_process"
BENCH_BUDGET_S = 3.0  # benches run at five times their pace here, on a machine that others slow to half of its own
SNAPSHOTS_GIVE_WAY = False  # two workers fill this machine, and benches run at five times their pace
for _name in ("server.running.worker", "server.running.host", "server.layer"):  # what tests break on purpose
    LOGGING["loggers"][_name] = {"level": "CRITICAL"}  # noqa: F405
