"""The one ASGI application: pages, API and the live bench."""

from __future__ import annotations

import os
from typing import Any

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.settings")

from django.core.asgi import get_asgi_application

_django = get_asgi_application()

from channels.auth import AuthMiddlewareStack  # noqa: E402
from channels.routing import ProtocolTypeRouter, URLRouter  # noqa: E402
from channels.security.websocket import AllowedHostsOriginValidator  # noqa: E402
from django.conf import settings  # noqa: E402
from django.urls import path, re_path  # noqa: E402

from server.apart.keeper import prepare  # noqa: E402
from server.asker import WatchAsker  # noqa: E402
from server.body_limit import BodyLimit  # noqa: E402
from server.gate import ConnectRate, NothingHere  # noqa: E402
from server.outage import wait_at_most  # noqa: E402
from server.running.consumer import BenchConsumer  # noqa: E402
from server.running.host import know_the_others  # noqa: E402
from server.tap.consumer import TapConsumer  # noqa: E402

prepare()
wait_at_most(seconds=10)


async def _lifespan(_: Any, receive: Any, send: Any) -> None:
    """The server starts and stops: see ASGI."""
    while True:
        message = await receive()
        if message["type"] == "lifespan.startup":
            know_the_others()
        await send({"type": f"{message['type']}.complete"})
        if message["type"] == "lifespan.shutdown":
            return


_sockets = [
    path("ws/crafts/<uuid:craft_id>/bench", BenchConsumer.as_asgi()),
    path("ws/crafts/<uuid:craft_id>/tap", TapConsumer.as_asgi()),
    re_path("", NothingHere.as_asgi()),
]
application = ProtocolTypeRouter(
    {
        "http": BodyLimit(WatchAsker(_django), settings.MAX_UPLOAD_BYTES),
        "lifespan": _lifespan,
        "websocket": AllowedHostsOriginValidator(ConnectRate(AuthMiddlewareStack(URLRouter(_sockets)))),
    }
)
