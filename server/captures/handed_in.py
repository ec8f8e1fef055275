"""Files that are handed in for a craft: kept whole, lent for a day until somebody keeps them."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from rest_framework import serializers
from rest_framework.request import Request

from server.captures.models import Recording
from server.crafts.access import find_craft
from server.problems import Unprocessable


class FileSerializer(serializers.Serializer[Any]):
    """A file; its ending says what it is."""

    file = serializers.FileField()


def hand_in(request: Request, craft_id: uuid.UUID, endings: Mapping[str, str], otherwise: str) -> Recording:
    """Take the file of a request. `endings`: what each is kept as, with its dot; `otherwise`: what is said of any other, behind the file's name. Raise Unprocessable."""
    craft = find_craft(request, craft_id, "check")
    form = FileSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    upload = form.validated_data["file"]
    name = Path(upload.name).name[-120:]
    kind = endings.get(Path(name).suffix.lower())
    if kind is None:
        raise Unprocessable(f"{name}: {otherwise}")
    return Recording.store(upload.chunks(), craft=craft, name=name, kind=kind, source=Recording.Source.FILE, made_by=request.user)
