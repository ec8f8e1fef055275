"""How a server process is started: by `./bell`, by tests and by measurements alike."""

from __future__ import annotations

import os

from launcher.setup import PYTHON


def benches_each(processes: int) -> int:
    """Live benches that one of so many processes takes at most, where nobody says otherwise: alone it has cores to spare, several share them with Redis."""
    return 12 if processes == 1 else 10


def server_command(*where: str, application: str = "server.asgi:application") -> list[str]:
    """Arguments of a server process; `where`: uvicorn's `--fd` or `--port` with its number; `application`: what it serves.

    A header that says where a request came from counts only where a setting names the proxy that sets it.
    """
    proxy = os.environ.get("COINBELL_PROXY", "")
    trusted = ["--proxy-headers", "--forwarded-allow-ips", proxy] if proxy else ["--no-proxy-headers"]
    sockets = ["--ws", "server.patient_socket:PatientSocket", "--ws-max-size", "65536"]
    quiet = ["--lifespan", "on", "--log-level", "warning", "--no-server-header", "--timeout-graceful-shutdown", "3"]
    return [str(PYTHON), "-m", "uvicorn", application, *trusted, *sockets, *quiet, *where]
