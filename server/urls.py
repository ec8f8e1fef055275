"""Addresses. Whatever is no API and no file is a place in the app, which the browser finds by itself."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.urls import path, re_path
from drf_spectacular.views import SpectacularJSONAPIView, SpectacularSwaggerSplitView

from server.accounts.api import SessionView
from server.captures.api import FrameView, PortView, RecordingFileView, RecordingsView, RecordingView, WindowView, reading_stream
from server.captures.flights import FlightsView, alarm_stream
from server.demo.api import SampleView
from server.drafts.api import CraftsView, CraftView, DraftView, RevisionsView
from server.hops.bind import BindHopView
from server.hops.kit import ExchangePartView, KitHopView
from server.hops.load import FlashesView, FlashSettingsView, LoadHopView
from server.hops.loom import LoomFileView, LoomHopView
from server.hops.port_plan import PlanHopView, SolderView, WireMoveView, WorkOutView
from server.hops.sticks import ModelMemoryView
from server.parts.api import CheckPartView, PartSchemasView, PartsFileView, PartsView, PartView
from server.proofs.api import RingsView
from server.shelf.api import ImageFileView, ImageView, ReadImageView, ShelfView
from server.workshops.api import PeopleView, PersonView, RoomView


def app(request: HttpRequest) -> HttpResponse:
    """The one page."""
    try:
        page = (settings.WEB_DIST / "index.html").read_bytes()
    except OSError:
        return HttpResponse("The front end is not built: run ./bell demo or ./bell serve, which build it.", status=503, content_type="text/plain")
    return HttpResponse(page, headers={"Cache-Control": "no-cache"})


_UUID = "[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}"
handler400, handler403, handler404, handler500 = (f"server.problems.{name}" for name in ("bad_request", "forbidden", "not_found", "fault"))

urlpatterns = [
    path("api/session", SessionView.as_view()),
    path("api/workshops/<int:workshop_id>/people", PeopleView.as_view()),
    path("api/workshops/<int:workshop_id>/people/<str:username>", PersonView.as_view()),
    path("api/workshops/<int:workshop_id>/sample", SampleView.as_view()),
    path("api/workshops/<int:workshop_id>/room", RoomView.as_view()),
    path("api/workshops/<int:workshop_id>/parts", PartsView.as_view()),
    path("api/workshops/<int:workshop_id>/parts/check", CheckPartView.as_view()),
    path("api/workshops/<int:workshop_id>/parts/file", PartsFileView.as_view()),
    path("api/workshops/<int:workshop_id>/parts/own/<str:part_id>", PartView.as_view()),
    path("api/workshops/<int:workshop_id>/images", ShelfView.as_view()),
    path("api/workshops/<int:workshop_id>/images/read", ReadImageView.as_view()),
    path("api/images/<uuid:image_id>", ImageView.as_view()),
    re_path(rf"^api/images/(?P<image_id>{_UUID})/file\.(?P<kind>hex|bin)$", ImageFileView.as_view()),
    path("api/part-schemas", PartSchemasView.as_view()),
    path("api/crafts", CraftsView.as_view()),
    path("api/crafts/<uuid:craft_id>", CraftView.as_view()),
    path("api/crafts/<uuid:craft_id>/draft", DraftView.as_view()),
    path("api/crafts/<uuid:craft_id>/revisions", RevisionsView.as_view()),
    path("api/crafts/<uuid:craft_id>/kit", KitHopView.as_view()),
    path("api/crafts/<uuid:craft_id>/exchange", ExchangePartView.as_view()),
    path("api/crafts/<uuid:craft_id>/plan", PlanHopView.as_view()),
    path("api/crafts/<uuid:craft_id>/solder", SolderView.as_view()),
    path("api/crafts/<uuid:craft_id>/wire", WireMoveView.as_view()),
    path("api/crafts/<uuid:craft_id>/work-out", WorkOutView.as_view()),
    path("api/crafts/<uuid:craft_id>/loom", LoomHopView.as_view()),
    path("api/crafts/<uuid:craft_id>/loom.<str:kind>", LoomFileView.as_view()),
    path("api/crafts/<uuid:craft_id>/model-memory", ModelMemoryView.as_view()),
    path("api/crafts/<uuid:craft_id>/load", LoadHopView.as_view()),
    path("api/crafts/<uuid:craft_id>/flashes", FlashesView.as_view()),
    path("api/crafts/<uuid:craft_id>/flashes/<int:flash_id>/settings", FlashSettingsView.as_view()),
    path("api/crafts/<uuid:craft_id>/bind", BindHopView.as_view()),
    path("api/crafts/<uuid:craft_id>/rings", RingsView.as_view()),
    path("api/crafts/<uuid:craft_id>/recordings", RecordingsView.as_view()),
    path("api/crafts/<uuid:craft_id>/flights", FlightsView.as_view()),
    path("api/flights/<uuid:recording_id>/alarm", alarm_stream),
    path("api/recordings/<uuid:recording_id>", RecordingView.as_view()),
    path("api/recordings/<uuid:recording_id>/reading", reading_stream),
    path("api/recordings/<uuid:recording_id>/frames/<int:index>", FrameView.as_view()),
    path("api/recordings/<uuid:recording_id>/port", PortView.as_view()),
    path("api/recordings/<uuid:recording_id>/window", WindowView.as_view()),
    re_path(rf"^api/recordings/(?P<recording_id>{_UUID})/file\.(?P<kind>vcd|csv|bin)$", RecordingFileView.as_view()),
    path("api/schema", SpectacularJSONAPIView.as_view(), name="schema"),
    path("api/docs", SpectacularSwaggerSplitView.as_view(url_name="schema")),
    re_path(r"^(?!api/|static/|assets/|ws/).*$", app),
]
