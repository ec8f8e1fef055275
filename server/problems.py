"""Errors as the API tells them: always `detail`, in words that say what to do."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers
from rest_framework.exceptions import APIException, ErrorDetail
from rest_framework.response import Response
from rest_framework.views import exception_handler

from linkcore.craft.document import CraftError
from linkcore.parts.catalogue import PartError, UnknownPart

NOT_SIGNED_IN, NO_SUCH_CRAFT = 4401, 4404  # how a WebSocket is closed


class ProblemSerializer(serializers.Serializer[dict[str, str]]):
    """What went wrong, and what to do."""

    detail = serializers.CharField()


REFUSED: dict[int, Any] = {400: ProblemSerializer, 403: ProblemSerializer, 404: ProblemSerializer, 422: ProblemSerializer}


class Unprocessable(APIException):
    """The request was understood, but its content cannot be taken."""

    status_code = 422


def handler(error: Exception, context: dict[str, Any]) -> Response | None:
    """The core's errors become 422; a serializer's field errors become one sentence."""
    if isinstance(error, (CraftError, UnknownPart, PartError)):
        error = Unprocessable(str(error))
    response = exception_handler(error, context)
    if response is not None and not (isinstance(response.data, dict) and isinstance(response.data.get("detail"), str)):
        response.data = {"detail": _sentence(response.data)}
    return response


def _sentence(data: Any) -> str:
    if isinstance(data, dict):
        return "; ".join(f"{name}: {_sentence(value)}" if name != "non_field_errors" else _sentence(value) for name, value in data.items())
    if isinstance(data, list):
        return " ".join(_sentence(value) for value in data)
    return str(data) if isinstance(data, (str, ErrorDetail)) else repr(data)
