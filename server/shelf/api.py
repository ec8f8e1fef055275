"""The shelf and the Load hop over HTTP."""

from __future__ import annotations

import uuid
from typing import Any

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from pydantic import ValidationError
from pydantic_core import from_json
from rest_framework import serializers
from rest_framework.exceptions import NotFound
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from linkcore.devices.factory import flash_of
from linkcore.devices.hexfile import write_hex
from linkcore.devices.image_facts import MOST_BYTES, ImageError, ImageFacts
from linkcore.hops.load.rules import remarks
from server.parts.models import catalogue_of
from server.problems import REFUSED, ProblemSerializer, Unprocessable
from server.schema import CoreField
from server.shelf.models import Image
from server.shelf.services import ReadImage, placed, put_on_shelf, read_file
from server.shelf.views import ImageRow, ReadView, image_row
from server.workshops.access import demand, find_workshop

MOST_FILE_BYTES = 3 * MOST_BYTES  # Intel HEX takes 2.8 letters a byte


class ImageFormSerializer(serializers.Serializer[Any]):
    """An image, and what it is for where it has no header: ImageFacts as JSON."""

    file = serializers.FileField(allow_empty_file=True)
    facts = serializers.CharField(required=False, allow_blank=True, max_length=4000)


class ImageAnswer(serializers.Serializer[Any]):
    """An image on the shelf; `new` false where it was there already."""

    image = CoreField(ImageRow)
    new = serializers.BooleanField()


class ReadAnswer(serializers.Serializer[Any]):
    """A file as it was read."""

    read = CoreField(ReadView)


class ShelfAnswer(serializers.Serializer[Any]):
    """All images of a workshop."""

    images = CoreField(ImageRow, many=True)


def _upload(request: Request) -> tuple[ReadImage, ImageFacts | None]:
    form = ImageFormSerializer(data=request.data)
    form.is_valid(raise_exception=True)
    file, beside = form.validated_data["file"], form.validated_data.get("facts", "")
    if file.size > MOST_FILE_BYTES:
        raise Unprocessable(f"{file.size / (1 << 20):.0f} MB: an image larger than {MOST_BYTES >> 20} MB is not taken")
    try:
        read = read_file(file.name, file.read())
        told = ImageFacts.model_validate({key: value for key, value in from_json(beside).items() if value not in ("", None)}) if beside else None
    except ImageError as error:
        raise Unprocessable(str(error)) from error
    except ValidationError as error:
        first = error.errors()[0]
        raise Unprocessable(f"form, {' '.join(map(str, first['loc'])) or 'facts'}: {first['msg']}") from error
    except (ValueError, AttributeError) as error:
        raise Unprocessable("form: what the image is for is given as a JSON object") from error
    return read, told


class ShelfView(APIView):
    """A workshop's shelf."""

    parser_classes = [MultiPartParser]

    @extend_schema(responses={200: ShelfAnswer, 404: ProblemSerializer})
    def get(self, request: Request, workshop_id: int) -> Response:
        """All images."""
        workshop = find_workshop(request, workshop_id)
        return Response({"images": [image_row(each).model_dump(mode="json") for each in workshop.images.select_related("made_by")]})

    @extend_schema(request={"multipart/form-data": ImageFormSerializer}, responses={200: ImageAnswer, 201: ImageAnswer, **REFUSED})
    def post(self, request: Request, workshop_id: int) -> Response:
        """Put an image on the shelf; 200 where it is there already."""
        workshop = find_workshop(request, workshop_id, "build")
        read, beside = _upload(request)
        try:
            image, new = put_on_shelf(workshop.pk, read, beside, request.user)
        except ImageError as error:
            raise Unprocessable(str(error)) from error
        return Response({"image": image_row(image).model_dump(mode="json"), "new": new}, status=201 if new else 200)


class ReadImageView(APIView):
    """Reading a file without putting it anywhere."""

    parser_classes = [MultiPartParser]

    @extend_schema(request={"multipart/form-data": ImageFormSerializer}, responses={200: ReadAnswer, **REFUSED})
    def post(self, request: Request, workshop_id: int) -> Response:
        """What is in it; nothing is kept."""
        workshop = find_workshop(request, workshop_id)
        read, _ = _upload(request)
        catalogue = catalogue_of(workshop.pk)
        content = placed(read.content, read.inside, catalogue) if read.inside else read.content
        target = read.inside.target if read.inside else ""
        there = workshop.images.filter(sha256=content.sha256)
        same = (there.filter(address=content.address) if content.placed else there).first()
        view = ReadView(
            name=read.name,
            inside=read.inside,
            sha256=content.sha256,
            crc32=content.crc32,
            size=len(content.data),
            address=content.address if content.placed else None,
            start=content.start,
            remarks=remarks(content, target, flash_of(target, catalogue)),
            on_shelf=same.name if same else None,
        )
        return Response({"read": view.model_dump(mode="json")})


class ImageView(APIView):
    """One image."""

    @extend_schema(responses={204: None, 404: ProblemSerializer})
    def delete(self, request: Request, image_id: uuid.UUID) -> Response:
        """Take it off the shelf; the log keeps its name."""
        image = _image(request, image_id)
        demand(request.user, image.workshop_id, "build")
        image.delete()
        return Response(status=204)


class ImageFileView(APIView):
    """An image as a file."""

    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY, 404: ProblemSerializer})
    def get(self, request: Request, image_id: uuid.UUID, kind: str) -> HttpResponse:
        """As Intel HEX or raw binary, always as a download."""
        image = _image(request, image_id)
        content = image.content()
        data = write_hex(content) if kind == "hex" else content.data
        stem = "".join(letter if letter.isascii() and (letter.isalnum() or letter in "-_.") else "-" for letter in image.name.rpartition(".")[0]) or "image"
        headers = {"Content-Disposition": f'attachment; filename="{stem}.{kind}"', "X-Content-Type-Options": "nosniff"}
        return HttpResponse(data, content_type="application/octet-stream", headers=headers)


def _image(request: Request, image_id: uuid.UUID) -> Image:
    found = Image.objects.seen_by(request.user).filter(pk=image_id).first()
    if found is None:
        raise NotFound("there is no such image on your shelf (any more)")
    return found
