"""The Bind hop over HTTP: lights and link budget."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema, extend_schema_view
from pydantic import BaseModel

from linkcore.craft.document import CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.budget import Budget, budget, region_of
from linkcore.devices.firmware import Installed, Role, air, devices_of
from linkcore.devices.lights import Meaning, meanings, shown
from linkcore.parts.models import Colour, Light, Pattern
from server.crafts.models import Craft
from server.hops.base import HopView, installed_on, view_of
from server.problems import REFUSED


class LightMeaning(BaseModel):
    """A light and all that it can mean; none: this receiver never shows it."""

    light: Light
    means: list[Meaning]


class LightsView(BaseModel):
    """What this receiver's light can show."""

    colours: list[Colour]
    patterns: list[Pattern]
    meanings: list[LightMeaning]


class BindView(BaseModel):
    """What the Bind hop reckons without the bench: the lights, and the link budget (None while the ends do not understand each other)."""

    lights: LightsView
    budget: Budget | None


def bind_view(document: CraftDocument, parts: KitParts, installed: dict[Role, Installed]) -> BindView:
    """The Bind hop; raises UnknownPart before there is a receiver."""
    binding = parts.receiver.binding
    colours, patterns = shown(binding)
    lights = [Light(colour=colour, pattern=pattern) for colour in colours for pattern in patterns if pattern != "off"] + [Light(colour="none", pattern="off")]
    devices = devices_of(parts)
    found = None
    if {"transmitter", "receiver"} <= set(devices):
        sends, hears = air(devices, installed)
        if sends is not None and hears is not None:
            region = region_of(sends, hears, document.wants.region)
            found = budget(document.air, sends, hears, parts.receiver.link_period_s, region, document.alarm)
    means = [LightMeaning(light=light, means=meanings(binding, light)) for light in lights]
    return BindView(lights=LightsView(colours=colours, patterns=patterns, meanings=means), budget=found)


@extend_schema_view(get=extend_schema(responses={200: view_of(BindView), **REFUSED}, description="Lights and link budget."))
class BindHopView(HopView):
    """The Bind hop."""

    def work_out(self, craft: Craft, document: CraftDocument, parts: KitParts) -> BaseModel:
        """See the model."""
        return bind_view(document, parts, installed_on(craft, document, parts))
