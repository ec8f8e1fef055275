"""What was called otherwise before: parts, images and benches that were kept then still fit."""

from __future__ import annotations

from typing import Annotated

from pydantic import BeforeValidator

FAMILIES = {"Wisp 2": "Fret", "Wisp 3": "Haar", "Wisp 4": "Brume", "Harrow 1": "Spike", "Harrow 2": "Tine", "Harrow 3": "Rake"}
AIR_NAMES = {"Harrow D1": "Harrow Spike", "Harrow D2": "Harrow Tine"}

FamilyNow = Annotated[str, BeforeValidator(lambda name: FAMILIES.get(name, name))]
AirNameNow = Annotated[str, BeforeValidator(lambda name: AIR_NAMES.get(name, name))]
