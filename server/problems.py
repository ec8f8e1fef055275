"""Errors as the API tells them: always `detail`, in words that say what to do."""

from __future__ import annotations

import sys
from typing import Any

from django.core.exceptions import ObjectDoesNotExist
from django.http import HttpRequest, JsonResponse
from rest_framework import serializers
from rest_framework.exceptions import APIException, ErrorDetail, NotFound
from rest_framework.response import Response
from rest_framework.views import exception_handler

from linkcore.craft.document import CraftError
from linkcore.parts.catalogue import PartError, UnknownPart
from server.apart.keeper import Ended, TooMany
from server.outage import RETRY_AFTER_S, SAYS, is_outage
from server.room import RoomFull

BUSY_READING = "many files are being read just now; try again in a few seconds"
NOT_SIGNED_IN, NO_SUCH_CRAFT, TOO_MUCH = 4401, 4404, 4429  # how a WebSocket is closed
TRY_AGAIN = 1013  # the same, of those that RFC 6455's registry knows


class ProblemSerializer(serializers.Serializer[dict[str, str]]):
    """What went wrong, and what to do."""

    detail = serializers.CharField()


REFUSED: dict[int, Any] = {400: ProblemSerializer, 403: ProblemSerializer, 404: ProblemSerializer, 422: ProblemSerializer}


class Unprocessable(APIException):
    """The request was understood, but its content cannot be taken."""

    status_code = 422


def handler(error: Exception, context: dict[str, Any]) -> Response | None:
    """The core's errors become 422; a serializer's field errors become one sentence."""
    if is_outage(error):
        return Response({"detail": SAYS}, status=503, headers={"Retry-After": str(RETRY_AFTER_S)})
    if isinstance(error, (TooMany, Ended)):
        return Response({"detail": BUSY_READING}, status=503, headers={"Retry-After": str(RETRY_AFTER_S)})
    if isinstance(error, (CraftError, UnknownPart, PartError, RoomFull)):
        error = Unprocessable(str(error))
    if isinstance(error, ObjectDoesNotExist):  # it was there when the request came in
        error = NotFound("this is gone: somebody deleted it meanwhile, and nothing was saved")
    response = exception_handler(error, context)
    if response is not None and not (isinstance(response.data, dict) and isinstance(response.data.get("detail"), str)):
        response.data = {"detail": _sentence(response.data)}
    return response


def bad_request(request: HttpRequest, exception: Exception) -> JsonResponse:
    """Django could not make sense of a request before any view saw it."""
    return _plain(400, "this request cannot be understood; load the page anew and try again")


def forbidden(request: HttpRequest, exception: Exception) -> JsonResponse:
    """Django refused a request before any view saw it."""
    return _plain(403, "this request is refused; load the page anew, and sign in if it asks you to")


def not_found(request: HttpRequest, exception: Exception) -> JsonResponse:
    """There is nothing at this address."""
    return _plain(404, "there is nothing at this address")


def fault(request: HttpRequest) -> JsonResponse:
    """Something broke that should not have; the log has it. Before any view is reached, an outage comes here as well."""
    if is_outage(sys.exc_info()[1]):
        return JsonResponse({"detail": SAYS}, status=503, headers={"Retry-After": str(RETRY_AFTER_S)})
    return _plain(500, "a fault in Coin Bell; nothing was changed. Try again, and tell the operator if it comes back: the log says what broke")


def _plain(status: int, text: str) -> JsonResponse:
    return JsonResponse({"detail": text}, status=status)


def _sentence(data: Any) -> str:
    if isinstance(data, dict):
        return "; ".join(f"{name}: {_sentence(value)}" if name != "non_field_errors" else _sentence(value) for name, value in data.items())
    if isinstance(data, list):
        return " ".join(_sentence(value) for value in data)
    return str(data) if isinstance(data, (str, ErrorDetail)) else repr(data)
