"""The one ASGI application: pages, API and the live bench."""

from __future__ import annotations

import os

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
from server.tap.consumer import TapConsumer  # noqa: E402

prepare()
wait_at_most(seconds=10)

_sockets = [
    path("ws/crafts/<uuid:craft_id>/bench", BenchConsumer.as_asgi()),
    path("ws/crafts/<uuid:craft_id>/tap", TapConsumer.as_asgi()),
    re_path("", NothingHere.as_asgi()),
]
application = ProtocolTypeRouter(
    {
        "http": BodyLimit(WatchAsker(_django), settings.MAX_UPLOAD_BYTES),
        "websocket": AllowedHostsOriginValidator(ConnectRate(AuthMiddlewareStack(URLRouter(_sockets)))),
    }
)
