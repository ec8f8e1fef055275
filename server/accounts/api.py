"""Signing in and out."""

from __future__ import annotations

import math
from typing import Any

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest, JsonResponse
from django.middleware.csrf import get_token
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from server.accounts.hashing import TooManyAtOnce
from server.accounts.sessions import signed_out
from server.problems import ProblemSerializer
from server.rates import Rate
from server.workshops.models import Membership


class WorkshopSerializer(serializers.Serializer[Any]):
    """A workshop that the user belongs to."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    role = serializers.ChoiceField(choices=Membership.Role.choices)


class SessionSerializer(serializers.Serializer[Any]):
    """Who is signed in; user null where nobody is."""

    user = serializers.CharField(allow_null=True)
    workshops = WorkshopSerializer(many=True)


class SignInSerializer(serializers.Serializer[Any]):
    """Name and password."""

    username = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=512, trim_whitespace=False)


def _session(request: Request) -> dict[str, Any]:
    get_token(request._request)
    if not request.user.is_authenticated:
        return {"user": None, "workshops": []}
    memberships = Membership.objects.filter(user=request.user).select_related("workshop").order_by("workshop__name")
    return {
        "user": request.user.get_username(),
        "workshops": [{"id": each.workshop_id, "name": each.workshop.name, "role": each.role} for each in memberships],
    }


def locked_out(request: HttpRequest, credentials: object = None, *args: object, **kwargs: object) -> JsonResponse:
    """What somebody who has guessed too often is told."""
    return JsonResponse({"detail": "too many failed attempts; try again in a quarter of an hour"}, status=429)


_by_address, _by_name = Rate(*settings.SIGN_INS_BY_ADDRESS), Rate(*settings.SIGN_INS_BY_NAME)


def _later(text: str, status: int, wait_s: float) -> Response:
    return Response({"detail": text}, status=status, headers={"Retry-After": str(math.ceil(wait_s))})


@method_decorator(ensure_csrf_cookie, name="dispatch")
class SessionView(APIView):
    """The browser's session."""

    permission_classes = [AllowAny]

    @extend_schema(responses=SessionSerializer)
    def get(self, request: Request) -> Response:
        """Who is signed in."""
        return Response(_session(request))

    @extend_schema(
        request=SignInSerializer,
        responses={200: SessionSerializer, 400: ProblemSerializer, 403: ProblemSerializer, 429: ProblemSerializer, 503: ProblemSerializer},
    )
    @method_decorator(csrf_protect)
    def post(self, request: Request) -> Response:
        """Sign in."""
        form = SignInSerializer(data=request.data)
        form.is_valid(raise_exception=True)
        wait = max(_by_address.take(request.META.get("REMOTE_ADDR")), _by_name.take(form.validated_data["username"].casefold()))
        if wait:
            return _later("too many attempts from here or for this name; try again in a moment", 429, wait)
        try:
            user = authenticate(request._request, **form.validated_data)
        except TooManyAtOnce:
            return _later("many are signing in just now; try again in a few seconds", 503, 3)
        if user is None:
            return Response({"detail": "name and password do not belong together"}, status=400)
        login(request._request, user)
        request.user = user
        return Response(_session(request))

    @extend_schema(responses={204: None})
    def delete(self, request: Request) -> Response:
        """Sign out."""
        key = request._request.session.session_key
        logout(request._request)
        signed_out(key)
        return Response(status=204)
